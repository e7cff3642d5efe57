"""What a weighing found: each clause's weight in score and tokens, pairs, and the strike test."""

from __future__ import annotations

import math

from nomikon.core.prompts import settings_in_short
from nomikon.core.results import weights
from nomikon.core.stats import PairComparison
from nomikon.core.stats.clause_weights import (
    HURTS,
    NOTHING,
    REDUNDANT,
    ClauseWeights,
)
from nomikon.core.stats.words import no_worse
from nomikon.core.trials.estimates import cost_nano
from nomikon.server.apps.trials.models import COMPLETE, Output
from nomikon.server.apps.trials.results import figures_of, results_of
from nomikon.server.apps.weights.models import Strike, Weighing
from nomikon.server.apps.weights.planning import tokens_of
from nomikon.server.apps.weights.reads import (
    ClausePairShape,
    ClauseWeightShape,
    StrikeShape,
    StruckPairShape,
    WeighingRow,
    WeighingShape,
)

# Arms that a strike test spends on pairs.
MOST_PAIRS_TESTED = 6


def weights_in(weighing: Weighing) -> ClauseWeights | None:
    """The weights by unit; None until the screening is complete."""
    trial = weighing.trial
    if trial.state != COMPLETE:
        return None
    units = [frozenset(u) for u in weighing.units]
    left_out = tuple(
        frozenset(i for i, unit in enumerate(units) if unit <= set(without))
        for without in trial.arms.order_by("position").values_list("without", flat=True)
    )
    return weights(results_of(trial), left_out, len(units))


def weighing_facts(weighing: Weighing) -> WeighingRow:
    """What a weighing is and how far it has come, without its figures."""
    trial = weighing.trial
    arm = trial.arms.select_related("model__connection").order_by("position").first()
    assert arm is not None
    return {
        "id": weighing.pk,
        "version": weighing.version.number,
        "model": arm.asked_model.name,
        "simulated": arm.asked_model.is_simulated,
        "settings_short": settings_in_short(arm.settings),
        "trial": trial.pk,
        "trial_number": trial.number,
        "state": trial.state,
        "message": trial.message,
        "done": Output.objects.filter(arm__trial=trial).count(),
        "of": trial.n_outputs,
        "rows": trial.arms.count(),
        "n_cases": trial.n_cases,
        "repeats": trial.repeats,
        "scorecard": trial.scorecard.number,
        "margin": float(trial.scorecard.document.get("margin", 0.05)),
        "created_at": weighing.created_at,
        "created_by": weighing.created_by,
    }


def weighing_detail(weighing: Weighing) -> WeighingShape:
    """A weighing whole: its clauses with their weights, pairs, what could be struck, its tests."""
    found = weights_in(weighing)
    arm = weighing.trial.arms.select_related("model").order_by("position").first()
    assert arm is not None
    own = {w.unit: w for w in found.weights} if found else {}
    clauses: list[ClauseWeightShape] = []
    for unit, numbers in enumerate(weighing.units):
        tokens = tokens_of(weighing.lines, numbers)
        w = own.get(unit)
        clauses.append(
            {
                "clauses": numbers,
                "tokens": tokens,
                "cost_per_1000": cost_nano(1000 * tokens, 0, arm.price_in_nano, arm.price_out_nano),
                "weight": w.weight if w else None,
                "low": w.low if w else None,
                "high": w.high if w else None,
                "p_holm": w.p_holm if w else None,
                "verdict": w.verdict if w else "",
            }
        )
    return {
        **weighing_facts(weighing),
        "lines": weighing.lines,
        "clauses": clauses,
        "locked": [{"clause": n, "why": why} for n, why in weighing.locked],
        "pairs": _pairs(weighing, found),
        "full": found.full if found else None,
        "n_used": found.n_cases if found else 0,
        "n_dropped": found.n_dropped if found else 0,
        "pairs_met": found.pairs_met if found else 0,
        "pairs_of": found.pairs_of if found else 0,
        "misfit": found.misfit if found else 0.0,
        "why_null": found.why_null or "" if found else "",
        "strikable": strikable(weighing, found),
        "strikes": [_strike(s) for s in weighing.strikes.select_related("trial__scorecard")],
    }


def strikable(weighing: Weighing, found: ClauseWeights | None) -> list[int]:
    """Numbers of the clauses that do nothing or hurt: what a strike test begins with."""
    told = found.weights if found else []
    return sorted(n for w in told if w.verdict in (NOTHING, HURTS) for n in weighing.units[w.unit])


def suspected_pairs(weighing: Weighing) -> list[list[int]]:
    """Clause numbers of pairs that may say the same: each is tested by itself."""
    found = weights_in(weighing)
    same = [p for p in (found.pairs if found else []) if p.kind == REDUNDANT]
    pairs = [
        sorted([*weighing.units[a], *weighing.units[b]]) for p in same for a, b in p.candidates
    ]
    return pairs[:MOST_PAIRS_TESTED]


def _pairs(weighing: Weighing, found: ClauseWeights | None) -> list[ClausePairShape]:
    return [
        {
            "kind": p.kind,
            "candidates": [[weighing.units[a], weighing.units[b]] for a, b in p.candidates],
            "extra": p.extra,
            "low": p.low,
            "high": p.high,
            "p_holm": p.p_holm,
        }
        for p in (found.pairs if found else [])
    ]


def _strike(strike: Strike) -> StrikeShape:
    trial = strike.trial
    told: StrikeShape = {
        "id": strike.pk,
        "trial": trial.pk,
        "trial_number": trial.number,
        "state": trial.state,
        "message": trial.message,
        "done": Output.objects.filter(arm__trial=trial).count(),
        "of": trial.n_outputs,
        "n_cases": trial.n_cases,
        "clauses": strike.clauses,
        "tokens": tokens_of(strike.weighing.lines, strike.clauses),
        "difference": None,
        "low": None,
        "high": None,
        "no_worse": None,
        "pairs": [],
        "words": "",
    }
    arms = list(trial.arms.order_by("position"))
    found = figures_of(trial, against=arms[0]) if trial.state == COMPLETE else None
    if found is None:
        return told
    compared = {c.a: c for c in found.comparisons}
    margin = float(trial.scorecard.document.get("margin", 0.05))
    main = next((a for a in arms[1:] if a.without == strike.clauses), None)
    figures = compared.get(str(main.pk)) if main else None
    if figures is not None and figures.low is not None and figures.high is not None:
        told["difference"], told["low"], told["high"] = (
            figures.difference,
            figures.low,
            figures.high,
        )
        told["no_worse"] = no_worse(figures, margin)
        told["words"] = _in_words(figures.difference or 0.0, figures.low, figures.high, margin)
    found_weights = weights_in(strike.weighing)
    told["pairs"] = [
        _pair_tested(strike.weighing, found_weights, a.without, compared[str(a.pk)])
        for a in arms[1:]
        if a.without in strike.pairs and str(a.pk) in compared
    ]
    return told


def _pair_tested(
    weighing: Weighing,
    found: ClauseWeights | None,
    numbers: list[int],
    figures: PairComparison,
) -> StruckPairShape:
    """What is lost without both, beyond the sum of what each is worth alone.

    The two come from different answers, so their half widths add as squares.
    """
    own = {
        w.unit: w
        for w in (found.weights if found else [])
        if set(weighing.units[w.unit]) <= set(numbers)
    }
    alone = sum(w.weight for w in own.values()) if own else None
    told: StruckPairShape = {
        "clauses": numbers,
        "difference": figures.difference,
        "low": figures.low,
        "high": figures.high,
        "alone": alone,
        "matters": False,
    }
    if figures.difference is None or figures.high is None or alone is None:
        return told
    extra = -figures.difference - alone
    half = math.hypot(figures.high - figures.difference, *(w.high - w.weight for w in own.values()))
    told["matters"] = extra - half > 0
    return told


def _in_words(difference: float, low: float, high: float, margin: float) -> str:
    if low > -margin:
        least = max(0.0, -low)
        return (
            f"No worse within the margin of {margin:g}: without them all the prompt scores at most "
            f"{least:.3f} lower by the interval."
        )
    if high < 0:
        return (
            f"They are worth something together: without them all the prompt scores "
            f"{-difference:.3f} lower, though each alone seems to do nothing. Some of them say the "
            "same: keep one of each pair and test again."
        )
    return (
        f"Not shown: by the interval the prompt may score {-low:.3f} lower without them, more than "
        f"the margin of {margin:g}. More cases would tell."
    )
