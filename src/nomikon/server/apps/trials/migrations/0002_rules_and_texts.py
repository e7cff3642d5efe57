"""Derived rows carry the revision of their rule; an arm holds the text it sends."""

from django.db import migrations, models

from nomikon.server.former_parser import leave_out


def write_texts(apps, schema_editor):
    """What arms sent until now, by the parser of their day."""
    arms = apps.get_model("trials", "Arm").objects.select_related("version")
    for arm in arms.iterator():
        arm.messages = leave_out(arm.version.messages, arm.without)
        arm.save(update_fields=["messages"])


class Migration(migrations.Migration):
    dependencies = [("trials", "0001_initial")]

    operations = [
        migrations.AddField("arm", "messages", models.JSONField(default=list)),
        migrations.AddField("output", "outcome_rule", models.PositiveSmallIntegerField(default=0)),
        migrations.AddField("scorerow", "rule", models.PositiveSmallIntegerField(default=0)),
        migrations.AddField("trial", "figures_rule", models.CharField(blank=True, max_length=20)),
        migrations.AddField("trial", "headline", models.JSONField(null=True)),
        migrations.RunPython(write_texts, migrations.RunPython.noop),
    ]
