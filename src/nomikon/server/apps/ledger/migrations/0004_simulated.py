"""What simulated models cost is told apart, where it was spent and by day."""

from collections import Counter

from django.db import migrations, models
from django.db.models import Q, Sum
from django.db.models.functions import TruncDate

# It tells what a trial's calls cost together; each was counted when it was stored.
TOLD_BEFORE = "trial.ended"
# Until now only these calls outside of trials were counted by day.
COUNTED = ("model.tested", "draft.tried", "rounds.asked")


def tell_apart(apps, schema_editor):
    line = apps.get_model("ledger", "Line")
    spent = apps.get_model("ledger", "SpentDay")
    trial = apps.get_model("trials", "Trial")
    call = apps.get_model("trials", "Call")
    simulated = _simulated(apps)
    known = list(apps.get_model("connections", "Model").objects.all())
    names = {m.name for m in known} - {m.name for m in known if m.pk not in simulated}
    whole, part = Counter(), Counter()
    paid = line.objects.filter(cost_nano__gt=0).exclude(what=TOLD_BEFORE)
    for row in list(paid.annotate(day=TruncDate("at"))):
        asked = row.facts.get("models") or [row.facts.get("model") or row.facts.get("name") or ""]
        # Of a line on real and simulated models together nothing more is known: it counts as paid.
        row.simulated_nano = row.cost_nano if names.issuperset(asked) else 0
        if row.what not in COUNTED:
            whole[row.day] += row.cost_nano
        part[row.day] += row.simulated_nano
        line.objects.filter(pk=row.pk).update(simulated_nano=row.simulated_nano)
    of_trial = Counter()
    calls = (
        call.objects.annotate(day=TruncDate("answered_at"))
        .order_by()
        .values("day", "asked_model", "output__arm__model", "output__arm__trial")
        .annotate(own=Sum("cost", filter=Q(reused_from=None)), wasted=Sum("wasted_cost"))
    )
    for row in calls:
        if (row["asked_model"] or row["output__arm__model"]) not in simulated:
            continue
        own = (row["own"] or 0) + (row["wasted"] or 0)
        part[row["day"]] += own
        of_trial[row["output__arm__trial"]] += own
    for pk, nano in of_trial.items():
        found = trial.objects.get(pk=pk)
        nano = min(nano, found.spent_nano)
        told = min(nano, found.ledgered_nano)
        trial.objects.filter(pk=pk).update(simulated_nano=nano, ledgered_simulated_nano=told)
        _tell_lines(line, pk, told)
    for day in set(whole) | set(part):
        row, _ = spent.objects.get_or_create(day=day)
        row.nano += whole[day]
        row.simulated_nano = min(part[day], row.nano)
        row.save()


def _tell_lines(line, trial, nano):
    """The lines of a trial's ends, the oldest first, for as long as there is something to tell."""
    ended = line.objects.filter(what=TOLD_BEFORE, subject="trial", subject_id=trial)
    for row in ended.filter(cost_nano__gt=0).order_by("id"):
        own = min(nano, row.cost_nano)
        line.objects.filter(pk=row.pk).update(simulated_nano=own)
        nano -= own


def _simulated(apps):
    found = apps.get_model("connections", "Model").objects.select_related("connection")
    return {m.pk for m in found if m.simulated or m.connection.simulated}


class Migration(migrations.Migration):
    dependencies = [
        ("ledger", "0003_taken_back"),
        ("trials", "0008_simulated"),
        ("connections", "0003_as_real_servers_are"),
    ]

    operations = [
        migrations.AddField("line", "simulated_nano", models.PositiveBigIntegerField(default=0)),
        migrations.AddField("spentday", "simulated_nano", models.PositiveBigIntegerField(default=0)),
        migrations.RunPython(tell_apart, migrations.RunPython.noop),
    ]
