"""Sets of twins, their rows, and what trials on them showed, as they are told."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.db.models import Count, Q, QuerySet
from rapidfuzz.distance import Levenshtein

from nomikon.core import twins as made_twins
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.trials.facts import names_in
from nomikon.server.apps.trials.models import TWINS, Arm, Output, Trial
from nomikon.server.apps.twins.choosing import (
    LONGEST_COMPARED,
    Making,
    first_text,
    unmade_by_kind,
    words_between,
)
from nomikon.server.apps.twins.models import Twin, TwinSet
from nomikon.server.apps.twins.pairing import Judged, JudgedPair, arms_of, judged, texts_of
from nomikon.server.apps.twins.reads import (
    HeldArm,
    HeldCase,
    HeldComparison,
    HeldPair,
    HeldShape,
    TwinExample,
    TwinKind,
    TwinRun,
    TwinSetShape,
    TwinShape,
    TwinsLook,
)

PAGE = 40
MOST_CASES = 200


def look_of(made: Making) -> TwinsLook:
    """What would be made, kind by kind, each with its first example."""
    numbers = {str(e.revision_id): e.revision for e in made.entries}
    why = unmade_by_kind(made.unmade)
    kinds: list[TwinKind] = []
    for kind in made.kinds:
        own = [t for t in made.twins if t.kind == kind]
        first = own[0] if own else None
        kinds.append(
            {
                "kind": kind,
                "what": made_twins.what_of(kind),
                "expects": sorted({t.expects for t in own}),
                "n": len(own),
                "unmade": [{"why": w, "n": n} for w, n in why.get(kind, [])],
                "example": _example(first, numbers),
            }
        )
    return {"n_cases": len(made.entries), "n_twins": len(made.twins), "kinds": kinds}


def _example(twin: made_twins.Twin | None, by_id: Mapping[str, CaseRevision]) -> TwinExample | None:
    if twin is None:
        return None
    of, name = by_id[twin.case], twin.about["input"]
    return {
        "case": of.case.number,
        "words": words_between(first_text(of.inputs, name), first_text(twin.inputs, name)),
    }


def set_facts(found: TwinSet) -> TwinSetShape:
    """A set and the trials on it."""
    counts = found.twins.aggregate(
        n=Count("pk"), left=Count("pk", filter=Q(left=True)), cases=Count("original", distinct=True)
    )
    return {
        "id": found.pk,
        "of": found.of.dataset.name,
        "of_dataset": found.of.dataset_id,
        "dataset": found.dataset_id,
        "n_cases": counts["cases"],
        "n_twins": counts["n"],
        "n_left": counts["left"],
        "each": found.each,
        "seed": found.seed,
        "created_at": found.created_at,
        "created_by": found.created_by,
        "kinds": [{"kind": k, "what": made_twins.what_of(k), "n": n} for k, n in _kinds(found)],
        "runs": [_run(t) for t in trials_of(found).order_by("-pk")],
    }


def _kinds(found: TwinSet) -> list[tuple[str, int]]:
    """Kinds that it holds, in the order in which they were made."""
    counts = dict(found.twins.values_list("kind").annotate(n=Count("pk")).order_by())
    return [(k, counts[k]) for k in found.kinds if k in counts]


def trials_of(found: TwinSet) -> QuerySet[Trial]:
    """The trials that asked it."""
    return Trial.objects.filter(dataset_version__dataset=found.dataset_id, purpose=TWINS)


def _run(trial: Trial) -> TwinRun:
    return {
        "trial": trial.pk,
        "number": trial.number,
        "state": trial.state,
        "done": Output.objects.filter(arm__trial=trial).count(),
        "of_outputs": trial.n_outputs,
        "arms": list(names_in(arms_of(trial)).values()),
        "created_at": trial.created_at,
    }


def twin_rows(twins: Sequence[Twin]) -> list[TwinShape]:
    """Twins as they are told, in the order given."""
    ids = {pk for t in twins for pk in (t.revision_id, t.original_id)}
    revisions = CaseRevision.objects.select_related("case").in_bulk(ids)
    return [_twin_row(t, revisions) for t in twins]


def _twin_row(twin: Twin, revisions: Mapping[int, CaseRevision]) -> TwinShape:
    revision, original = revisions[twin.revision_id], revisions[twin.original_id]
    name = str(twin.about.get("input", ""))
    return {
        "id": twin.pk,
        "case": original.case.number,
        "number": revision.case.number,
        "kind": twin.kind,
        "what": made_twins.what_of(twin.kind),
        "expects": twin.expects,
        "about": twin.about,
        "token": twin.token,
        "left": twin.left,
        "input": name,
        "words": words_between(
            first_text(original.inputs, name), first_text(revision.inputs, name)
        ),
    }


def held_facts(found: TwinSet, trial: Trial, arm: int | None) -> HeldShape:
    """What a trial on the twins shows. arm: whose cases are told; its first without it."""
    told = judged(found, trial)
    arms = arms_of(trial)
    names = names_in(arms)
    of = arm if arm in names else (arms[0].pk if arms else None)
    rows = _cases(told, of)
    return {
        "state": trial.state,
        "done": Output.objects.filter(arm__trial=trial).count(),
        "of_outputs": trial.n_outputs,
        "trial_number": trial.number,
        "arms": [_arm(told, a, names[a.pk]) for a in arms],
        "kinds": [
            {
                "kind": kind,
                "what": made_twins.what_of(kind),
                "cells": [
                    {
                        "arm": int(s.arm),
                        "share": s.share,
                        "low": s.low,
                        "high": s.high,
                        "holds": s.holds,
                        "broken": s.broken,
                        "unknown": s.unknown,
                    }
                    for s in told.shares.by_kind
                    if s.kind == kind
                ],
            }
            for kind in dict.fromkeys(s.kind for s in told.shares.by_kind)
        ],
        "comparisons": _comparisons(told),
        "cases": rows[:MOST_CASES],
        "cases_of": of,
        "n_cases": len(rows),
    }


def _arm(told: Judged, arm: Arm, name: str) -> HeldArm:
    own = [p for p in told.pairs if p.arm == arm.pk]
    summary = next((a for a in told.shares.arms if a.arm == str(arm.pk)), None)
    known = [p for p in own if p.holds is not None]
    return {
        "arm": arm.pk,
        "name": name,
        "version": arm.asked_version.number,
        "model": arm.asked_model.name,
        "simulated": arm.asked_model.is_simulated,
        "share": summary.mean if summary else None,
        "low": summary.low if summary else None,
        "high": summary.high if summary else None,
        "holds": sum(p.holds == 1 for p in known),
        "broken": sum(p.holds != 1 for p in known),
        "unknown": len(own) - len(known),
        "obeyed": sum(p.pair.obeyed for p in own),
        "n_orders": sum(p.kind.startswith("order-") for p in known),
    }


def _comparisons(told: Judged) -> list[HeldComparison]:
    rows: list[HeldComparison] = []
    for c in told.shares.comparisons:
        shown = c.p_holm is not None and c.p_holm <= 0.05
        rows.append(
            {
                "arm": int(c.a),
                "against": int(c.b),
                "difference": c.difference,
                "low": c.low,
                "high": c.high,
                "shown": "not shown"
                if not shown or not c.difference
                else "better"
                if c.difference > 0
                else "worse",
            }
        )
    return rows


def _cases(told: Judged, arm: int | None) -> list[HeldCase]:
    """Case × kind of one arm, the case that breaks most first."""
    numbers = dict(
        CaseRevision.objects.filter(pk__in={int(p.case) for p in told.pairs}).values_list(
            "pk", "case__number"
        )
    )
    found: dict[str, HeldCase] = {}
    for p in told.pairs:
        if p.arm != arm or p.holds is None:
            continue
        row = found.setdefault(p.case, {"case": numbers[int(p.case)], "cells": {}, "broken": 0})
        cell = row["cells"].setdefault(p.kind, [0, 0])
        broken = p.holds != 1
        cell[broken] += 1
        row["broken"] += broken
    return sorted(found.values(), key=lambda r: (-r["broken"], r["case"]))


def pair_rows(
    found: TwinSet,
    trial: Trial,
    *,
    arm: int = 0,
    kind: str = "",
    case: int = 0,
    only: str = "all",
    first: int = 0,
) -> tuple[int, list[HeldPair]]:
    """How many pairs are as asked, and a page of them. only: broken, unknown, obeyed, or all."""
    told = judged(found, trial).pairs
    twins = {t.pk: t for t in found.twins.select_related("original__case", "revision")}
    wanted = [
        p
        for p in told
        if (not arm or p.arm == arm)
        and (not kind or p.kind == kind)
        and (not case or twins[p.twin].original.case.number == case)
        and _is(p, only)
    ]
    if only == "broken":
        # The smallest change that breaks a case says most: the twins that were changed least come first.
        sizes = {t.pk: _size(t) for t in twins.values()}
        wanted.sort(key=lambda p: sizes[p.twin])
    page = wanted[first : first + PAGE]
    texts = texts_of([pk for p in page for pk in (p.before, p.after) if pk])
    rows = {r["id"]: r for r in twin_rows([twins[p.twin] for p in page])}
    return len(wanted), [
        {
            **rows[p.twin],
            "arm": p.arm,
            "holds": p.holds,
            "why": p.pair.why,
            "obeyed": p.pair.obeyed,
            "answer": texts.get(p.before or 0, ""),
            "answer_words": words_between(
                texts.get(p.before or 0, ""), texts.get(p.after or 0, "")
            ),
            "output": p.after,
        }
        for p in page
    ]


def _size(twin: Twin) -> int:
    """By how much the changed input is longer, shorter or otherwise, roughly and quickly."""
    name = str(twin.about.get("input", ""))
    before = first_text(twin.original.inputs, name)
    after = first_text(twin.revision.inputs, name)
    if len(before) + len(after) > LONGEST_COMPARED:
        return len(before) + len(after)
    return int(Levenshtein.distance(before, after))


def _is(p: JudgedPair, only: str) -> bool:
    if only == "broken":
        return p.holds is not None and p.holds != 1
    if only == "unknown":
        return p.holds is None
    return only != "obeyed" or p.pair.obeyed
