"""A line that tells of a change of many taken back has the name that fits an import and the rest."""

from django.db import migrations


def rename(apps, schema_editor):
    lines = apps.get_model("ledger", "Line").objects
    lines.filter(what="cases.import_undone").update(what="cases.taken_back")


class Migration(migrations.Migration):
    dependencies = [("ledger", "0002_spentday")]

    operations = [migrations.RunPython(rename, migrations.RunPython.noop)]
