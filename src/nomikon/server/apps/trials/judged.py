"""Which stored outputs their judges have still to be asked about."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from nomikon.core.measures import Answer, Turn, read_scorecard
from nomikon.core.measures.estimates import estimate_judging
from nomikon.core.measures.judging import lacks_judgement
from nomikon.core.trials import ANSWERED, Outcome
from nomikon.engine.units import HadOutput
from nomikon.server.apps.briefs.models import Scorecard
from nomikon.server.apps.trials.callees import judge_models
from nomikon.server.apps.trials.models import Output, ScoreRow, Trial
from nomikon.server.apps.trials.packing import score_in
from nomikon.server.apps.trials.reads import RescorePlanShape


def unjudged_outputs(trial: Trial) -> Iterator[Output]:
    """Answers of a trial without a judgement that its scorecard wants; failed ones included.

    What is no answer is never judged.
    """
    card = read_scorecard(trial.scorecard.document)
    names = [name for name, _ in card.judged]
    if not names:
        return
    answers = Output.objects.filter(arm__trial=trial, outcome=ANSWERED)
    scored = ScoreRow.objects.filter(output__in=answers, scorecard=trial.scorecard)
    packed = dict(scored.values_list("output_id", "packed"))
    for output in answers.order_by("id").iterator(chunk_size=500):
        row = packed.get(output.pk)
        if row is None or any(_lacks(row, n) for n in names):
            yield output


def _lacks(row: dict[str, Any], name: str) -> bool:
    return name not in row or lacks_judgement(score_in(row[name]))


def count_unjudged(trial: Trial) -> int:
    """How many there are."""
    return sum(1 for _ in unjudged_outputs(trial))


def judging_plan(trial: Trial, scorecard: Scorecard) -> RescorePlanShape:
    """Calls and price of having a trial's answers judged by a scorecard; none without judges."""
    card = read_scorecard(scorecard.document)
    judges = judge_models(card)
    answers = []
    if judges:
        found = Output.objects.filter(arm__trial=trial, outcome=ANSWERED).select_related("revision")
        answers = [
            Answer(
                o.text,
                o.revision.reference,
                o.revision.inputs,
                turns=tuple(Turn(role, text) for role, text in o.turns),
            )
            for o in found
        ]
    taken = estimate_judging(
        card, answers, 1, {n: (m.price_in_nano, m.price_out_nano) for n, m in judges.items()}
    )
    return {
        "judges": sorted({m.name for m in judges.values()}),
        "calls": taken.calls,
        "cost": taken.cost,
        "simulated_cost": (taken.cost or 0) if all(m.is_simulated for m in judges.values()) else 0,
        "unpriced": list(taken.unpriced),
    }


def had_output(output: Output) -> HadOutput:
    """An output as the engine takes it to be judged."""
    return HadOutput(
        str(output.pk),
        output.text,
        output.finish_reason or None,
        Outcome(output.outcome, output.why, output.suspected),
        tuple(Turn(role, text) for role, text in output.turns),
        output.tokens_in,
        output.tokens_out,
        output.cost_nominal,
        output.latency_ms,
    )
