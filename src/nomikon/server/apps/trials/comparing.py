"""Two arms compared: the figures, the words, and the cases where they differ."""

from __future__ import annotations

from typing import Any

from nomikon.core.measures import TOTAL
from nomikon.core.results import ResultTable, case_scores, compared, differences
from nomikon.core.stats import PairComparison
from nomikon.core.stats.signflip import TIE
from nomikon.core.stats.words import (
    no_worse,
    no_worse_in_words,
    told_in_short,
    verdict_in_words,
)
from nomikon.server.apps.trials.board import gist
from nomikon.server.apps.trials.cases import cases_of
from nomikon.server.apps.trials.facts import arm_facts, names_apart, names_of
from nomikon.server.apps.trials.models import COMPLETE, Arm, Output, Trial
from nomikon.server.apps.trials.repeated import earlier_of, twin_of
from nomikon.server.apps.trials.results import results_of


def comparison_of(trial: Trial, a: Arm, b: Arm) -> dict[str, Any]:
    """a against b: the figures, and the cases where they differ, greatest loss first."""
    table = results_of(trial)
    result = compared(table, TOTAL, str(b.pk))
    figures = next((c for c in result.comparisons if c.a == str(a.pk)), None) if result else None
    told = _in_words(trial, figures, a, b)
    changed = _changed(trial, table, a, b)
    arms = {str(x.pk): x for x in trial.arms.select_related("version", "model__connection")}
    family = result.comparisons if result else []
    names = names_of(trial.pk)
    return {
        "family": [
            {**c.__dict__, "a": int(c.a), "b": int(c.b), "arm": arm_facts(arms[c.a], names)}
            for c in family
        ],
        "a": arm_facts(a, names),
        "b": arm_facts(b, names),
        "complete": trial.state == COMPLETE,
        "n_family": result.n_family if result else 0,
        "widened": _widened(trial, b, result.n_family if result else 0),
        **told,
        "figures": figures and {**figures.__dict__, "a": a.pk, "b": b.pk},
        "changed": changed,
        "earlier": _first_of(trial, a, b),
    }


def _first_of(trial: Trial, a: Arm, b: Arm) -> dict[str, Any] | None:
    """What the first trial that compared these two said, where this one came later."""
    for first in earlier_of(trial):
        mine, other = twin_of(a, first), twin_of(b, first)
        if mine is None or other is None:
            continue
        result = compared(results_of(first), TOTAL, str(other.pk))
        rows = result.comparisons if result else []
        found = next((c for c in rows if c.a == str(mine.pk)), None)
        told = _in_words(first, found, mine, other)
        return {"trial": first.pk, "trial_number": first.number, "words": told["words"]}
    return None


def _widened(trial: Trial, b: Arm, n_family: int) -> str:
    """What choosing another reference than the plan's costs, in words; "" where it is the plan's."""
    n_arms = trial.arms.count()
    if n_arms < 3 or trial.reference_id == b.pk:
        return ""
    named = (
        "This trial's plan named no arm that the others are held against"
        if trial.reference_id is None
        else "The plan holds the others against another arm"
    )
    return (
        f"{named}; chosen after looking, this comparison is corrected over all {n_family} pairs of "
        f"its {n_arms} arms."
    )


def _in_words(trial: Trial, figures: PairComparison | None, a: Arm, b: Arm) -> dict[str, Any]:
    """What the figures say, by rule; no worse within the margin only once a trial is complete."""
    margin = float(trial.scorecard.document.get("margin", 0.05))
    names = names_apart(a, b)
    complete = trial.state == COMPLETE
    level = results_of(trial).alpha
    judged = figures is not None and complete and figures.low is not None
    return {
        "margin": margin,
        "level": level,
        "words": verdict_in_words(figures, names[0], names[1], complete=complete, level=level),
        "short": told_in_short(
            figures, names[0], names[1], complete=complete, margin=margin, level=level
        ),
        "no_worse": no_worse(figures, margin) if figures is not None and judged else None,
        "no_worse_words": no_worse_in_words(figures, margin, names[0], names[1])
        if figures is not None and judged
        else "",
    }


def _changed(trial: Trial, table: ResultTable, a: Arm, b: Arm) -> list[dict[str, Any]]:
    """Cases that the two score differently, the greatest loss first, each with its first answers."""
    scores = {arm: case_scores(table, str(arm.pk)) for arm in (a, b)}
    apart = {
        int(case): difference
        for case, difference in differences(table, str(a.pk), str(b.pk)).items()
        if abs(difference) > TIE
    }
    first: dict[tuple[int, int], tuple[int, str]] = {}
    rows = (
        Output.objects.filter(arm__in=[a, b], revision__in=apart)
        .order_by("repeat")
        .values_list("arm_id", "revision_id", "id", "text")
    )
    for arm_id, revision, pk, text in rows:
        first.setdefault((arm_id, revision), (pk, text))

    read = set(
        Output.objects.filter(arm=a, marks__current=True).values_list("revision_id", flat=True)
    )

    def side(arm: Arm, revision: int) -> dict[str, Any]:
        pk, text = first[arm.pk, revision]
        return {"output": pk, "score": scores[arm][str(revision)], "text": text}

    cases = cases_of(trial).values_list(
        "revision_id",
        "revision__case__number",
        "revision__case__own_id",
        "revision__inputs",
        "revision__reference",
    )
    changed = [
        {
            "revision": revision,
            "number": number,
            "id": own,
            "text": gist(inputs),
            "reference": reference,
            "difference": apart[revision],
            "a": side(a, revision),
            "b": side(b, revision),
            "read": revision in read,
        }
        for revision, number, own, inputs, reference in cases
        if revision in apart
    ]
    return sorted(changed, key=lambda c: (c["difference"], c["number"]))
