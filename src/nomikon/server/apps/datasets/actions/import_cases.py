"""Add rows of a table to a dataset: stored in batches, listed all at once at the end or not at all."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from nomikon.core.cases import OpenTable, Record, Refused, Table
from nomikon.core.cases.kinds import KINDS
from nomikon.core.errors import DomainError
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.trials import read_conversation
from nomikon.server.apps.datasets.actions.create_dataset import DatasetError
from nomikon.server.apps.datasets.models import (
    HELD_OUT,
    SPLITS,
    WORKING,
    Case,
    CaseImport,
    CaseRevision,
    Dataset,
    DatasetVersion,
)
from nomikon.server.apps.datasets.sources import read_source
from nomikon.server.apps.datasets.versioning import BATCH, Change, Place, change_listing
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.rows import insert_rows, stored_time

INPUT, REFERENCE, SPLIT, TAGS, LEAVE_OUT = "input", "reference", "split", "tags", "leave-out"
CONVERSATION, SOURCE = "conversation", "source"
ROLES = (INPUT, REFERENCE, CONVERSATION, SPLIT, TAGS, SOURCE, LEAVE_OUT)
# Refused rows are counted to the end; so many are told with their reason.
MOST_TOLD = 1000
# An import that was not heard of for so long has ended without saying so.
SILENCE = timedelta(seconds=60)
# After each batch other writers get their turn.
PAUSE_S = 0.01


class ImportStoppedError(DomainError):
    """The person stopped the import; nothing of it was kept."""

    code = "import_stopped"


@dataclass(frozen=True)
class Imported:
    """What an import did: the version, how many cases came in, what was refused (the first ones)."""

    version: DatasetVersion
    added: int
    n_refused: int
    refused: list[Refused] = field(default_factory=list)


@dataclass(frozen=True)
class NewCase:
    """One row as it becomes a case."""

    inputs: dict[str, Any]
    reference: str | None
    conversation: Any
    split: str
    tags: list[str]
    source: str


@dataclass
class ImportCases:
    """mapping: column -> {"as": one of ROLES, "name": input name, "kind": of its values}.

    split: where no column tells. told: called with rows read and rows refused
    after every batch. stopped: asked after every batch whether to go on.
    """

    dataset: Dataset
    table: Table | OpenTable
    mapping: Mapping[str, Mapping[str, str]]
    split: str
    actor: str
    now: datetime
    source: str = ""
    told: Callable[[int, int], None] = lambda read, refused: None
    stopped: Callable[[], bool] = lambda: False

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
            kind = self.mapping.get(column, {}).get("kind")
            if kind is not None and kind not in KINDS:
                raise DatasetError(
                    f"{kind!r} is no kind of column; allowed are {', '.join(KINDS)}",
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
        for role in (REFERENCE, CONVERSATION, SPLIT, TAGS, SOURCE):
            if sum(self._role(c) == role for c in self.table.columns) > 1:
                raise DatasetError(f"two columns are both the {role}", field="mapping")
        talks = any(self._role(c) == CONVERSATION for c in self.table.columns)
        if not names and not talks:
            raise DatasetError(
                "no column is an input, so a prompt would have nothing to read", field="mapping"
            )

    def _role(self, column: str) -> str:
        return self.mapping.get(column, {}).get("as", INPUT)

    def _input_name(self, column: str) -> str:
        return self.mapping.get(column, {}).get("name", "").strip() or column

    def execute(self) -> Imported:
        """Raises DatasetError, TableError, or ImportStoppedError; then nothing is kept."""
        self.check()
        self._begin()
        places: list[Place] = []
        refused: list[Refused] = []
        n_refused = 0
        try:
            batch: list[NewCase] = []
            for read, made in enumerate(self._cases(), 1):
                if isinstance(made, Refused):
                    n_refused += 1
                    if len(refused) < MOST_TOLD:
                        refused.append(made)
                else:
                    batch.append(made)
                if read % BATCH == 0:
                    places += self._store(batch)
                    batch = []
                    self._pause(read, n_refused)
            places += self._store(batch)
            self._pause(len(places) + n_refused, n_refused)
            if not places:
                reason = f": line {refused[0].line}: {refused[0].reason}" if refused else ""
                raise DatasetError(f"the file holds no usable case{reason}", field="file")
            version = self._list(places, n_refused)
        except BaseException:
            self._clear_away()
            raise
        return Imported(version, len(places), n_refused, refused)

    def _begin(self) -> None:
        """One import at a time into a dataset; what one left behind that died is cleared away."""
        under_way = CaseImport.objects.filter(dataset=self.dataset).first()
        if under_way is not None:
            if timezone.now() - under_way.beat_at < SILENCE:
                raise DatasetError("another import into this dataset is under way: wait for it")
            self._clear_away()
        with transaction.atomic():
            if CaseImport.objects.filter(dataset=self.dataset).exists():
                raise DatasetError("another import into this dataset is under way: wait for it")
            mark = Case.objects.aggregate(last=Max("pk"))["last"] or 0
            CaseImport.objects.create(dataset=self.dataset, mark=mark, beat_at=timezone.now())

    def _clear_away(self) -> None:
        """What was stored and is listed nowhere goes, by batches as it came; the claim last."""
        for claim in CaseImport.objects.filter(dataset=self.dataset):
            left = Case.objects.filter(
                dataset=self.dataset, pk__gt=claim.mark, revisions__entries__isnull=True
            )
            while ids := list(left.values_list("pk", flat=True)[:BATCH]):
                with transaction.atomic():
                    Case.objects.filter(pk__in=ids).delete()
                time.sleep(PAUSE_S)
            claim.delete()

    def _pause(self, read: int, refused: int) -> None:
        self.told(read, refused)
        if self.stopped():
            raise ImportStoppedError("the import was stopped; nothing of it was kept")
        time.sleep(PAUSE_S)

    @transaction.atomic
    def _store(self, batch: list[NewCase]) -> list[Place]:
        if not batch:
            return []
        CaseImport.objects.filter(dataset=self.dataset).update(beat_at=timezone.now())
        first = (self.dataset.cases.aggregate(last=Max("number"))["last"] or 0) + 1
        cases = insert_rows(
            Case,
            [{"dataset_id": self.dataset.pk, "number": first + i} for i in range(len(batch))],
        )
        at = stored_time(self.now)
        revisions = insert_rows(
            CaseRevision,
            [
                {
                    "case_id": case,
                    "number": 1,
                    "inputs": json.dumps(new.inputs),
                    "conversation": None
                    if new.conversation is None
                    else json.dumps(new.conversation),
                    "reference": new.reference,
                    "tags": json.dumps(new.tags),
                    "source": new.source,
                    "created_at": at,
                }
                for case, new in zip(cases, batch, strict=True)
            ],
        )
        return [Place(r, new.split) for r, new in zip(revisions, batch, strict=True)]

    @transaction.atomic
    def _list(self, places: list[Place], n_refused: int) -> DatasetVersion:
        columns = [c for c in self.table.columns if self._role(c) == INPUT]
        kinds = {
            self._input_name(c): self.mapping[c]["kind"]
            for c in columns
            if "kind" in self.mapping.get(c, {})
        }
        version = change_listing(
            self.dataset,
            Change(
                added=places,
                columns=[self._input_name(c) for c in columns],
                kinds=kinds,
                apart=True,
            ),
            note=f"{len(places)} cases from {self.source}" if self.source else "",
            now=self.now,
        )
        CaseImport.objects.filter(dataset=self.dataset).delete()
        write_ledger(
            "cases.imported",
            version,
            actor=self.actor,
            now=self.now,
            brief=self.dataset.brief,
            facts={
                "dataset": self.dataset.name,
                "added": len(places),
                "refused": n_refused,
                "source": self.source,
            },
        )
        return version

    def _cases(self) -> Iterator[NewCase | Refused]:
        for record in self.table.records():
            yield record if isinstance(record, Refused) else self._case(record)

    def _case(self, record: Record) -> NewCase | Refused:
        row = record.values
        inputs: dict[str, Any] = {}
        reference: str | None = None
        conversation: Any = None
        split, tags, source = self.split, [], ""
        for column in self.table.columns:
            role, value = self._role(column), row.get(column)
            if role == INPUT and column in row:
                inputs[self._input_name(column)] = value
            elif value in (None, ""):
                continue
            elif role == REFERENCE:
                reference = (
                    value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
                )
            elif role == CONVERSATION:
                try:
                    conversation = read_conversation(_unpacked(value)).as_plain()
                except DomainError as error:
                    return Refused(record.line, error.message)
            elif role == SPLIT:
                split = split_of(value)
                if split not in SPLITS:
                    return Refused(
                        record.line, f"split is {value!r}; allowed are working and held-out"
                    )
            elif role == TAGS:
                found = value if isinstance(value, list) else str(value).split(";")
                tags = [str(t).strip() for t in found if str(t).strip()]
            elif role == SOURCE:
                try:
                    source = read_source(value_as_text(value))
                except DatasetError as error:
                    return Refused(record.line, error.message)
        if conversation is None and not any(v not in (None, "") for v in inputs.values()):
            return Refused(record.line, "every input is empty")
        return NewCase(inputs, reference, conversation, split, tags, source)


def _unpacked(value: Any) -> Any:
    """A conversation in a cell of text is written as JSON."""
    if not isinstance(value, str):
        return value
    try:
        return json.loads(value)
    except (ValueError, RecursionError):
        return value


def split_of(value: Any) -> str:
    """Common spellings of the two splits."""
    text = str(value).strip().lower().replace("_", "-").replace(" ", "-")
    return {"heldout": HELD_OUT, "held-out": HELD_OUT, "working": WORKING}.get(text, text)
