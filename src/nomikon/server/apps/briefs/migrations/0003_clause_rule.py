"""A version's reasons name their clauses by text, too, and by which rule they are numbered."""

from django.db import migrations, models

from nomikon.server.former_parser import RULE, clauses_of


def write_clauses(apps, schema_editor):
    """The clauses that reasons until now stand for, by the parser of their day."""
    versions = apps.get_model("briefs", "Version").objects.exclude(reasons=[])
    for version in versions.select_related("parent").iterator():
        found = clauses_of(version.parent.messages) if version.parent else []
        texts = {c.number: c.text for c in found}
        version.reasons = [
            {**r, "before": texts.get(r.get("clause"), "")} for r in version.reasons
        ]
        version.clause_rule = RULE
        version.save(update_fields=["reasons", "clause_rule"])


class Migration(migrations.Migration):
    dependencies = [("briefs", "0002_instruction_askedquestion")]

    operations = [
        migrations.AddField("version", "clause_rule", models.PositiveSmallIntegerField(default=0)),
        migrations.RunPython(write_clauses, migrations.RunPython.noop),
    ]
