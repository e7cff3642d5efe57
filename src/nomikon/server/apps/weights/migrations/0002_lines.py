"""A weighing keeps the clauses as they were numbered when it was made."""

from django.db import migrations, models

from nomikon.server.former_parser import RULE, clauses_of


def write_lines(apps, schema_editor):
    """Clauses of the versions weighed until now, by the parser of their day."""
    weighings = apps.get_model("weights", "Weighing").objects.select_related("version")
    for weighing in weighings.iterator():
        messages = weighing.version.messages
        found = clauses_of(messages)
        weighing.lines = [
            {
                "number": c.number,
                "role": messages[c.message]["role"],
                "first": i == 0 or found[i - 1].message != c.message,
                "text": c.text,
            }
            for i, c in enumerate(found)
        ]
        weighing.clause_rule = RULE
        weighing.save(update_fields=["lines", "clause_rule"])


class Migration(migrations.Migration):
    dependencies = [("weights", "0001_initial")]

    operations = [
        migrations.AddField("weighing", "lines", models.JSONField(default=list)),
        migrations.AddField("weighing", "clause_rule", models.PositiveSmallIntegerField(default=0)),
        migrations.RunPython(write_lines, migrations.RunPython.noop),
    ]
