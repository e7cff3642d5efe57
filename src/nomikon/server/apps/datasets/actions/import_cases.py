"""Add rows of a table to a dataset: stored in batches, listed all at once at the end or not at all."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from nomikon.core.cases import OpenTable, Record, Refused, Table
from nomikon.core.cases.forms import forms_in, read_forms
from nomikon.core.cases.kinds import KINDS
from nomikon.core.cases.tables import whole_cells
from nomikon.core.errors import DomainError
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.trials import read_conversation
from nomikon.server.apps.datasets.errors import CasesChangedError, DatasetError
from nomikon.server.apps.datasets.matching import (
    BY_ID,
    Content,
    Listed,
    Matcher,
    contents,
    differences,
    merged,
    next_numbers,
    revision_row,
)
from nomikon.server.apps.datasets.models import (
    HELD_OUT,
    LONGEST_ID,
    SPLITS,
    WORKING,
    Case,
    CaseImport,
    CaseRevision,
    Dataset,
    DatasetVersion,
)
from nomikon.server.apps.datasets.sources import read_source
from nomikon.server.apps.datasets.versioning import (
    BATCH,
    Change,
    Place,
    change_listing,
    newest_version,
    state_of,
)
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.rows import insert_rows, stored_time

INPUT, REFERENCE, SPLIT, TAGS, LEAVE_OUT = "input", "reference", "split", "tags", "leave-out"
CONVERSATION, SOURCE, ID, FORMS = "conversation", "source", "id", "forms"
ROLES = (INPUT, REFERENCE, FORMS, CONVERSATION, SPLIT, TAGS, SOURCE, ID, LEAVE_OUT)
# What becomes of cases that the file does not speak of.
KEEP, REMOVE = GONE = ("keep", "remove")
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
    """What an import did: the version, how many cases came in, what was refused (the first ones).

    changed, equal, removed: of an update.
    """

    version: DatasetVersion
    added: int
    n_refused: int
    refused: list[Refused] = field(default_factory=list)
    changed: int = 0
    equal: int = 0
    removed: int = 0


@dataclass(frozen=True)
class NewCase:
    """One row as it becomes a case. split: "" where the row says none. found: the case it is about."""

    line: int
    content: Content
    split: str
    found: Listed | None = None
    own_id: str = ""
    # A case of this id that was taken out before: it comes back as the same case.
    former: int | None = None


@dataclass
class Gathered:
    """What came of the rows so far."""

    places: list[Place] = field(default_factory=list)
    swapped: dict[int, tuple[int, str]] = field(default_factory=dict)
    equal: int = 0
    refused: list[Refused] = field(default_factory=list)
    n_refused: int = 0

    def refuse(self, row: Refused) -> None:
        """Count a refused row, and keep it where it is one of the first."""
        self.n_refused += 1
        if len(self.refused) < MOST_TOLD:
            self.refused.append(row)


@dataclass
class ImportCases:
    """mapping: column -> {"as": one of ROLES, "name": input name, "kind": of its values}.

    split: where no column tells. by: columns by which a row finds its case and changes it, or
    BY_ID; none adds every row, but where a case has the row's id already it changes that one. gone: what becomes of cases that no row speaks of. mended: by line,
    what a person has put in place of what stands there; only_mended: no other line comes in. told: called with rows read and rows refused
    after every batch. stopped: asked after every batch whether to go on.
    """

    dataset: Dataset
    table: Table | OpenTable
    mapping: Mapping[str, Mapping[str, str]]
    split: str
    actor: str
    now: datetime
    source: str = ""
    by: tuple[str, ...] = ()
    gone: str = KEEP
    mended: Mapping[int, Mapping[str, str]] = field(default_factory=dict)
    only_mended: bool = False
    told: Callable[[int, int], None] = lambda read, refused: None
    stopped: Callable[[], bool] = lambda: False

    def check(self) -> None:
        if self.split not in SPLITS:
            raise DatasetError(
                f"split is {self.split!r}; allowed are working and held-out", field="split"
            )
        if self.gone not in GONE:
            raise DatasetError(f"gone is {self.gone!r}; allowed are keep and remove", field="gone")
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
        for role in (REFERENCE, CONVERSATION, SPLIT, TAGS, SOURCE, ID):
            if sum(self._role(c) == role for c in self.table.columns) > 1:
                raise DatasetError(f"two columns are both the {role}", field="mapping")
        for line, values in self.mended.items():
            for column in values:
                if column not in self.table.columns:
                    raise DatasetError(
                        f"line {line}: the file has no column {column!r}", field="mended"
                    )
        self._check_key(names)
        talks = any(self._role(c) == CONVERSATION for c in self.table.columns)
        if not names and not talks and not self.by:
            raise DatasetError(
                "no column is an input, so a prompt would have nothing to read", field="mapping"
            )

    def _check_key(self, inputs: Mapping[str, str]) -> None:
        if self.by == (BY_ID,):
            if not any(self._role(c) == ID for c in self.table.columns):
                raise DatasetError("no column of the file is the id of its case", field="by")
            return
        missing = [c for c in self.by if c not in inputs]
        if missing:
            raise DatasetError(
                f"no column of the file fills {missing[0]}, by which rows are told apart",
                field="by",
            )

    def _role(self, column: str) -> str:
        return self.mapping.get(column, {}).get("as", INPUT)

    def _input_name(self, column: str) -> str:
        return self.mapping.get(column, {}).get("name", "").strip() or column

    def execute(self) -> Imported:
        """Raises DatasetError, TableError, or ImportStoppedError; then nothing is kept."""
        self.check()
        self._begin()
        done = Gathered()
        matcher = self._matcher()
        try:
            batch: list[NewCase] = []
            for read, made in enumerate(self.rows(matcher), 1):
                if isinstance(made, Refused):
                    done.refuse(made)
                else:
                    batch.append(made)
                if read % BATCH == 0:
                    self._store(batch, done)
                    batch = []
                    self._pause(read, done.n_refused)
            self._store(batch, done)
            self._pause(len(done.places) + len(done.swapped) + done.equal, done.n_refused)
            gone = self._gone(matcher, done)
            if not (done.places or done.swapped or gone):
                raise DatasetError(self._why_nothing(done), field="file")
            version = self._list(done, gone, matcher)
        except BaseException:
            self._clear_away()
            raise
        return Imported(
            version,
            len(done.places),
            done.n_refused,
            done.refused,
            len(done.swapped),
            done.equal,
            len(gone),
        )

    def _matcher(self) -> Matcher | None:
        if self.by:
            return Matcher(self.dataset, self.by)
        if any(self._role(c) == ID for c in self.table.columns):
            return Matcher(self.dataset, (BY_ID,), numbers=False)
        return None

    def _gone(self, matcher: Matcher | None, done: Gathered) -> frozenset[int]:
        # A line that was refused may have spoken of any case: none is taken out then.
        if (
            not self.by
            or matcher is None
            or self.gone == KEEP
            or self.only_mended
            or done.n_refused
        ):
            return frozenset()
        return frozenset(listed.revision for listed in matcher.gone())

    def _why_nothing(self, done: Gathered) -> str:
        if done.equal:
            return "nothing is to be done: every row says what its case says already"
        first = done.refused[0] if done.refused else None
        return "the file holds no usable case" + (
            f": line {first.line}: {first.reason}" if first else ""
        )

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
            CaseImport.objects.create(
                dataset=self.dataset, mark=mark, at=self.now, beat_at=timezone.now()
            )

    def _clear_away(self) -> None:
        """What was stored and is listed nowhere goes, by batches as it came; the claim last."""
        for claim in CaseImport.objects.filter(dataset=self.dataset):
            left = Case.objects.filter(
                dataset=self.dataset, pk__gt=claim.mark, revisions__entries__isnull=True
            )
            _delete_slowly(Case, left)
            if claim.at is not None:
                # What an update had written of cases that were there before.
                changed = CaseRevision.objects.filter(
                    case__dataset=self.dataset, created_at=claim.at, entries=None, outputs=None
                )
                _delete_slowly(CaseRevision, changed)
            claim.delete()

    def _pause(self, read: int, refused: int) -> None:
        self.told(read, refused)
        if self.stopped():
            raise ImportStoppedError("the import was stopped; nothing of it was kept")
        time.sleep(PAUSE_S)

    @transaction.atomic
    def _store(self, batch: list[NewCase], done: Gathered) -> None:
        """Store what is new and what changed; nothing lists it yet."""
        if not batch:
            return
        CaseImport.objects.filter(dataset=self.dataset).update(beat_at=timezone.now())
        new = [row for row in batch if row.found is None]
        first = (self.dataset.cases.aggregate(last=Max("number"))["last"] or 0) + 1
        unknown = [row for row in new if row.former is None]
        made = insert_rows(
            Case,
            [
                {"dataset_id": self.dataset.pk, "number": first + i, "own_id": row.own_id}
                for i, row in enumerate(unknown)
            ],
        )
        again = [row for row in new if row.former is not None]
        former = [row.former for row in again if row.former is not None]
        numbers = next_numbers(former)
        rows = [(c, 1, row) for c, row in zip(made, unknown, strict=True)]
        rows += [(c, numbers[c], row) for c, row in zip(former, again, strict=True)]
        # The order of the file is that of the cases.
        rows.sort(key=lambda r: r[2].line)
        revisions = self._insert([(c, n, row.content) for c, n, row in rows])
        done.places += [
            Place(r, row.split or self.split)
            for r, (_, _, row) in zip(revisions, rows, strict=True)
        ]
        self._change([row for row in batch if row.found is not None], done)

    def _change(self, rows: list[NewCase], done: Gathered) -> None:
        found = [row.found for row in rows if row.found is not None]
        before = contents(x.revision for x in found)
        numbers = next_numbers(x.case for x in found)
        made: list[tuple[Listed, str, tuple[int, int, Content]]] = []
        for row, listed in zip(rows, found, strict=True):
            old = before[listed.revision]
            after = merged(old, row.content)
            split = row.split or listed.split
            if differences(old, after):
                made.append((listed, split, (listed.case, numbers[listed.case], after)))
            elif split != listed.split:
                done.swapped[listed.revision] = (listed.revision, split)
            else:
                done.equal += 1
        revisions = self._insert([row for _, _, row in made])
        for (listed, split, _), revision in zip(made, revisions, strict=True):
            done.swapped[listed.revision] = (revision, split)

    def _insert(self, rows: list[tuple[int, int, Content]]) -> list[int]:
        """Revisions of cases: each a case, its number, and what it says."""
        at = stored_time(self.now)
        return insert_rows(CaseRevision, [revision_row(c, n, said, at) for c, n, said in rows])

    @transaction.atomic
    def _list(
        self, done: Gathered, gone: frozenset[int], matcher: Matcher | None
    ) -> DatasetVersion:
        columns = [c for c in self.table.columns if self._role(c) == INPUT]
        kinds = {
            self._input_name(c): self.mapping[c]["kind"]
            for c in columns
            if "kind" in self.mapping.get(c, {})
        }
        before = newest_version(self.dataset)
        if matcher is not None and (before and state_of(before)) != matcher.state:
            raise CasesChangedError(
                "the cases were changed while the file was read: nothing of it was taken; "
                "look at what it would change, then import it again"
            )
        version = change_listing(
            self.dataset,
            Change(
                swapped=done.swapped,
                removed=gone,
                added=done.places,
                columns=[self._input_name(c) for c in columns],
                kinds=kinds,
                as_one=f"came from {self.source or 'a file'}",
            ),
            note=self._note(done, gone),
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
                "added": len(done.places),
                "changed": len(done.swapped),
                "removed": len(gone),
                "refused": done.n_refused,
                "source": self.source,
            },
        )
        return version

    def _note(self, done: Gathered, gone: frozenset[int]) -> str:
        if not self.by and not done.swapped:
            return f"{len(done.places)} cases from {self.source}" if self.source else ""
        told = f"{len(done.swapped)} changed, {len(done.places)} new"
        told += f", {len(gone)} taken out" if gone else ""
        return f"{told}, from {self.source}" if self.source else told

    def rows(self, matcher: Matcher | None) -> Iterator[NewCase | Refused]:
        """Every row of the table as it becomes a case, with the case it is about, or why not."""
        for row in self.table.records():
            record: Record | Refused = row
            if row.line in self.mended:
                record = Record(row.line, dict(self.mended[row.line]))
            elif self.only_mended:
                continue
            made = record if isinstance(record, Refused) else self._case(record, matcher)
            if isinstance(made, Refused) and isinstance(record, Record):
                cells = [_cell(record.values.get(c)) for c in self.table.columns]
                made = replace(made, cells=whole_cells(cells))
            yield made

    def _case(self, record: Record, matcher: Matcher | None) -> NewCase | Refused:
        row = record.values
        inputs: dict[str, Any] = {}
        said: dict[str, Any] = {}
        split = number = wrong = ""
        given: set[str] = set()
        for column in self.table.columns:
            role, value = self._role(column), row.get(column)
            if role == INPUT and column in row:
                inputs[self._input_name(column)] = value
                continue
            if column in row and role in (REFERENCE, FORMS, CONVERSATION, TAGS, SOURCE):
                given.add(role)
            if value in (None, ""):
                continue
            try:
                if role == ID:
                    number = _checked_id(value)
                elif role == SPLIT:
                    split = _checked_split(value)
                elif role == FORMS:
                    # Several columns may hold one form each.
                    said[FORMS] = [*said.get(FORMS, []), *forms_in(value)]
                elif role in _READ:
                    said[role] = _READ[role](value)
            except DomainError as error:
                wrong = wrong or error.message
        wrong = wrong or _settle_forms(said, given)
        if wrong:
            if matcher is not None:
                matcher.speaks_of(number, inputs)
            return Refused(record.line, wrong)
        content = Content(inputs, **said, given=frozenset(given))
        try:
            found = matcher.find(number, inputs, record.line) if matcher else None
            if matcher and found is None:
                matcher.take_id(number)
        except DatasetError as error:
            return Refused(record.line, error.message)
        filled = any(v not in (None, "") for v in inputs.values())
        if content.conversation is None and not filled and (found is None or inputs):
            return Refused(record.line, "every input is empty")
        if found is not None or matcher is None:
            return NewCase(record.line, content, split, found)
        return NewCase(record.line, content, split, None, number, matcher.former(number))


def _settle_forms(said: dict[str, Any], given: set[str]) -> str:
    """Forms as they are kept, the first in the place of a reference that is not there; what is wrong."""
    forms = said.get(FORMS, [])
    if forms and REFERENCE in given and not said.get(REFERENCE):
        said[REFERENCE], *forms = forms
    try:
        said[FORMS] = read_forms(forms, said.get(REFERENCE))
    except DomainError as error:
        return error.message
    return ""


def _cell(value: Any) -> str:
    return "" if value is None else value_as_text(value)


def _delete_slowly(model: type[Any], rows: Any) -> None:
    """By batches, with turns for other writers between them."""
    while ids := list(rows.values_list("pk", flat=True)[:BATCH]):
        with transaction.atomic():
            model.objects.filter(pk__in=ids).delete()
        time.sleep(PAUSE_S)


def _read_reference(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def _read_conversation(value: Any) -> Any:
    return read_conversation(_unpacked(value)).as_plain()


def _read_tags(value: Any) -> list[str]:
    found = value if isinstance(value, list) else str(value).split(";")
    return [str(t).strip() for t in found if str(t).strip()]


def _read_source(value: Any) -> str:
    return read_source(value_as_text(value))


# How the value of a column with this role is read; each raises DomainError with the reason.
_READ: Mapping[str, Callable[[Any], Any]] = {
    REFERENCE: _read_reference,
    CONVERSATION: _read_conversation,
    TAGS: _read_tags,
    SOURCE: _read_source,
}


def _checked_id(value: Any) -> str:
    found = value_as_text(value).strip()
    if len(found) > LONGEST_ID or "\n" in found:
        raise DatasetError(f"the id is longer than a name: at most {LONGEST_ID} signs on one line")
    return found


def _checked_split(value: Any) -> str:
    found = split_of(value)
    if found not in SPLITS:
        raise DatasetError(f"split is {value!r}; allowed are working and held-out")
    return found


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
