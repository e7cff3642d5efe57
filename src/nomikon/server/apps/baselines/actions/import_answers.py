"""Answers that stand in a file: each line finds its case, and what finds none is told."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal, InvalidOperation
from itertools import islice
from typing import Any

from django.db import transaction

from nomikon.core.cases import OpenTable, Record, Refused
from nomikon.core.cases.tables import whole_cells
from nomikon.core.prompts.rendering import value_as_text
from nomikon.server.apps.baselines.errors import BaselineError
from nomikon.server.apps.baselines.models import Baseline, BaselineAnswer
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.matching import BY_ID, Listed, Matcher
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.rows import insert_rows, stored_time, update_rows

ANSWER, INPUT, ID, LEAVE_OUT = "answer", "input", "id", "leave-out"
FIGURES = ("tokens-in", "tokens-out", "cost", "milliseconds", "seconds")
ROLES = (ANSWER, INPUT, ID, *FIGURES, LEAVE_OUT)
# So many lines tell what a column holds.
LOOKED_AT = 50
# An answer that is longer is a file that was taken for one.
LONGEST = 2_000_000
BATCH = 500
MOST_TOLD, SAMPLES, EXAMPLES, LONGEST_EXAMPLE = 1000, 3, 2, 120
# Digits in threes, parted by a mark; a group of three zeros at the front is a fraction (0.002).
_GROUPED = re.compile(r"[1-9]\d{0,2}(?:[,.'’\u00a0\u202f ]\d{3})+")
_MARK = re.compile(r"[,.'’\u00a0\u202f ]")
_STORED = ("text", "tokens_in", "tokens_out", "cost_nano", "latency_ms")


@dataclass(frozen=True)
class Brought:
    """What one line says of one case."""

    listed: Listed
    text: str
    figures: Mapping[str, Any]

    @property
    def stored(self) -> tuple[Any, ...]:
        return (self.text, *(self.figures.get(name) for name in _STORED[1:]))


@dataclass
class Came:
    """What came of a file: answers to cases that had none, other answers, equal ones, refused lines."""

    rows: int = 0
    new: int = 0
    changed: int = 0
    same: int = 0
    n_refused: int = 0
    refused: list[Refused] = field(default_factory=list)
    samples: list[Brought] = field(default_factory=list)
    answered: set[int] = field(default_factory=set)
    # What has to be said before the file can be read.
    amiss: str = ""
    # By column, from the first lines.
    examples: dict[str, list[str]] = field(default_factory=dict)

    def note(self, record: Record) -> None:
        """Keep what a column holds, as an example of it."""
        for column, value in record.values.items():
            held = self.examples.setdefault(column, [])
            if len(held) < EXAMPLES and (told := _told(value).strip()):
                held.append(told[:LONGEST_EXAMPLE])


@dataclass
class ImportAnswers:
    """mapping: column → {"as": one of ROLES, "name": the input it holds}. by: inputs by which a line
    finds its case, or BY_ID. told: called with lines read and refused. stopped: whether to go on.
    """

    baseline: Baseline
    table: OpenTable
    mapping: Mapping[str, Mapping[str, str]]
    by: tuple[str, ...]
    source: str
    actor: str
    now: datetime
    told: Callable[[int, int], None] = lambda read, refused: None
    stopped: Callable[[], bool] = lambda: False

    def check(self) -> None:
        """Raises BaselineError with the field that is wrong."""
        roles = [self.role_of(c) for c in self.table.columns]
        for column, role in zip(self.table.columns, roles, strict=True):
            if role not in ROLES:
                raise BaselineError(
                    f"{role!r} is no use for a column; allowed are {', '.join(ROLES)}",
                    field=f"mapping.{column}",
                )
        if roles.count(ANSWER) != 1:
            raise BaselineError("choose the one column that holds the answers", field="mapping")
        for role in (ID, *FIGURES):
            if roles.count(role) > 1:
                raise BaselineError(f"two columns are both the {role}", field="mapping")
        if not self.by:
            raise BaselineError("say by what a line finds its case", field="by")
        if self.by == (BY_ID,):
            if ID not in roles:
                raise BaselineError("no column of the file is the id of its case", field="by")
        else:
            given = {self._input(c) for c in self.table.columns if self.role_of(c) == INPUT}
            missing = [name for name in self.by if name not in given]
            if missing:
                raise BaselineError(f"no column of the file is the input {missing[0]}", field="by")

    def role_of(self, column: str) -> str:
        """What a column is taken for."""
        return self.mapping.get(column, {}).get("as", LEAVE_OUT)

    def _input(self, column: str) -> str:
        return self.mapping.get(column, {}).get("name", "").strip() or column

    def look(self) -> Came:
        """What would come of it; nothing is stored. Where something is still to be said, the examples
        and what that is."""
        came = Came()
        try:
            self.check()
        except BaselineError as error:
            came.amiss = error.message
            for record in islice(self.table.records(), LOOKED_AT):
                if isinstance(record, Record):
                    came.note(record)
            return came
        for _ in self._batches(came):
            if self.stopped():
                break
        return came

    def execute(self) -> Came:
        """Raises BaselineError where no line finds a case."""
        self.check()
        came = Came()
        gathered = list(self._batches(came))
        if self.stopped():
            raise BaselineError("stopped: no answer was taken", field="file")
        if not (came.new or came.changed):
            first = (
                f": line {came.refused[0].line}: {came.refused[0].reason}" if came.refused else ""
            )
            raise BaselineError(
                "nothing is to be done: every answer that finds its case stands there already"
                if came.same
                else f"no line found its case{first}",
                field="file",
            )
        self._take(gathered, came)
        return came

    @transaction.atomic
    def _take(self, gathered: list[tuple[list[Brought], list[Brought]]], came: Came) -> None:
        for new, changed in gathered:
            self._store(new, changed)
        write_ledger(
            "baseline.imported",
            self.baseline,
            actor=self.actor,
            now=self.now,
            brief=self.baseline.dataset.brief,
            facts={
                "name": self.baseline.name,
                "added": came.new,
                "changed": came.changed,
                "refused": came.n_refused,
                "source": self.source,
            },
        )

    def _batches(self, came: Came) -> Iterator[tuple[list[Brought], list[Brought]]]:
        """Answers to cases that had none, and answers that take the place of another."""
        batch: list[Brought] = []
        for row in self._lines(came):
            came.rows += 1
            if isinstance(row, Refused):
                came.n_refused += 1
                if len(came.refused) < MOST_TOLD:
                    came.refused.append(row)
            else:
                batch.append(row)
                came.answered.add(row.listed.case)
                if len(came.samples) < SAMPLES:
                    came.samples.append(row)
            if came.rows % BATCH == 0:
                yield self._parted(batch, came)
                batch = []
                self.told(came.rows, came.n_refused)
        yield self._parted(batch, came)

    def _parted(self, batch: list[Brought], came: Came) -> tuple[list[Brought], list[Brought]]:
        there = {
            case: said
            for case, *said in self.baseline.answers.filter(
                case__in=[b.listed.case for b in batch]
            ).values_list("case_id", *_STORED)
        }
        new = [b for b in batch if b.listed.case not in there]
        changed = [
            b for b in batch if b.listed.case in there and tuple(there[b.listed.case]) != b.stored
        ]
        came.new += len(new)
        came.changed += len(changed)
        came.same += len(batch) - len(new) - len(changed)
        return new, changed

    def _lines(self, came: Came) -> Iterator[Brought | Refused]:
        matcher = Matcher(self.baseline.dataset, self.by, adds=False)
        for record in self.table.records():
            if isinstance(record, Refused):
                yield record
                continue
            if came.rows < LOOKED_AT:
                came.note(record)
            try:
                yield self._brought(record, matcher)
            except (DatasetError, BaselineError) as error:
                cells = [_told(record.values.get(c)) for c in self.table.columns]
                yield Refused(record.line, error.message, whole_cells(cells))

    def _brought(self, record: Record, matcher: Matcher) -> Brought:
        number = text = ""
        inputs: dict[str, Any] = {}
        figures: dict[str, Any] = {}
        for column, value in record.values.items():
            role = self.role_of(column)
            told = _told(value)
            if role == ID:
                number = told
            elif role == INPUT:
                inputs[self._input(column)] = value
            elif role == ANSWER:
                text = told
            elif role in FIGURES and told.strip():
                figures |= _figure(role, told.strip(), column)
        if not text.strip():
            raise BaselineError("the answer is empty")
        if len(text) > LONGEST:
            raise BaselineError(
                f"the answer has {len(text):,} characters; at most {LONGEST:,} are taken"
            )
        listed = matcher.find(number, inputs, record.line)
        assert listed is not None
        return Brought(listed, text, figures)

    def _store(self, new: list[Brought], changed: list[Brought]) -> None:
        at = stored_time(self.now)
        told = ("revision_id", *_STORED, "written_by", "written_at")
        rows = [
            (b.listed.case, (b.listed.revision, *b.stored, self.actor, at))
            for b in [*new, *changed]
        ]
        insert_rows(
            BaselineAnswer,
            [
                {
                    "baseline_id": self.baseline.pk,
                    "case_id": case,
                    **dict(zip(told, values, strict=True)),
                }
                for case, values in rows[: len(new)]
            ],
        )
        update_rows(
            BaselineAnswer,
            told,
            ("baseline_id", "case_id"),
            [(*values, self.baseline.pk, case) for case, values in rows[len(new) :]],
        )


def _told(value: Any) -> str:
    return "" if value is None else value_as_text(value)


def _figure(role: str, told: str, column: str) -> dict[str, Any]:
    """A figure as it is stored. Tokens are whole, so that what parts their digits is no point;
    of others one that may be either is refused."""
    whole = role in ("tokens-in", "tokens-out")
    if _GROUPED.fullmatch(told):
        if not whole and len(_MARK.findall(told)) == 1:
            raise BaselineError(
                f"{column} is {told!r}, which can be read two ways: write it without a mark, or "
                "with a further digit"
            )
        told = _MARK.sub("", told)
    try:
        value = Decimal(told.replace(",", "."))
    except InvalidOperation:
        value = Decimal("NaN")
    if not value.is_finite() or not 0 <= value < 10**9:
        raise BaselineError(f"{column} is {told[:40]!r}, which is no amount")
    if whole:
        if value != int(value):
            raise BaselineError(f"{column} is {told[:40]!r}; tokens are whole")
        return {role.replace("-", "_"): int(value)}
    if role == "cost":
        return {"cost_nano": int(value * 10**9)}
    return {"latency_ms": float(value) * (1000 if role == "seconds" else 1)}
