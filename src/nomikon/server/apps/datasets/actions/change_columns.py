"""Columns of all cases of a dataset renamed, taken out, joined, split or computed; trials keep what they ran on."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.cases.columns import (
    COMPUTE,
    JOIN,
    REMOVE,
    RENAME,
    SPLIT,
    ColumnsError,
    changing,
    computing,
)
from nomikon.server.apps.datasets.changing import change_cases
from nomikon.server.apps.datasets.errors import CasesChangedError
from nomikon.server.apps.datasets.matching import next_numbers
from nomikon.server.apps.datasets.models import CaseRevision, Dataset, DatasetVersion
from nomikon.server.apps.datasets.versioning import (
    BATCH,
    Change,
    Listed,
    newest_version,
)
from nomikon.server.rows import copy_rows, stored_time

SHOWN = 3
# A formula that takes longer over all cases is given up on: others wait for the disk meanwhile.
LONGEST_S = 30.0
Put = Callable[[Mapping[str, Any], str | None], tuple[dict[str, Any], str]]


@dataclass
class Look:
    """samples: number, inputs before and after. without: how many get no value; whys: of the first."""

    samples: list[tuple[int, dict[str, Any], dict[str, Any]]] = field(default_factory=list)
    without: int = 0
    whys: list[tuple[int, str]] = field(default_factory=list)


def _in_time(until: float) -> None:
    if time.monotonic() > until:
        raise ColumnsError(
            f"working it out for all cases took longer than {LONGEST_S:.0f} s: nothing was changed",
            field="formula",
        )


@dataclass
class ChangeColumns:
    """act, columns, to, mark: as `core.cases.columns.changing` takes them; formula: as `computing` does.
    version, changed: what was looked at."""

    dataset: Dataset
    act: str
    columns: Sequence[str]
    to: Sequence[str]
    mark: str
    version: int
    changed: int
    actor: str
    now: datetime
    formula: str = ""

    def look(self) -> Look:
        """The first cases, and those that get no value. Raises DomainError."""
        newest = self._newest()
        put, _ = self._putting(newest)
        found = Look()
        for number, inputs, reference in self._said(newest):
            after, why = put(inputs, reference)
            if len(found.samples) < SHOWN:
                found.samples.append((number, inputs, after))
            elif self.act != COMPUTE:
                break
            if why:
                found.without += 1
                if len(found.whys) < SHOWN:
                    found.whys.append((number, why))
        return found

    def _said(self, newest: DatasetVersion) -> Iterator[tuple[int, dict[str, Any], str | None]]:
        """Number, inputs and reference of each case; a formula that is slow is given up on."""
        rows = newest.entries.order_by("position").values_list(
            "revision__case__number", "revision__inputs", "revision__reference"
        )
        until = time.monotonic() + LONGEST_S
        for row in rows.iterator(chunk_size=BATCH):
            _in_time(until)
            yield row

    def _putting(self, newest: DatasetVersion) -> tuple[Put, list[str]]:
        if self.act == COMPUTE:
            return computing(self.formula, self.to, newest.columns)
        change, now = changing(self.act, self.columns, self.to, self.mark, newest.columns)
        return lambda inputs, _: (change(inputs), ""), now

    @transaction.atomic
    def execute(self) -> int:
        """How many cases it changed."""
        newest = self._newest()
        put, now = self._putting(newest)
        until = time.monotonic() + LONGEST_S
        at = stored_time(self.now)
        swapped: dict[int, Listed] = {}
        rows = newest.entries.order_by("position").values_list(
            "revision_id",
            "revision__case_id",
            "split",
            "revision__inputs",
            "revision__reference",
        )
        held: list[tuple[int, int, str, dict[str, Any]]] = []
        for row in [*rows.iterator(chunk_size=BATCH), None]:
            if row is not None:
                held.append((row[0], row[1], row[2], put(row[3], row[4])[0]))
            if self.act == COMPUTE:
                _in_time(until)
            if held and (row is None or len(held) == BATCH):
                numbers = next_numbers(case for _, case, _, _ in held)
                made = copy_rows(
                    CaseRevision,
                    ("number", "created_at", "inputs"),
                    [(r, (numbers[case], at, json.dumps(said))) for r, case, _, said in held],
                )
                swapped |= {h[0]: (m, h[2]) for m, h in zip(made, held, strict=True)}
                held = []
        words = self._words()
        change = Change(swapped=swapped, columns_now=now, kinds=self._kinds(newest), as_one=words)
        change_cases(self.dataset, change, why=words, actor=self.actor, now=self.now)
        return len(swapped)

    def _newest(self) -> DatasetVersion:
        newest = newest_version(self.dataset)
        if newest is None or (newest.pk, newest.changed) != (self.version, self.changed):
            raise CasesChangedError(
                "the cases were changed meanwhile: look at the columns again, then change them"
            )
        return newest

    def _kinds(self, newest: DatasetVersion) -> dict[str, str]:
        """A renamed column keeps its kind."""
        kind = newest.kinds.get(self.columns[0]) if self.columns else None
        return {self.to[0].strip(): kind} if self.act == RENAME and kind else {}

    def _words(self) -> str:
        named = " and ".join(self.columns)
        made = " and ".join(n.strip() for n in self.to)
        return {
            RENAME: f"column {named} renamed {made}",
            REMOVE: f"column {named} taken out",
            JOIN: f"columns {named} joined as {made}",
            SPLIT: f"column {named} split into {made}",
            COMPUTE: f"column {made} computed as {self.formula}",
        }[self.act][:280]
