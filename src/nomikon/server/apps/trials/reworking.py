"""Stored outcomes and scores of a trial brought to the rules of today, from raw text, without a call.

Figures never mix revisions of a rule: whoever tells any figure of a trial, or lets it go on,
brings it up first. What was stored before is kept as replaced, what judges said stays, and
the ledger says how much has changed.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import F

from nomikon.core.rules import OUTCOME_RULE, figures_rule
from nomikon.core.trials import Piece, ReadAnswer, read_answer
from nomikon.engine.units import ANSWER
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.ledger.write import emit, write_ledger
from nomikon.server.apps.trials.models import Call, Output, ScoreRow, Trial
from nomikon.server.apps.trials.rescoring import PAUSE_S, regroup_waiting, rescore_old
from nomikon.server.apps.trials.settling import as_ruled, rulings_of

BATCH = 500
ACTOR = "program"
WHAT = "trial.reworked"


@dataclass(frozen=True)
class Reworked:
    """How many outcomes (or texts) and how many scores are others than before."""

    outcomes: int
    scores: int


def bring_figures_up(trial: Trial, now: datetime, *, told: bool = True) -> Reworked | None:
    """Work out anew what was stored by former rules; None where nothing had to be.

    told: whether the ledger says so; not where it is the rest of an act that it tells already.

    In batches, each a transaction of its own: broken off, it goes on where it was. Two at
    once do no harm, since each batch looks again at what is still old.
    """
    if trial.figures_rule == figures_rule():
        return None
    outcomes = scores = 0
    while some := _reread(trial):
        outcomes += some[1]
        time.sleep(PAUSE_S)
    while found := rescore_old(trial, BATCH):
        scores += found[1]
        time.sleep(PAUSE_S)
    # What was broken off between its scores and those of its group.
    regroup_waiting(trial)
    with transaction.atomic():
        changed = bool(outcomes or scores)
        Trial.objects.filter(pk=trial.pk).update(
            figures_rule=figures_rule(), scores_changed=F("scores_changed") + changed
        )
        if changed and told:
            write_ledger(
                WHAT,
                trial,
                actor=ACTOR,
                now=now,
                brief=trial.brief,
                facts={"trial": trial.number, "outcomes": outcomes, "scores": scores},
            )
            emit(f"trial:{trial.pk}", "reworked", {}, now=now)
    trial.refresh_from_db(fields=["figures_rule", "scores_changed"])
    return Reworked(outcomes, scores)


def last_reworked(trial: Trial) -> dict[str, Any] | None:
    """When a trial was last worked out anew, and what that changed; None where it never was."""
    line = Line.objects.filter(what=WHAT, subject="trial", subject_id=trial.pk).first()
    if line is None:
        return None
    return {
        "at": line.at,
        "outcomes": line.facts["outcomes"],
        "scores": line.facts["scores"],
    }


@transaction.atomic
def _reread(trial: Trial) -> tuple[int, int] | None:
    """One batch of answers read anew from their calls: how many, and how many read otherwise."""
    outputs = list(
        Output.objects.filter(arm__trial=trial, failure="")
        .exclude(outcome_rule=OUTCOME_RULE)
        .select_related("arm__model")
        .order_by("id")[:BATCH]
    )
    if not outputs:
        return None
    pieces = _pieces([o.pk for o in outputs])
    rulings = rulings_of(trial.brief_id)
    changed = []
    for output in outputs:
        if output.pk not in pieces:
            continue
        reasoning = output.arm.asked_model.reasoning
        read = read_answer(pieces[output.pk], output.arm.settings.get("stop", ()), reasoning)
        read = replace(read, outcome=as_ruled(read.outcome, read.text, rulings))
        if _differs(output, read):
            _take_over(output, read)
            changed.append(output)
    Output.objects.bulk_update(
        changed,
        [
            "text",
            "reasoning",
            "turns",
            "outcome",
            "suspected",
            "why",
            "finish_reason",
        ],
        batch_size=BATCH,
    )
    ids = [o.pk for o in outputs]
    Output.objects.filter(pk__in=ids).update(outcome_rule=OUTCOME_RULE)
    # Whatever card they were scored by: a score of another text is none.
    ScoreRow.objects.filter(output__in=[o.pk for o in changed]).update(rule=0)
    return len(outputs), len(changed)


def _differs(output: Output, read: ReadAnswer) -> bool:
    then = (output.text, output.reasoning, output.outcome, output.suspected, output.why)
    now = (
        read.text,
        read.reasoning,
        read.outcome.kind,
        read.outcome.suspected,
        read.outcome.why,
    )
    return then != now or output.finish_reason != (read.finish_reason or "")[:40]


def _take_over(output: Output, read: ReadAnswer) -> None:
    output.text, output.finish_reason = read.text, (read.finish_reason or "")[:40]
    output.reasoning = read.reasoning
    output.outcome, output.why = read.outcome.kind, read.outcome.why
    output.suspected = read.outcome.suspected
    if output.turns and output.turns[-1][0] == "assistant":
        output.turns = [*output.turns[:-1], ["assistant", read.text]]


def _pieces(outputs: Sequence[int]) -> dict[int, list[Piece]]:
    """For each output the raw replies that its answer was made of: the last call that asked for
    an answer, with the continuations after it."""
    calls = (
        Call.objects.filter(output__in=outputs, part=ANSWER, failure="")
        .order_by("output_id", "position")
        .values_list(
            "output_id",
            "continues",
            "text",
            "finish_reason",
            "reasoning",
            "refusal",
            "tool_calls",
        )
    )
    found: dict[int, list[Piece]] = {}
    for output, continues, text, finish, reasoning, refusal, tools in calls:
        piece = Piece(text, finish or None, reasoning, refusal, tuple(t[0] for t in tools))
        if continues and output in found:
            found[output].append(piece)
        else:
            found[output] = [piece]
    return found
