"""Columns of all cases of a dataset renamed, taken out, joined or split; trials keep what they ran on."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.cases.columns import JOIN, REMOVE, RENAME, SPLIT, changing
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


@dataclass
class ChangeColumns:
    """act, columns, to, mark: as `core.cases.columns.changing` takes them. version, changed: what was
    looked at."""

    dataset: Dataset
    act: str
    columns: Sequence[str]
    to: Sequence[str]
    mark: str
    version: int
    changed: int
    actor: str
    now: datetime

    def look(self) -> list[tuple[int, dict[str, Any], dict[str, Any]]]:
        """The first cases: number, inputs before and after. Raises DomainError."""
        newest = self._newest()
        put, _ = changing(self.act, self.columns, self.to, self.mark, newest.columns)
        entries = newest.entries.order_by("position").select_related("revision__case")[:SHOWN]
        return [
            (e.revision.case.number, e.revision.inputs, put(e.revision.inputs)) for e in entries
        ]

    @transaction.atomic
    def execute(self) -> int:
        """How many cases it changed."""
        newest = self._newest()
        put, now = changing(self.act, self.columns, self.to, self.mark, newest.columns)
        at = stored_time(self.now)
        swapped: dict[int, Listed] = {}
        rows = newest.entries.order_by("position").values_list(
            "revision_id", "revision__case_id", "split", "revision__inputs"
        )
        held: list[tuple[int, int, str, dict[str, Any]]] = []
        for row in [*rows.iterator(chunk_size=BATCH), None]:
            if row is not None:
                held.append((row[0], row[1], row[2], put(row[3])))
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
        kind = newest.kinds.get(self.columns[0])
        return {self.to[0].strip(): kind} if self.act == RENAME and kind else {}

    def _words(self) -> str:
        named = " and ".join(self.columns)
        made = " and ".join(n.strip() for n in self.to)
        return {
            RENAME: f"column {named} renamed {made}",
            REMOVE: f"column {named} taken out",
            JOIN: f"columns {named} joined as {made}",
            SPLIT: f"column {named} split into {made}",
        }[self.act][:280]
