"""Scoring what is stored by a scorecard: no call is made, the former scores stay."""

from __future__ import annotations

import json
import time
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby, islice
from typing import Any

from django.db import transaction
from django.db.models import QuerySet, TextField
from django.db.models.functions import Cast

from nomikon.core.measures import Answer, Score, Turn, read_scorecard
from nomikon.core.measures import Scorecard as ReadCard
from nomikon.core.measures.base import NO_ANSWER, WAITS
from nomikon.core.measures.scorecard import Scores
from nomikon.core.prompts import instructions_of
from nomikon.core.rules import SCORE_RULE
from nomikon.core.trials import FAILED, Outcome
from nomikon.engine.scoring import Job, score_many
from nomikon.server.apps.briefs.models import Scorecard
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.trials.models import Arm, Output, ScoreRow, Trial
from nomikon.server.apps.trials.packing import packed_score, packed_text, score_in
from nomikon.server.rows import insert_rows

BATCH = 500
LARGE_BATCH = 2000
# Cases are read once for all their arms and repeats, as long as they fit.
MOST_CASES_HELD = 20_000
# Between two batches others may write: a click never waits behind a rescoring.
PAUSE_S = 0.01


@lru_cache(maxsize=64)
def _read(card: int) -> ReadCard:
    """A stored scorecard never changes, so it is read once."""
    return read_scorecard(Scorecard.objects.get(pk=card).document)


@lru_cache(maxsize=256)
def _instructions(arm: int) -> str:
    """Nor does the text of an arm."""
    return instructions_of(Arm.objects.get(pk=arm).sends)


@dataclass(frozen=True)
class Wanted:
    """What is wanted of an answer: the reference, and others that are as right."""

    reference: str | None
    forms: tuple[str, ...] = ()


def wanted_of(revision: CaseRevision) -> Wanted:
    """What is wanted of the answers to a case."""
    return Wanted(revision.reference, tuple(revision.forms))


def answer_of(output: Output) -> Answer:
    """A stored output as measures see it; wants its arm and revision at hand."""
    return Answer(
        output=output.text,
        reference=output.revision.reference,
        inputs=output.revision.inputs,
        finish_reason=output.finish_reason or None,
        tokens_in=output.tokens_in,
        tokens_out=output.tokens_out,
        cost=output.cost_nominal,
        latency_ms=output.latency_ms,
        prompt=_instructions(output.arm_id),
        turns=tuple(Turn(role, text) for role, text in output.turns),
        forms=tuple(output.revision.forms),
    )


def _row(output: Output, card: Scorecard, scores: Scores) -> ScoreRow:
    return ScoreRow(
        output=output,
        scorecard=card,
        total=scores.total.value,
        total_why=scores.total.why,
        ungated=scores.ungated,
        packed={n: packed_score(s) for n, s in scores.by_name.items()},
        rule=SCORE_RULE,
    )


def score_rows(
    outputs: Iterable[Output],
    card: Scorecard,
    known: Mapping[int, Mapping[str, Score]] | None = None,
) -> Iterator[ScoreRow]:
    """Rows of scores by a scorecard, for outputs with their arm and revision.

    known: for each output the scores that are not worked out anew. Group
    measures wait; `regroup` brings them.
    """
    some = list(outputs)
    jobs = (
        _job(card, answer_of(o), Outcome(o.outcome, o.why), (known or {}).get(o.pk)) for o in some
    )
    for output, (scores,) in zip(some, score_many(jobs), strict=True):
        yield _row(output, card, scores)


def _job(
    card: Scorecard, answer: Answer, outcome: Outcome, known: Mapping[str, Score] | None = None
) -> Job:
    return Job(json.dumps(card.document), (answer,), (outcome,), (dict(known or {}),))


def rescore(trial: Trial, card: Scorecard) -> int:
    """Store the scores that are missing by this scorecard; returns how many.

    In batches, each a transaction of its own: broken off, it goes on where it
    was, since outputs scored already are left out. What a judge must say stays
    missing until it is asked.
    """
    done = set(
        ScoreRow.objects.filter(output__arm__trial=trial, scorecard=card).values_list(
            "output_id", flat=True
        )
    )
    outputs = Output.objects.filter(arm__trial=trial, failure="").order_by("id")
    stored = last = 0
    cases: Cases = {}
    while found := list(_plain_rows(outputs.filter(pk__gt=last))[:LARGE_BATCH]):
        # All of a batch is read before it is written: a write that begins while a read is open is
        # refused as soon as anybody else wrote in between.
        last = found[-1][0]
        some = list(_plain_answers((r for r in found if r[0] not in done), cases))
        if not some:
            continue
        # Scored before the transaction: nobody waits for the disk while a slow measure works.
        jobs = (_job(card, answer, outcome) for _, answer, outcome in some)
        rows = [
            _plain_row(pk, card, scores)
            for (pk, _, _), (scores,) in zip(some, score_many(jobs), strict=True)
        ]
        with transaction.atomic():
            # Two who press at once: what the other has stored meanwhile stays.
            span = (rows[0]["output_id"], rows[-1]["output_id"])
            there = set(
                ScoreRow.objects.filter(
                    scorecard=card, output_id__gte=span[0], output_id__lte=span[1]
                ).values_list("output_id", flat=True)
            )
            insert_rows(ScoreRow, [r for r in rows if r["output_id"] not in there])
        regroup(card, [r["output_id"] for r in rows], trial.repeats)
        stored += len(rows)
        time.sleep(PAUSE_S)
    # What was broken off between its scores and those of its group.
    regroup_waiting(trial, card)
    return stored


# What is wanted of a case, its inputs and its further right forms, by its revision.
Cases = dict[int, tuple[str | None, dict[str, Any], list[str]]]


def _plain_rows(outputs: QuerySet[Output]) -> QuerySet[Output, tuple[Any, ...]]:
    """Stored outputs as plain rows, no object made of each.

    Measured on 100,000: objects with their arm and revision took four times as
    long as the scoring itself.
    """
    fields = (
        "pk",
        "outcome",
        "why",
        "text",
        "finish_reason",
        "tokens_in",
        "tokens_out",
        "cost_nominal",
        "latency_ms",
        "turns_text",
        "arm_id",
        "revision_id",
    )
    # Most outputs are no conversations: their turns are not read as JSON at all.
    return outputs.annotate(turns_text=Cast("turns", TextField())).values_list(*fields)


def _plain_answers(
    rows: Iterator[tuple[Any, ...]], cases: Cases
) -> Iterator[tuple[int, Answer, Outcome]]:
    """Plain rows as measures see them. cases: those read before, added to as long as they fit."""
    while chunk := list(islice(rows, BATCH)):
        new = {r[-1] for r in chunk} - cases.keys()
        if len(cases) + len(new) > MOST_CASES_HELD:
            cases.clear()
            new = {r[-1] for r in chunk}
        for pk, *said in CaseRevision.objects.filter(pk__in=new).values_list(
            "pk", "reference", "inputs", "forms"
        ):
            cases[pk] = tuple(said)
        for pk, kind, why, text, finish, t_in, t_out, cost, latency, turns, arm, case in chunk:
            reference, inputs, forms = cases[case]
            answer = Answer(
                output=text,
                reference=reference,
                inputs=inputs,
                finish_reason=finish or None,
                tokens_in=t_in,
                tokens_out=t_out,
                cost=cost,
                latency_ms=latency,
                prompt=_instructions(arm),
                turns=()
                if turns == "[]"
                else tuple(Turn(role, said) for role, said in json.loads(turns)),
                forms=tuple(forms),
            )
            yield pk, answer, Outcome(kind, why)


def _plain_row(output: int, card: Scorecard, scores: Scores) -> dict[str, Any]:
    return {
        "output_id": output,
        "scorecard_id": card.pk,
        "total": scores.total.value,
        "total_why": scores.total.why,
        "ungated": scores.ungated,
        "packed": packed_text(scores.by_name.items()),
        "rule": SCORE_RULE,
        "replaced": False,
    }


def judged_scores(row: ScoreRow, *, without: Iterable[str] = ()) -> dict[str, Score]:
    """What was asked about an output, from its stored row; `without` are to be asked again."""
    left_out = set(without)
    found = {
        name: score_in(row.packed[name])
        for name, _ in _read(row.scorecard_id).asking
        if name in row.packed and name not in left_out
    }
    # What scored 0 as no answer was never judged.
    return {name: score for name, score in found.items() if score.code != NO_ANSWER}


def regroup(card: Scorecard, outputs: Sequence[int], repeats: int) -> dict[int, float | None]:
    """Give the group measures their scores where all repeats of a case are in.

    outputs: ids of those just scored. Returns the new totals by output. Worked out before
    anything is written: call it outside of a transaction.
    """
    if not outputs or not _read(card.pk).grouped:
        return {}
    cells = set(Output.objects.filter(pk__in=outputs).values_list("arm_id", "revision_id"))
    together = (
        Output.objects.filter(
            arm__in={a for a, _ in cells}, revision__in={r for _, r in cells}, failure=""
        )
        .select_related("arm", "revision")
        .order_by("arm_id", "revision_id", "repeat")
    )
    changed: list[ScoreRow] = []
    for cell, found in groupby(together, key=lambda o: (o.arm_id, o.revision_id)):
        group = list(found)
        if cell not in cells or len(group) < repeats:
            continue
        rows = {r.output_id: r for r in ScoreRow.objects.filter(output__in=group, scorecard=card)}
        if len(rows) == len(group):
            _group_scored(card, group, rows)
            changed += rows.values()
    ScoreRow.objects.bulk_update(
        changed, ["total", "total_why", "ungated", "packed"], batch_size=BATCH
    )
    return {row.output_id: row.total for row in changed}


def _group_scored(card: Scorecard, group: Sequence[Output], rows: Mapping[int, ScoreRow]) -> None:
    """The rows of all repeats of one arm on one case with the scores of their group."""
    job = Job(
        json.dumps(card.document),
        tuple(answer_of(o) for o in group),
        tuple(Outcome(o.outcome, o.why) for o in group),
        tuple(judged_scores(rows[o.pk]) for o in group),
        grouped=True,
    )
    (scored,) = score_many([job])
    for output, scores in zip(group, scored, strict=True):
        made, row = _row(output, card, scores), rows[output.pk]
        row.total, row.total_why, row.ungated = made.total, made.total_why, made.ungated
        row.packed = made.packed


def regroup_waiting(trial: Trial, card: Scorecard | None = None) -> None:
    """`regroup` for what was stored and not grouped any more, because its process was killed.

    card: the trial's own where none is given.
    """
    by = card or trial.scorecard
    if not _read(by.pk).grouped:
        return
    rows = ScoreRow.objects.filter(output__arm__trial=trial, scorecard=by)
    # Rows are packed: what waits is found by its words.
    waiting = rows.annotate(told=Cast("packed", TextField())).filter(told__contains=WAITS)
    regroup(by, list(waiting.values_list("output_id", flat=True)), trial.repeats)


@dataclass(frozen=True)
class Anew:
    """Score rows worked out and not yet stored. old: the rows they take the place of."""

    old: Sequence[ScoreRow]
    rows: Sequence[ScoreRow]

    @property
    def counts(self) -> dict[int, int]:
        """How many outputs are scored by the card of their own trial, by trial."""
        trials = (r.output.arm.trial for r in self.old)
        own = (
            t.pk
            for t, row in zip(trials, self.old, strict=True)
            if t.scorecard_id == row.scorecard_id
        )
        return dict(Counter(own))

    def store(self) -> bool:
        """Whether it was stored: not where rows have come or gone since it was worked out.

        The former rows are kept as replaced. Call it inside the transaction of the correction.
        """
        if not self.old:
            return True
        revision = self.old[0].output.revision_id
        if set(_rows_of(revision).values_list("pk", flat=True)) != {r.pk for r in self.old}:
            return False
        ScoreRow.objects.filter(pk__in=[r.pk for r in self.old]).update(replaced=True)
        ScoreRow.objects.bulk_create(self.rows, batch_size=BATCH)
        return True


def _rows_of(revision: int) -> QuerySet[ScoreRow]:
    return ScoreRow.objects.filter(output__revision=revision).exclude(output__outcome=FAILED)


def scored_anew(revision: int, wanted: Wanted) -> Anew:
    """Every stored output of one case scored by what is wanted, by every scorecard it was scored by.

    Nothing is written. Judges that were shown the reference must be asked again, the others'
    scores stay.
    """
    rows = list(
        _rows_of(revision).select_related("scorecard", "output__arm__trial", "output__revision")
    )
    made: dict[int, ScoreRow] = {}
    by_card: dict[Scorecard, list[ScoreRow]] = {}
    for row in rows:
        row.output.revision.reference = wanted.reference
        row.output.revision.forms = list(wanted.forms)
        by_card.setdefault(row.scorecard, []).append(row)
    for card, found in by_card.items():
        seeing = _shown_the_reference(_read(card.pk))
        known = {r.output_id: judged_scores(r, without=seeing) for r in found}
        new = {r.output_id: r for r in score_rows([r.output for r in found], card, known)}
        if _read(card.pk).grouped:
            found.sort(key=lambda r: (r.output.arm_id, r.output.repeat))
            for arm, some in groupby(found, key=lambda r: r.output.arm):
                group = [r.output for r in some]
                if len(group) >= arm.trial.repeats:
                    _group_scored(card, group, new)
        made |= {r.pk: new[r.output_id] for r in found}
    return Anew(rows, [made[r.pk] for r in rows])


def _shown_the_reference(card: ReadCard) -> list[str]:
    return [n for n, m in card.asking if m.needs_reference or m.sees_reference]


def rescore_old(trial: Trial, most: int) -> tuple[int, int] | None:
    """One batch of score rows made anew by the trial's card: how many, and how many differ.

    Worked out first, then written in one short transaction. Measures over all repeats wait
    for `regroup_waiting`.
    """
    card = trial.scorecard
    old: QuerySet[ScoreRow] = (
        ScoreRow.objects.filter(output__arm__trial=trial, output__superseded_by=None)
        .filter(scorecard=card)
        .exclude(rule=SCORE_RULE)
        .select_related("output__revision")
    )
    rows = list(old.order_by("id")[:most])
    if not rows:
        return None
    known = {r.output_id: judged_scores(r) for r in rows}
    made = list(score_rows([r.output for r in rows], card, known))
    grouped = bool(_read(card.pk).grouped)
    with transaction.atomic():
        # Two at once do no harm: what the other has made anew meanwhile stays.
        still = set(old.filter(pk__in=[r.pk for r in rows]).values_list("pk", flat=True))
        other: list[tuple[ScoreRow, ScoreRow]] = []
        same: list[tuple[ScoreRow, ScoreRow]] = []
        for row, new in zip(rows, made, strict=True):
            if row.pk in still:
                (other if grouped or _score_differs(row, new) else same).append((row, new))
        ScoreRow.objects.filter(pk__in=[r.pk for r, _ in same]).update(rule=SCORE_RULE)
        ScoreRow.objects.filter(pk__in=[r.pk for r, _ in other]).update(replaced=True)
        ScoreRow.objects.bulk_create([new for _, new in other], batch_size=most)
    regroup(card, [r.output_id for r, _ in other], trial.repeats)
    return len(rows), sum(_score_differs(*pair) for pair in other)


def _score_differs(row: ScoreRow, new: ScoreRow) -> bool:
    return (row.total, row.ungated, row.packed) != (new.total, new.ungated, new.packed)
