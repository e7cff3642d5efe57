"""One change of every case that a view shows, however many; taken back by one press."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime
from itertools import islice
from typing import Any

from django.db import transaction
from django.db.models import TextField
from django.db.models.functions import Cast

from nomikon.core.cases.kinds import TEXT, typed_value
from nomikon.core.errors import DomainError
from nomikon.server.apps.datasets.arranged import View, arranged
from nomikon.server.apps.datasets.changing import change_cases
from nomikon.server.apps.datasets.errors import CasesChangedError, DatasetError
from nomikon.server.apps.datasets.matching import next_numbers
from nomikon.server.apps.datasets.models import (
    SPLITS,
    CaseRevision,
    Dataset,
    DatasetVersion,
    Entry,
)
from nomikon.server.apps.datasets.sources import read_source
from nomikon.server.apps.datasets.versioning import (
    Change,
    Listed,
    newest_version,
    state_of,
)
from nomikon.server.rows import copy_rows, stored_time

TAG, UNTAG, MOVE, SET, OUT = ACTS = ("tag", "untag", "move", "set", "out")
# Columns that are no inputs.
REFERENCE, SOURCE = "#reference", "#source"
BATCH = 2_000
# Different texts of a field that are worked out once each.
MOST_KNOWN = 5_000


@dataclass
class BulkChange:
    """act: one of ACTS. value: the tag, the split, or the text that `column` is set to.

    first, last: of the rows that the view shows, in its order; version, changed: the id of the
    version that was looked at, and how often it had been changed.
    """

    dataset: Dataset
    view: View
    first: int
    last: int
    version: int
    changed: int
    act: str
    value: str
    column: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> tuple[DatasetVersion, int]:
        """The version after it, and how many cases it changed. Raises DatasetError."""
        before = newest_version(self.dataset)
        if before is None or (before.pk, before.changed) != (self.version, self.changed):
            raise CasesChangedError(
                "the cases were changed meanwhile: look at them again, then change them"
            )
        wanted = arranged(state_of(before), self.view)[self.first : self.last + 1]
        if not wanted:
            raise DatasetError("no case is chosen")
        out = frozenset(self._revisions(wanted)) if self.act == OUT else frozenset()
        swapped = {} if self.act == OUT else self._swapped(before, wanted)
        n = len(out) + len(swapped)
        if n == 0:
            raise DatasetError("nothing is to be done: every chosen case is so already")
        words = self._words(n)
        change = Change(swapped=swapped, removed=out, as_one=words)
        version = change_cases(self.dataset, change, why=words, actor=self.actor, now=self.now)
        return version, n

    def _revisions(self, entries: list[int]) -> list[int]:
        found: list[int] = []
        for start in range(0, len(entries), BATCH):
            some = Entry.objects.filter(pk__in=entries[start : start + BATCH])
            found += some.values_list("revision_id", flat=True)
        return found

    def _swapped(self, before: DatasetVersion, entries: list[int]) -> dict[int, Listed]:
        if self.act == MOVE:
            return self._moved(entries)
        name, put = self._putting(before)
        at = stored_time(self.now)
        swapped: dict[int, Listed] = {}
        chosen = set(entries)
        become = _Becoming(put, is_json=name in ("tags", "inputs"))
        found = self._stored_texts(before, name)
        many = len(entries) > BATCH
        of_all = next_numbers((), self.dataset) if many else {}
        while some := list(islice(found, BATCH)):
            rows = [
                (revision, case, split, new)
                for entry, revision, case, split, *old in some
                if entry in chosen and (new := become(*old)) != old[0]
            ]
            numbers = of_all if many else next_numbers(case for _, case, *_ in rows)
            made = copy_rows(
                CaseRevision,
                ("number", "created_at", name),
                [(revision, (numbers[case], at, new)) for revision, case, _, new in rows],
            )
            swapped |= {row[0]: (m, row[2]) for m, row in zip(made, rows, strict=True)}
        return swapped

    @staticmethod
    def _stored_texts(before: DatasetVersion, name: str) -> Iterator[tuple[Any, ...]]:
        """Entry, revision, case, split and the field as the database holds it; of inputs the
        conversation, too. Reading JSON of 100,000 cases where most say the same takes seconds."""
        told = before.entries.order_by("pk").annotate(
            said=Cast(f"revision__{name}", TextField()),
            talk=Cast("revision__conversation", TextField()),
        )
        more = ("talk",) if name == "inputs" else ()
        rows = told.values_list("pk", "revision_id", "revision__case_id", "split", "said", *more)
        return rows.iterator(chunk_size=BATCH)

    def _moved(self, entries: list[int]) -> dict[int, Listed]:
        if self.value not in SPLITS:
            raise DatasetError("allowed are working and held-out", field="value")
        swapped: dict[int, Listed] = {}
        for start in range(0, len(entries), BATCH):
            some = Entry.objects.filter(pk__in=entries[start : start + BATCH])
            others = some.exclude(split=self.value).values_list("revision_id", flat=True)
            swapped |= {r: (r, self.value) for r in others}
        return swapped

    def _putting(self, before: DatasetVersion) -> tuple[str, Callable[..., Any]]:
        """Which field of a case is changed, and what becomes of it. Raises DatasetError."""
        value = self.value.strip()
        if self.act in (TAG, UNTAG):
            if not value or ";" in value:
                raise DatasetError("a tag is a word or more, without a semicolon", field="value")
            if self.act == TAG:
                return "tags", lambda tags: tags if value in tags else [*tags, value]
            return "tags", lambda tags: [t for t in tags if t != value]
        if self.act != SET:
            raise DatasetError(f"{self.act!r} is no act; there are {', '.join(ACTS)}", field="act")
        if self.column == REFERENCE:
            return "reference", lambda _: self.value or None
        if self.column == SOURCE:
            source = read_source(self.value)
            return "source", lambda _: source
        if self.column not in before.columns:
            raise DatasetError(f"there is no column {self.column!r}", field="column")
        kind = before.kinds.get(self.column, TEXT)

        def put(inputs: dict[str, Any], conversation: Any) -> dict[str, Any]:
            try:
                former = inputs.get(self.column)
                typed = typed_value(self.value, kind, former, column=self.column)
            except DomainError as error:
                raise DatasetError(error.message, field="value") from error
            changed = {**inputs, self.column: typed}
            if conversation is None and not any(v not in ("", None) for v in changed.values()):
                raise DatasetError("every input of a case would be empty", field="value")
            return changed

        return "inputs", put

    def _words(self, n: int) -> str:
        cases = f"{n:,} case{'' if n == 1 else 's'}"
        name = self.column.removeprefix("#")
        return {
            TAG: f"tag {self.value.strip()} put on {cases}",
            UNTAG: f"tag {self.value.strip()} taken off {cases}",
            MOVE: f"{cases} made {self.value}",
            SET: f"{name} of {cases} set",
            OUT: f"{cases} taken out",
        }[self.act][:280]


class _Becoming:
    """What a stored field becomes, as it is stored; worked out once for each text there is."""

    def __init__(self, put: Callable[..., Any], *, is_json: bool) -> None:
        self._put, self._is_json = put, is_json
        self._known: dict[tuple[str | None, ...], str | None] = {}

    def __call__(self, *told: str | None) -> str | None:
        if told not in self._known:
            if len(self._known) > MOST_KNOWN:
                self._known.clear()
            self._known[told] = self._worked_out(*told)
        return self._known[told]

    def _worked_out(self, *told: str | None) -> str | None:
        if not self._is_json:
            found: str | None = self._put(*told)
            return found
        values = [None if t is None else json.loads(t) for t in told]
        new = self._put(*values)
        # The same in other words, such as other blanks between, is no change.
        return told[0] if new == values[0] else json.dumps(new)
