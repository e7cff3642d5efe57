"""What it takes to ask versions on models the twins of a set and the cases they are twins of."""

from __future__ import annotations

from collections.abc import Sequence

from nomikon.core.errors import PlanError
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.models import WORKING
from nomikon.server.apps.trials.models import TWINS
from nomikon.server.apps.trials.planning import ArmChoice, Plan, entries_of, plan_of, scorecard_of
from nomikon.server.apps.twins.models import TwinSet


def plan_twins(
    found: TwinSet, versions: Sequence[int], models: Sequence[int], repeats: int
) -> Plan:
    """Every version on every model, on the twins that were not left and their cases.

    versions: numbers; models: ids. The first version is what the others are held against. Raises
    PlanError with the field.
    """
    brief = found.brief
    own = {v.number: v for v in brief.versions.filter(number__in=versions)}
    missing = [n for n in versions if n not in own]
    if missing or not versions:
        what = f"there is no version {missing[0]}" if missing else "choose a version"
        raise PlanError(what, field="versions")
    asked = {m.pk: m for m in Model.objects.select_related("connection").filter(pk__in=models)}
    if not models or any(m not in asked for m in models):
        raise PlanError("choose a model that is there", field="models")
    twins = dict(found.twins.filter(left=False).values_list("revision_id", "original_id"))
    if not twins:
        raise PlanError("all twins of this set were left: take some of them", field="twins")
    wanted = {*twins, *twins.values()}
    version = found.dataset.versions.order_by("-number")[0]
    entries = [e for e in entries_of(version, WORKING) if e.revision_id in wanted]
    arms = [
        ArmChoice(own[v], asked[m], dict(own[v].settings))
        for v in dict.fromkeys(versions)
        for m in dict.fromkeys(models)
    ]
    return plan_of(
        brief,
        arms,
        version,
        WORKING,
        entries,
        scorecard_of(brief, None),
        repeats=repeats,
        seed=found.seed,
        purpose=TWINS,
        sampled=True,
        reference=0,
    )
