"""Trials may ask twins of cases."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("trials", "0009_taken")]

    operations = [
        migrations.AlterField(
            "trial",
            "purpose",
            models.CharField(
                choices=[
                    ("compare", "compare"),
                    ("weigh", "weigh"),
                    ("watch", "watch"),
                    ("culprits", "culprits"),
                    ("twins", "twins"),
                ],
                default="compare",
                max_length=8,
            ),
        ),
    ]
