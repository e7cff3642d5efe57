"""Scorecards: which measures count, how much, and which are gates."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from nomikon.core.errors import MeasureError, ScorecardError
from nomikon.core.measures.asking import AskingMeasure, JudgeRequest, Request
from nomikon.core.measures.base import NO_ANSWER, Answer, GroupMeasure, JudgeReply, Measure, Score
from nomikon.core.measures.beginning import THE_WHOLE, WHOLE, Beginning, read_beginning
from nomikon.core.measures.judging import JudgeMeasure
from nomikon.core.measures.mishaps import mishap
from nomikon.core.measures.registry import make_measure
from nomikon.core.plain_json import shown
from nomikon.core.trials.outcomes import ANSWERED, Outcome, outcome_of

FORMAT = "scorecard/1"
DEFAULT_MARGIN = 0.05
TOTAL = "total"
_RESERVED = ("measure", "name", "weight", "gate", "turn")
# What a measure sees of a conversation: its last answer, all of it, or the answer of one turn.
LAST, ALL = "last", "all"
# Replies of the judges of one output, by the name of their measure.
Replies = Mapping[str, Sequence[JudgeReply]]


@dataclass(frozen=True)
class Entry:
    """One measure of a scorecard; a gate below 1 zeroes the total.

    turn: what it sees of a conversation: last, all, or the number of an answer from 1.
    """

    name: str
    measure: Measure
    weight: float
    gate: bool
    turn: str | int = LAST


@dataclass(frozen=True)
class Threshold:
    """What is good enough: a measure's (or the total's) mean at least, or at most, so much."""

    measure: str
    at_least: float | None = None
    at_most: float | None = None

    @property
    def limits(self) -> dict[str, float]:
        """The one limit by its name, as `threshold_state` takes it."""
        if self.at_least is not None:
            return {"at_least": self.at_least}
        return {"at_most": self.at_most if self.at_most is not None else 1.0}


@dataclass(frozen=True)
class Scorecard:
    """Measures in order, what is good enough, the margin within which nothing matters, and where
    in an answer's text the answer begins."""

    entries: tuple[Entry, ...]
    margin: float = DEFAULT_MARGIN
    thresholds: tuple[Threshold, ...] = ()
    beginning: Beginning = THE_WHOLE

    @property
    def names(self) -> list[str]:
        """Names of the measures, in order, without the total."""
        return [e.name for e in self.entries]

    @property
    def judged(self) -> list[tuple[str, JudgeMeasure]]:
        """The measures that a model judges, by name."""
        return [(e.name, e.measure) for e in self.entries if isinstance(e.measure, JudgeMeasure)]

    @property
    def asking(self) -> list[tuple[str, AskingMeasure]]:
        """The measures that have something asked, by name: judges, and twins of the case."""
        return [(e.name, e.measure) for e in self.entries if isinstance(e.measure, AskingMeasure)]

    @property
    def grouped(self) -> bool:
        """Whether a measure needs all repeats of a case together."""
        return any(isinstance(e.measure, GroupMeasure) for e in self.entries)


@dataclass(frozen=True)
class Scores:
    """Scores of one output by measure name, the total, and the total had no gate failed."""

    by_name: dict[str, Score]
    total: Score
    ungated: float | None


def read_scorecard(document: Any) -> Scorecard:
    """A scorecard from its plain form (`nomikon: scorecard/1`).

    Raises ScorecardError whose field leads to the place (`measures.2.weight`).
    """
    if not isinstance(document, Mapping):
        raise ScorecardError("a scorecard must be a mapping", field="scorecard")
    if document.get("nomikon") != FORMAT:
        raise ScorecardError(
            f"a scorecard must say `nomikon: {FORMAT}`; this says {document.get('nomikon')!r}",
            field="nomikon",
        )
    unknown = set(document) - {"nomikon", "margin", "measures", "name", "thresholds", "answer"}
    if unknown:
        raise ScorecardError(
            f"unknown key {sorted(map(str, unknown))[0]!r}; allowed are margin, measures, answer "
            "and thresholds",
            field=sorted(map(str, unknown))[0],
        )
    margin = document.get("margin", DEFAULT_MARGIN)
    if not _is_number(margin) or not 0 < margin < 1:
        raise ScorecardError(f"margin is {margin!r}; it must lie between 0 and 1", field="margin")
    rows = document.get("measures")
    if not isinstance(rows, list) or not rows:
        raise ScorecardError("a scorecard needs at least one measure", field="measures")
    entries = tuple(_entry(row, index) for index, row in enumerate(rows))
    names = [e.name for e in entries]
    for index, name in enumerate(names):
        if name == TOTAL or names.index(name) != index:
            reason = "is reserved" if name == TOTAL else "is used twice; give one a name"
            raise ScorecardError(f"the name {name!r} {reason}", field=f"measures.{index}.name")
    if not any(e.weight > 0 for e in entries):
        raise ScorecardError("at least one measure needs a weight above 0", field="measures")
    thresholds = _thresholds(document.get("thresholds"), [*names, TOTAL])
    beginning = read_beginning(document.get("answer"))
    return Scorecard(entries, float(margin), thresholds, beginning)


def _thresholds(rows: Any, names: Sequence[str]) -> tuple[Threshold, ...]:
    if rows is None:
        return ()
    if not isinstance(rows, list):
        raise ScorecardError("thresholds must be a list", field="thresholds")
    found = []
    for index, row in enumerate(rows):
        where = f"thresholds.{index}"
        if not isinstance(row, Mapping):
            raise ScorecardError(f"threshold {index + 1} must be a mapping", field=where)
        measure = row.get("measure", TOTAL)
        if measure not in names:
            raise ScorecardError(
                f"there is no {measure!r} to be good enough; there are {', '.join(names)}",
                field=f"{where}.measure",
            )
        limits = {k: row[k] for k in ("at_least", "at_most") if row.get(k) is not None}
        if len(limits) != 1 or set(row) - {"measure", "at_least", "at_most"}:
            raise ScorecardError(
                f"threshold {index + 1} needs either at_least or at_most", field=f"{where}.at_least"
            )
        ((key, value),) = limits.items()
        if not _is_number(value) or not 0 <= value <= 1:
            raise ScorecardError(
                f"{key} of {measure} is {value!r}; it must lie from 0 to 1", field=f"{where}.{key}"
            )
        found.append(Threshold(measure, **{key: float(value)}))
    return tuple(found)


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool) and math.isfinite(value)


def _entry(row: Any, index: int) -> Entry:
    where = f"measures.{index}"
    if not isinstance(row, Mapping) or not isinstance(row.get("measure"), str):
        raise ScorecardError(
            f"measure {index + 1} does not name its measure", field=f"{where}.measure"
        )
    kind = row["measure"]
    name = row.get("name", kind)
    weight, gate = row.get("weight", 1), row.get("gate", False)
    if not isinstance(name, str) or not name.strip():
        raise ScorecardError(f"the name of measure {index + 1} is empty", field=f"{where}.name")
    if not _is_number(weight) or weight < 0:
        raise ScorecardError(
            f"the weight of {name} is {weight!r}; it must be a number from 0",
            field=f"{where}.weight",
        )
    if not isinstance(gate, bool):
        raise ScorecardError(f"gate of {name} must be true or false", field=f"{where}.gate")
    try:
        measure = make_measure(kind, {k: v for k, v in row.items() if k not in _RESERVED})
    except MeasureError as error:
        raise ScorecardError(f"{name}: {error.message}", field=f"{where}.{error.field}") from error
    except RecursionError as error:
        raise ScorecardError(f"{name}: it is nested too deep", field=where) from error
    # What is asked about a conversation is asked about all of it unless it is told otherwise.
    turn = row.get("turn", ALL if isinstance(measure, AskingMeasure) else LAST)
    numbered = isinstance(turn, int) and not isinstance(turn, bool) and turn >= 1
    if turn not in (LAST, ALL) and not numbered:
        raise ScorecardError(
            f"turn of {name} is {turn!r}; it must be last, all, or a number from 1",
            field=f"{where}.turn",
        )
    return Entry(name, measure, float(weight), gate, turn)


def _part(card: Scorecard, entry: Entry, seen: Answer) -> Answer | None:
    """The part of an answer that a measure reads; None where it has no such part.

    Judges read what a person would: the whole.
    """
    if isinstance(entry.measure, JudgeMeasure) or card.beginning.begins == WHOLE:
        return seen
    part = card.beginning.part_of(seen.output)
    return None if part is None else replace(seen, output=part)


def _told(card: Scorecard, found: Score) -> Score:
    """A score with where its answer was read from, where that is not the whole text."""
    if card.beginning.begins == WHOLE:
        return found
    return replace(found, why=f"{card.beginning.told}: {found.why}")


def _seen(entry: Entry, answer: Answer) -> Answer | None:
    """What a measure sees of an answer; None where the conversation has no such turn."""
    if not answer.turns:
        return answer
    if entry.turn == LAST:
        return replace(answer, turns=())
    if entry.turn == ALL:
        whole = "\n\n".join(f"{t.role}: {t.text}" for t in answer.turns)
        return replace(answer, output=whole)
    replies = [t.text for t in answer.turns if t.role == "assistant"]
    number = int(entry.turn)
    if number > len(replies):
        return None
    return replace(answer, output=replies[number - 1], turns=())


def _replies(
    card: Scorecard, entry: Entry, replies: Sequence[JudgeReply] | None
) -> Sequence[JudgeReply] | None:
    """What came back; of another answer of the arm the part that counts, as of its answer."""
    if replies is None or isinstance(entry.measure, JudgeMeasure) or card.beginning.begins == WHOLE:
        return replies
    return [replace(r, text=card.beginning.part_of(r.text) or "") for r in replies]


# Scores had otherwise, by name: of group measures, or of judges asked before.
_Known = Mapping[str, Score]


# Told the name of each measure before it is asked.
At = Callable[[str], None]


def _nobody(name: str) -> None:
    """Nobody wants to know."""


def _each(
    card: Scorecard, answer: Answer, replies: Replies | None, known: _Known, at: At
) -> dict[str, Score]:
    """Scores in order; an expression sees those of the measures above it.

    What a measure runs into is its own: the score is missing, and the others are worked out.
    """
    by_name: dict[str, Score] = {}
    for entry in card.entries:
        seen = _seen(entry, answer)
        if entry.name in known:
            by_name[entry.name] = known[entry.name]
            continue
        if seen is None:
            by_name[entry.name] = Score(None, f"the conversation has no answer {entry.turn}")
            continue
        if entry.measure.reads_scores:
            seen = replace(seen, scores={n: s.value for n, s in by_name.items()})
        if isinstance(entry.measure, AskingMeasure):
            seen = replace(seen, replies=_replies(card, entry, (replies or {}).get(entry.name)))
        part = _part(card, entry, seen)
        if part is None:
            by_name[entry.name] = Score(0.0, card.beginning.absent)
            continue
        at(entry.name)
        try:
            found = _best(entry.measure, part)
        except (Exception, MemoryError) as error:  # noqa: BLE001
            found = mishap(error)
        by_name[entry.name] = found if part is seen else _told(card, found)
    return by_name


def _best(measure: Measure, answer: Answer) -> Score:
    """The score by the reference, or by that of its right forms which the answer meets best.

    Several references are scored one at a time and the best counts, as in the papers on ROUGE
    (Lin 2004, section 2.1); a judge reads the first alone.
    """
    first = measure.score(answer)
    if not answer.forms or not measure.needs_reference or isinstance(measure, JudgeMeasure):
        return first
    others = [measure.score(replace(answer, reference=form, forms=())) for form in answer.forms]
    best, form = max(
        zip([first, *others], [answer.reference, *answer.forms], strict=True),
        key=lambda found: -1.0 if found[0].value is None else found[0].value,
    )
    return best if best is first else replace(best, why=f"by “{shown(form or '')}”: {best.why}")


def requests_of(
    card: Scorecard, answer: Answer, outcome: Outcome | None = None
) -> list[tuple[str, Request]]:
    """What a scorecard has asked about one output, each with its measure's name.

    Nothing for what is no answer: it scores 0 without being judged.
    """
    outcome = outcome or outcome_of(answer.output, answer.finish_reason)
    if outcome.kind != ANSWERED:
        return []
    asked: list[tuple[str, Request]] = []
    for entry in card.entries:
        if isinstance(entry.measure, AskingMeasure):
            seen = _seen(entry, answer)
            if seen is not None:
                asked += [(entry.name, r) for r in entry.measure.requests(seen)]
    return asked


def judge_requests(
    card: Scorecard, answer: Answer, outcome: Outcome | None = None
) -> list[tuple[str, JudgeRequest]]:
    """Of `requests_of` what its judges are asked."""
    asked = requests_of(card, answer, outcome)
    return [(name, request) for name, request in asked if isinstance(request, JudgeRequest)]


def score_group(
    card: Scorecard,
    answers: Sequence[Answer],
    outcomes: Sequence[Outcome],
    known: Sequence[_Known],
    *,
    at: At = _nobody,
) -> list[Scores]:
    """Score all repeats of one arm on one case together.

    The same as `score_answer` for each, but that group measures see the others.
    known: for each answer the scores that are had already, such as its judges'.
    """
    each = [dict(k) for k in known]
    for entry in card.entries:
        if isinstance(entry.measure, GroupMeasure):
            if all(entry.name in k for k in each):
                continue
            seen = [_seen(entry, a) or a for a in answers]
            parts = [_part(card, entry, s) for s in seen]
            at(entry.name)
            try:
                # One without its part is like no other, not even like another without it.
                read = [p or replace(s, output="") for p, s in zip(parts, seen, strict=True)]
                scores = entry.measure.score_group(read)
            except (Exception, MemoryError) as error:  # noqa: BLE001
                scores = [mishap(error)] * len(seen)
            for one, part, found in zip(each, parts, scores, strict=True):
                one[entry.name] = (
                    Score(0.0, card.beginning.absent) if part is None else _told(card, found)
                )
    return [
        score_answer(card, a, o, known=k, at=at)
        for a, o, k in zip(answers, outcomes, each, strict=True)
    ]


def score_answer(
    card: Scorecard,
    answer: Answer,
    outcome: Outcome | None = None,
    replies: Replies | None = None,
    known: _Known | None = None,
    *,
    at: At = _nobody,
) -> Scores:
    """Score one output by every measure of a scorecard.

    A cut, declined or empty answer is no answer and scores 0 by every measure.
    The total is the weighted mean; missing when a weighted measure or a gate
    has no score (never reweighted); 0 when a gate scores below 1. outcome: what
    the output is taken for, where that was told before. replies: what the
    judges said. known: scores that are had already, by measure name.
    """
    outcome = outcome or outcome_of(answer.output, answer.finish_reason)
    if outcome.kind != ANSWERED:
        zero = Score(0.0, f"{outcome.kind}: {outcome.why}", NO_ANSWER)
        return Scores({e.name: zero for e in card.entries}, zero, 0.0)
    by_name = _each(card, answer, replies, known or {}, at)
    unscored = [
        e.name for e in card.entries if by_name[e.name].value is None and (e.weight > 0 or e.gate)
    ]
    if unscored:
        return Scores(by_name, Score(None, f"no score from {', '.join(unscored)}"), None)
    weight = math.fsum(e.weight for e in card.entries)
    parts = [(e, by_name[e.name].value) for e in card.entries]
    # A measure of weight 0 that has no score is shown and takes no part.
    mean = math.fsum(e.weight * v for e, v in parts if v is not None) / weight
    mean = min(1.0, max(0.0, mean))
    closed = [e.name for e, v in parts if e.gate and v is not None and v < 1]
    if closed:
        return Scores(by_name, Score(0.0, f"the gate {', '.join(closed)} was not passed"), mean)
    why = "weighted mean of " + ", ".join(e.name for e in card.entries if e.weight > 0)
    return Scores(by_name, Score(mean, why), mean)
