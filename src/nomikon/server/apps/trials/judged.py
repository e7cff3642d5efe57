"""Which stored outputs something has still to be asked about: a judgement, or answers to twins."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from nomikon.core.measures import Answer, Turn, read_scorecard
from nomikon.core.measures import Scorecard as ReadCard
from nomikon.core.measures.base import UNREADABLE
from nomikon.core.measures.estimates import Beside, estimate_judging, twins_each
from nomikon.core.measures.judging import lacks_judgement
from nomikon.core.trials import ANSWERED, Outcome
from nomikon.engine.units import HadOutput
from nomikon.server.apps.briefs.models import Scorecard
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.trials.beside_answers import simulated_judging
from nomikon.server.apps.trials.callees import asking_in, judge_models
from nomikon.server.apps.trials.models import Output, ScoreRow, Trial
from nomikon.server.apps.trials.packing import score_in
from nomikon.server.apps.trials.reads import RescorePlanShape


def unjudged_outputs(trial: Trial) -> Iterator[Output]:
    """Answers of a trial without what its scorecard has asked about them; failed ones included.

    What is no answer is never judged.
    """
    card = read_scorecard(trial.scorecard.document)
    names = asking_in(card, trial.purpose)
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
    """Calls and price of what a scorecard has asked about a trial's answers; none where it asks nothing."""
    card = read_scorecard(scorecard.document)
    asking = asking_in(card, trial.purpose)
    judges = judge_models(card) if asking else {}
    answers: list[Answer] = []
    found: list[Output] = []
    if asking:
        found = list(
            Output.objects.filter(arm__trial=trial, outcome=ANSWERED).select_related(
                "revision", "arm__model__connection"
            )
        )
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
    taken += Beside(simulated=simulated_judging(taken, list(judges.values())))
    if len(asking) > len(judges):
        taken += _twins(card, found, answers)
    return {
        "judges": sorted({m.name for m in judges.values()}),
        "twins": len(asking) > len(judges),
        "calls": taken.calls,
        "cost": taken.cost,
        "simulated_cost": taken.simulated,
        "unpriced": list(taken.unpriced),
    }


def _twins(card: ReadCard, found: Sequence[Output], answers: Sequence[Answer]) -> Beside:
    """Answers to twins take about what the answers to their cases took."""
    total = Beside()
    by_arm: dict[int, list[int]] = {}
    for at, output in enumerate(found):
        # What was brought in can be asked nothing.
        if output.arm.model is not None:
            by_arm.setdefault(output.arm_id, []).append(at)
    for places in by_arm.values():
        own = [found[i] for i in places]
        each = twins_each(card, [answers[i] for i in places])
        costs = [o.cost_nominal for o in own]
        cost = None if None in costs else round(sum(c or 0 for c in costs) * each)
        model = own[0].arm.model
        total += Beside(
            round(len(own) * each),
            round(sum(o.tokens_in or 0 for o in own) * each),
            round(sum(o.tokens_out or 0 for o in own) * each),
            cost,
            () if cost is not None or model is None else (model.name,),
            model.simulated_part(cost) if model is not None else 0,
        )
    return total


# The generation of a judge that is asked anew is the trial's number times this, and the press.
PRESSES = 1_000_000


def asked_anew(trial: Trial, outputs: Sequence[Output]) -> dict[int, dict[str, int]]:
    """Judges that could not be read, by output and measure, with the generation to ask them in.

    One for each press on *continue*, and no other trial's: by a key that was asked before the same
    reply would come from the store. Within a press equal questions are one, also after a kill.
    """
    pressed = Line.objects.filter(what="trial.continued", subject="trial", subject_id=trial.pk)
    presses = pressed.count()
    if not presses:
        return {}
    wanted = {o.pk for o in outputs}
    found: dict[int, dict[str, int]] = {}
    # A judge without a weight leaves the total as it is, and is asked anew all the same.
    rows = ScoreRow.objects.filter(output__arm__trial=trial, scorecard=trial.scorecard)
    for pk, packed in rows.values_list("output_id", "packed"):
        for name, row in packed.items() if pk in wanted else ():
            if score_in(row).code == UNREADABLE:
                found.setdefault(pk, {})[name] = trial.pk * PRESSES + presses
    return found


def had_output(output: Output, anew: Mapping[str, int] | None = None) -> HadOutput:
    """An output as the engine takes it to be judged. anew: as `asked_anew` tells it."""
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
        dict(anew or {}),
    )
