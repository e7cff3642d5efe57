"""Add rows of a table to a dataset as a new dataset version."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Max

from nomikon.core.cases import Refused, Table
from nomikon.server.datasets.actions.create_dataset import DatasetError
from nomikon.server.datasets.models import (
    HELD_OUT,
    SPLITS,
    WORKING,
    Case,
    CaseRevision,
    Dataset,
    DatasetVersion,
)
from nomikon.server.datasets.versioning import BATCH, listed, next_version
from nomikon.server.ledger.write import write_ledger

INPUT, REFERENCE, SPLIT, TAGS, LEAVE_OUT = "input", "reference", "split", "tags", "leave-out"
CONVERSATION = "conversation"
ROLES = (INPUT, REFERENCE, CONVERSATION, SPLIT, TAGS, LEAVE_OUT)


@dataclass(frozen=True)
class Imported:
    """What an import did: the new version, how many cases came in, what was refused."""

    version: DatasetVersion
    added: int
    refused: list[Refused] = field(default_factory=list)


@dataclass
class ImportCases:
    """mapping: column -> {"as": one of ROLES, "name": input name}. split: where no column tells."""

    dataset: Dataset
    table: Table
    mapping: Mapping[str, Mapping[str, str]]
    split: str
    actor: str
    now: datetime
    source: str = ""

    def check(self) -> None:
        if self.split not in SPLITS:
            raise DatasetError(
                f"split is {self.split!r}; allowed are working and held-out", field="split"
            )
        unknown = [c for c in self.mapping if c not in self.table.columns]
        if unknown:
            raise DatasetError(
                f"the file has no column {unknown[0]!r}", field=f"mapping.{unknown[0]}"
            )
        names: dict[str, str] = {}
        for column in self.table.columns:
            role = self._role(column)
            if role not in ROLES:
                raise DatasetError(
                    f"{role!r} is no use for a column; allowed are {', '.join(ROLES)}",
                    field=f"mapping.{column}",
                )
            if role == INPUT:
                name = self._input_name(column)
                if name in names:
                    raise DatasetError(
                        f"the columns {names[name]} and {column} both become the input {name}",
                        field=f"mapping.{column}",
                    )
                names[name] = column
        for role in (REFERENCE, SPLIT, TAGS):
            if sum(self._role(c) == role for c in self.table.columns) > 1:
                raise DatasetError(f"two columns are both the {role}", field="mapping")
        if not names:
            raise DatasetError(
                "no column is an input, so a prompt would have nothing to read", field="mapping"
            )

    def _role(self, column: str) -> str:
        return self.mapping.get(column, {}).get("as", INPUT)

    def _input_name(self, column: str) -> str:
        return self.mapping.get(column, {}).get("name", "").strip() or column

    @transaction.atomic
    def execute(self) -> Imported:
        self.check()
        rows, refused = self._rows()
        if not rows:
            reason = f": line {refused[0].line}: {refused[0].reason}" if refused else ""
            raise DatasetError(f"the file holds no usable case{reason}", field="file")
        kept = listed(self.dataset.versions.order_by("-number").first())
        first = (self.dataset.cases.aggregate(last=Max("number"))["last"] or 0) + 1
        cases = Case.objects.bulk_create(
            [Case(dataset=self.dataset, number=first + i) for i in range(len(rows))],
            batch_size=BATCH,
        )
        revisions = CaseRevision.objects.bulk_create(
            [
                CaseRevision(
                    case=case,
                    number=1,
                    inputs=inputs,
                    reference=reference,
                    tags=tags,
                    created_at=self.now,
                )
                for case, (inputs, reference, _, tags) in zip(cases, rows, strict=True)
            ],
            batch_size=BATCH,
        )
        version = next_version(
            self.dataset,
            [*kept, *((r.pk, split) for r, (_, _, split, _) in zip(revisions, rows, strict=True))],
            columns=(name for row in rows for name in row[0]),
            note=f"{len(rows)} cases from {self.source}" if self.source else "",
            now=self.now,
        )
        write_ledger(
            "cases.imported",
            version,
            actor=self.actor,
            now=self.now,
            brief=self.dataset.brief,
            facts={
                "dataset": self.dataset.name,
                "added": len(rows),
                "refused": len(refused),
                "source": self.source,
            },
        )
        return Imported(version, len(rows), refused)

    def _rows(
        self,
    ) -> tuple[list[tuple[dict[str, Any], str | None, str, list[str]]], list[Refused]]:
        taken, refused = [], list(self.table.refused)
        for line, row in zip(self.table.lines, self.table.rows, strict=True):
            inputs: dict[str, Any] = {}
            reference, split, tags = None, self.split, []
            problem = ""
            for column in self.table.columns:
                role, value = self._role(column), row.get(column)
                if role == INPUT and column in row:
                    inputs[self._input_name(column)] = value
                elif role == REFERENCE and value not in (None, ""):
                    reference = (
                        value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
                    )
                elif role == SPLIT and value not in (None, ""):
                    split = _split_of(value)
                    if split not in SPLITS:
                        problem = f"split is {value!r}; allowed are working and held-out"
                elif role == TAGS and value:
                    found = value if isinstance(value, list) else str(value).split(";")
                    tags = [str(t).strip() for t in found if str(t).strip()]
            if not problem and not any(v not in (None, "") for v in inputs.values()):
                problem = "every input is empty"
            if problem:
                refused.append(Refused(line, problem))
            else:
                taken.append((inputs, reference, split, tags))
        return taken, sorted(refused, key=lambda r: r.line)


def _split_of(value: Any) -> str:
    """Common spellings of the two splits."""
    text = str(value).strip().lower().replace("_", "-").replace(" ", "-")
    return {"heldout": HELD_OUT, "held-out": HELD_OUT, "working": WORKING}.get(text, text)
