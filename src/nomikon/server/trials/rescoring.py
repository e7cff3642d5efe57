"""Scoring what is stored by another scorecard: no call is made, the former scores stay."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator
from itertools import islice
from typing import Any

from django.db import transaction

from nomikon.core.measures import Answer, read_scorecard, score_answer
from nomikon.core.prompts import check_messages, instructions_of
from nomikon.core.trials import Outcome
from nomikon.server.briefs.models import Scorecard
from nomikon.server.trials.board import figures_of
from nomikon.server.trials.models import Output, ScoreRow, Trial

BATCH = 500
# Between two batches others may write: a click never waits behind a rescoring.
PAUSE_S = 0.01


def score_rows(outputs: Iterable[Output], card: Scorecard) -> Iterator[ScoreRow]:
    """Rows of scores by a scorecard, for outputs with their arm, version and revision."""
    read = read_scorecard(card.document)
    prompts: dict[int, str] = {}
    for output in outputs:
        version = output.arm.version
        if version.pk not in prompts:
            prompts[version.pk] = instructions_of(check_messages(version.messages))
        scores = score_answer(
            read,
            Answer(
                output=output.text,
                reference=output.revision.reference,
                inputs=output.revision.inputs,
                finish_reason=output.finish_reason or None,
                tokens_in=output.tokens_in,
                tokens_out=output.tokens_out,
                cost=output.cost_nominal,
                latency_ms=output.latency_ms,
                prompt=prompts[version.pk],
            ),
            Outcome(output.outcome, output.why),
        )
        yield ScoreRow(
            output=output,
            scorecard=card,
            total=scores.total.value,
            total_why=scores.total.why,
            ungated=scores.ungated,
            packed={n: [s.value, s.why] for n, s in scores.by_name.items()},
        )


def rescore(trial: Trial, card: Scorecard) -> int:
    """Store the scores that are missing by this scorecard; returns how many.

    In batches, each a transaction of its own: broken off, it goes on where it
    was, since outputs scored already are left out.
    """
    missing = (
        Output.objects.filter(arm__trial=trial, failure="")
        .exclude(scores__scorecard=card)
        .select_related("arm__version", "revision")
        .order_by("id")
    )
    stored = 0
    scored = score_rows(missing.iterator(chunk_size=BATCH), card)
    while rows := list(islice(scored, BATCH)):
        with transaction.atomic():
            ScoreRow.objects.bulk_create(rows, batch_size=BATCH, ignore_conflicts=True)
        stored += len(rows)
        time.sleep(PAUSE_S)
    return stored


def means_by(trial: Trial) -> dict[int, float | None]:
    """Each arm's mean by the scorecard the trial is read by, cases in common."""
    figures = figures_of(trial)
    found = {int(a.arm): a.mean for a in figures.arms} if figures else {}
    return {arm.pk: found.get(arm.pk) for arm in trial.arms.all()}


def changes_of(trial: Trial, before: dict[int, float | None]) -> list[dict[str, Any]]:
    """Arm by arm what another scorecard has made of the trial."""
    after = means_by(trial)
    return [{"arm": arm, "before": before.get(arm), "after": after[arm]} for arm in after]
