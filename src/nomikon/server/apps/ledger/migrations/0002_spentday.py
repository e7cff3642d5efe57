"""Spend has a running total by day, begun with all that was spent until now."""

from collections import Counter

from django.db import migrations, models
from django.db.models import Sum
from django.db.models.functions import TruncDate

# As lines of calls outside of trials were called on the day of this migration.
SINGLE_CALLS = ("model.tested", "draft.tried", "rounds.asked")


def add_up(apps, schema_editor):
    days = Counter()
    outputs = apps.get_model("trials", "Output")._base_manager.filter(cost_new__gt=0)
    lines = apps.get_model("ledger", "Line").objects.filter(
        what__in=SINGLE_CALLS, cost_nano__gt=0
    )
    for rows, at, cost in ((outputs, "created_at", "cost_new"), (lines, "at", "cost_nano")):
        found = rows.annotate(day=TruncDate(at)).order_by().values("day").annotate(n=Sum(cost))
        for row in found:
            days[row["day"]] += row["n"]
    spent = apps.get_model("ledger", "SpentDay")
    spent.objects.bulk_create([spent(day=day, nano=nano) for day, nano in days.items()])


class Migration(migrations.Migration):
    dependencies = [("ledger", "0001_initial"), ("trials", "0001_initial")]

    operations = [
        migrations.CreateModel(
            name="SpentDay",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("day", models.DateField(unique=True)),
                ("nano", models.PositiveBigIntegerField(default=0)),
            ],
            options={"ordering": ["day"]},
        ),
        migrations.RunPython(add_up, migrations.RunPython.noop),
    ]
