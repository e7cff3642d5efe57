"""What was learnt of token estimates says of which revision of the estimate."""

from django.db import migrations, models


def write_rule(apps, schema_editor):
    """All that was learnt until now was learnt of the first."""
    apps.get_model("connections", "TokenRecord").objects.update(rule=1)


class Migration(migrations.Migration):
    dependencies = [("connections", "0001_initial")]

    operations = [
        migrations.AddField("tokenrecord", "rule", models.PositiveSmallIntegerField(default=0)),
        migrations.RunPython(write_rule, migrations.RunPython.noop),
    ]
