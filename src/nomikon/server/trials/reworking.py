"""Stored outcomes and scores of a trial brought to the rules of today, from raw text, without a call.

Figures never mix revisions of a rule: whoever tells any figure of a trial, or lets it go on,
brings it up first. What was stored before is kept as replaced, what judges said stays, and
the ledger says how much has changed.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import F, QuerySet

from nomikon.core.measures import read_scorecard
from nomikon.core.rules import OUTCOME_RULE, SCORE_RULE, figures_rule
from nomikon.core.trials import Piece, ReadAnswer, read_answer
from nomikon.engine.units import ANSWER
from nomikon.server.ledger.models import Line
from nomikon.server.ledger.write import emit, write_ledger
from nomikon.server.trials.models import Call, Output, ScoreRow, Trial
from nomikon.server.trials.rescoring import PAUSE_S, judged_scores, regroup, score_rows

BATCH = 500
ACTOR = "program"
WHAT = "trial.reworked"


@dataclass(frozen=True)
class Reworked:
    """How many outcomes (or texts) and how many scores are others than before."""

    outcomes: int
    scores: int


def bring_figures_up(trial: Trial, now: datetime) -> Reworked | None:
    """Work out anew what was stored by former rules; None where nothing had to be.

    In batches, each a transaction of its own: broken off, it goes on where it was. Two at
    once do no harm, since each batch looks again at what is still old.
    """
    if trial.figures_rule == figures_rule():
        return None
    outcomes = scores = 0
    while some := _reread(trial):
        outcomes += some[1]
        time.sleep(PAUSE_S)
    while found := _rescored(trial):
        scores += found[1]
        time.sleep(PAUSE_S)
    with transaction.atomic():
        changed = bool(outcomes or scores)
        Trial.objects.filter(pk=trial.pk).update(
            figures_rule=figures_rule(), scores_changed=F("scores_changed") + changed
        )
        if changed:
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
        .select_related("arm")
        .order_by("id")[:BATCH]
    )
    if not outputs:
        return None
    pieces = _pieces([o.pk for o in outputs])
    changed = []
    for output in outputs:
        if output.pk not in pieces:
            continue
        read = read_answer(pieces[output.pk], output.arm.settings.get("stop", ()))
        if _differs(output, read):
            _take_over(output, read)
            changed.append(output)
    Output.objects.bulk_update(
        changed, ["text", "turns", "outcome", "why", "finish_reason"], batch_size=BATCH
    )
    ids = [o.pk for o in outputs]
    Output.objects.filter(pk__in=ids).update(outcome_rule=OUTCOME_RULE)
    # Whatever card they were scored by: a score of another text is none.
    ScoreRow.objects.filter(output__in=[o.pk for o in changed]).update(rule=0)
    return len(outputs), len(changed)


def _differs(output: Output, read: ReadAnswer) -> bool:
    then = (output.text, output.outcome, output.why, output.finish_reason)
    now = (read.text, read.outcome.kind, read.outcome.why, (read.finish_reason or "")[:40])
    return then != now


def _take_over(output: Output, read: ReadAnswer) -> None:
    output.text, output.finish_reason = read.text, (read.finish_reason or "")[:40]
    output.outcome, output.why = read.outcome.kind, read.outcome.why
    if output.turns and output.turns[-1][0] == "assistant":
        output.turns = [*output.turns[:-1], ["assistant", read.text]]


def _pieces(outputs: Sequence[int]) -> dict[int, list[Piece]]:
    """For each output the raw replies that its answer was made of: the last call that asked for
    an answer, with the continuations after it."""
    calls = (
        Call.objects.filter(output__in=outputs, part=ANSWER, failure="")
        .order_by("output_id", "position")
        .values_list("output_id", "continues", "text", "finish_reason")
    )
    found: dict[int, list[Piece]] = {}
    for output, continues, text, finish in calls:
        piece = Piece(text, finish or None)
        if continues and output in found:
            found[output].append(piece)
        else:
            found[output] = [piece]
    return found


@transaction.atomic
def _rescored(trial: Trial) -> tuple[int, int] | None:
    """One batch of score rows made anew by the trial's card: how many, and how many differ."""
    card = trial.scorecard
    old: QuerySet[ScoreRow] = (
        ScoreRow.objects.filter(output__arm__trial=trial, output__superseded_by=None)
        .filter(scorecard=card)
        .exclude(rule=SCORE_RULE)
        .select_related("output__revision")
    )
    rows = list(old.order_by("id")[:BATCH])
    if not rows:
        return None
    known = {r.output_id: judged_scores(r) for r in rows}
    made = list(score_rows([r.output for r in rows], card, known))
    # Measures over all repeats wait for their group: regroup brings them below.
    grouped = bool(read_scorecard(card.document).grouped)
    other: list[tuple[ScoreRow, ScoreRow]] = []
    same: list[tuple[ScoreRow, ScoreRow]] = []
    for row, new in zip(rows, made, strict=True):
        (other if grouped or _score_differs(row, new) else same).append((row, new))
    ScoreRow.objects.filter(pk__in=[r.pk for r, _ in same]).update(rule=SCORE_RULE)
    ScoreRow.objects.filter(pk__in=[r.pk for r, _ in other]).update(replaced=True)
    ScoreRow.objects.bulk_create([new for _, new in other], batch_size=BATCH)
    regroup(card, [r.output_id for r, _ in other], trial.repeats)
    return len(rows), sum(_score_differs(*pair) for pair in other)


def _score_differs(row: ScoreRow, new: ScoreRow) -> bool:
    return (row.total, row.ungated, row.packed) != (new.total, new.ungated, new.packed)
