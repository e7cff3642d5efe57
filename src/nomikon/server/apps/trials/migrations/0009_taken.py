"""An arm may send a text with some of its version's amendments; trials may look for what moved cases."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("trials", "0008_simulated")]

    operations = [
        migrations.AddField("arm", "taken", models.JSONField(null=True)),
        migrations.AlterField(
            "trial",
            "purpose",
            models.CharField(
                choices=[
                    ("compare", "compare"),
                    ("weigh", "weigh"),
                    ("watch", "watch"),
                    ("culprits", "culprits"),
                ],
                default="compare",
                max_length=8,
            ),
        ),
    ]
