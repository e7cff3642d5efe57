"""A trial's judges held against people's marks, and probed for what else sways them."""

from __future__ import annotations

from typing import Any

import numpy as np

from nomikon.core.measures import read_scorecard
from nomikon.core.measures.base import JudgeReply
from nomikon.core.measures.judging import JudgeMeasure, JudgementError, lacks_judgement
from nomikon.core.measures.preference import Preferred, read_choice
from nomikon.core.measures.rubric import Rubric, read_judgement
from nomikon.core.stats.agreement import ORDINAL, Rating, agreement
from nomikon.core.stats.judges import order_probe, relation
from nomikon.core.trials import ANSWERED
from nomikon.engine.units import JUDGEMENT
from nomikon.server.apps.reviews.models import PLACES, Mark
from nomikon.server.apps.reviews.reads import ApartShape, JudgeShape, OrderShape, RelationShape
from nomikon.server.apps.trials.models import Call, ScoreRow, Trial
from nomikon.server.apps.trials.packing import score_in
from nomikon.server.typed import copied

# Where a judge's score stands for a mark.
CUTS = (1 / 3, 2 / 3)


def judges_of(trial: Trial) -> list[JudgeShape]:
    """One row for each judged measure of the trial's scorecard."""
    card = read_scorecard(trial.scorecard.document)
    rows = list(
        ScoreRow.objects.filter(output__arm__trial=trial, scorecard=trial.scorecard)
        .exclude(output__outcome="failed")
        .values_list(
            "output_id", "output__revision_id", "output__text", "output__outcome", "packed"
        )
    )
    marks: dict[int, list[tuple[str, str]]] = {}
    for output, reader, judgement in Mark.objects.filter(
        output__arm__trial=trial, current=True, drawn=True
    ).values_list("output_id", "reader", "judgement"):
        marks.setdefault(output, []).append((reader, judgement))
    return [_row(trial, name, measure, rows, marks) for name, measure in card.judged]


def _row(
    trial: Trial,
    name: str,
    measure: JudgeMeasure,
    rows: list[Any],
    marks: dict[int, list[tuple[str, str]]],
) -> JudgeShape:
    failed = 0
    judged: dict[int, tuple[int, str, float]] = {}
    for output, revision, text, outcome, packed in rows:
        score = score_in(packed.get(name, (None, "")))
        if outcome == ANSWERED and score.value is not None:
            judged[output] = (revision, text, score.value)
        elif outcome == ANSWERED and lacks_judgement(score):
            failed += 1
    ratings: list[Rating] = []
    scores, people, cases = [], [], []
    apart: list[ApartShape] = []
    for output, (revision, _, value) in judged.items():
        if output not in marks:
            continue
        place = int(np.searchsorted(CUTS, value, side="right"))
        ratings.append(Rating(str(output), "(the judge)", place))
        ratings += [Rating(str(output), r, PLACES[j]) for r, j in marks[output]]
        mean = float(np.mean([PLACES[j] for _, j in marks[output]]))
        scores.append(value)
        people.append(mean)
        cases.append(str(revision))
        if abs(place - mean) >= 1:
            apart.append({"output": output, "score": value, "mark": marks[output][0][1]})
    found = agreement(ratings, ORDINAL, n_resamples=2000) if ratings else None
    lengths = relation(
        [len(t) for _, t, _ in judged.values()],
        [v for _, _, v in judged.values()],
        [str(r) for r, _, _ in judged.values()],
    )
    apart.sort(key=lambda a: -abs(a["score"] - PLACES[a["mark"]] / 2))
    return {
        "measure": name,
        "kind": measure.name,
        "model": measure.model,
        "judged": len(judged),
        "failed": failed,
        "marked": len(scores),
        "alpha": found.alpha if found else None,
        "alpha_low": found.low if found else None,
        "alpha_high": found.high if found else None,
        "with_marks": copied(RelationShape, relation(scores, people, cases)),
        "with_length": copied(RelationShape, lengths),
        "order": _order(trial, name, measure),
        "apart": apart[:20],
    }


def _order(trial: Trial, name: str, measure: JudgeMeasure) -> OrderShape | None:
    """What the order did: of the two answers, or of the criteria."""
    calls: dict[int, list[JudgeReply]] = {}
    for output, text, finish, failure, again in (
        Call.objects.filter(output__arm__trial=trial, part=JUDGEMENT, step=name)
        .order_by("output_id", "position")
        .values_list("output_id", "text", "finish_reason", "failure", "continues")
    ):
        replies = calls.setdefault(output, [])
        if again and not failure:
            # Asked for once more: it stands in place of the one that could not be read.
            replies.pop()
        if not (again and failure):
            replies.append(JudgeReply(text, finish or None, failure))
    if isinstance(measure, Preferred):
        return _pair_order(calls)
    if isinstance(measure, Rubric) and measure.times > 1:
        return _criteria_order(calls, measure)
    return None


def _pair_order(calls: dict[int, list[JudgeReply]]) -> OrderShape:
    choices = []
    for replies in calls.values():
        for there, back in zip(replies[0::2], replies[1::2], strict=False):
            try:
                choices.append((read_choice(there)[0], read_choice(back)[0]))
            except JudgementError:
                # Counted among the failed judgements already.
                continue
    return copied(OrderShape, order_probe(choices), of="answers")


def _criteria_order(calls: dict[int, list[JudgeReply]], measure: Rubric) -> OrderShape:
    """How far a criterion's level moves when it is asked last instead of first, on average."""
    moved = []
    for replies in calls.values():
        for there, back in zip(replies[0::2], replies[1::2], strict=False):
            try:
                a, b = (
                    read_judgement(measure.criteria, there),
                    read_judgement(measure.criteria, back),
                )
            except JudgementError:
                continue
            moved += [abs(x.score - y.score) for x, y in zip(a, b, strict=True)]
    return {
        "of": "criteria",
        "pairs": len(moved),
        "turned": sum(1 for m in moved if m > 0),
        "first": float(np.mean(moved)) if moved else None,
        "low": None,
        "high": None,
    }
