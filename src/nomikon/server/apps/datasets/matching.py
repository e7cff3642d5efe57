"""Rows of a file held against the cases there are: by number, or by columns that tell them apart."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from django.db.models import Max

from nomikon.core.cases.forms import ALSO_RIGHT, read_forms
from nomikon.core.prompts.rendering import value_as_text
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import CaseRevision, Dataset
from nomikon.server.apps.datasets.versioning import newest_version, state_of

# The key that is the case's own id, or its number where it has none.
BY_ID = "#id"
Key = tuple[str, ...]


@dataclass(frozen=True)
class Listed:
    """A case as the newest version lists it."""

    revision: int
    case: int
    number: int
    split: str
    own_id: str = ""

    @property
    def name(self) -> str:
        """What the case is called."""
        return self.own_id or str(self.number)


@dataclass(frozen=True)
class Content:
    """What a row says, or a case: only what is named in `given` is said."""

    inputs: Mapping[str, Any]
    reference: str | None = None
    conversation: Any = None
    tags: list[str] = field(default_factory=list)
    source: str = ""
    forms: list[str] = field(default_factory=list)
    given: frozenset[str] = frozenset()


class Matcher:
    """Finds the case of a row. Each key is one small text of memory, no case is held whole."""

    def __init__(
        self, dataset: Dataset, by: tuple[str, ...], *, adds: bool = True, numbers: bool = True
    ) -> None:
        """adds: whether a row may be a new case, or must find one that is there. numbers: whether
        a case without an id of its own is found by its number, too."""
        self.by, self._adds = by, adds
        newest = newest_version(dataset)
        # What the rows are held against; whoever writes by it looks whether it is so still.
        self.state = newest and state_of(newest)
        self.columns: list[str] = newest.columns if newest else []
        self._at: dict[Key, Listed | None] = {}
        # Whether cases have ids of their own, and those of cases that the version lists no more.
        self._own_ids = False
        self._former: dict[str, int] = {}
        # Ids that a row found by its columns cannot have: other cases have them.
        self._taken: set[str] = set()
        self._spoken: set[Key] = set()
        # The line on which a key stood before.
        self._lines: dict[Key, int] = {}
        wanted = ["revision_id", "revision__case_id", "revision__case__number", "split"]
        wanted.append("revision__case__own_id")
        if by != (BY_ID,) and newest:
            missing = [c for c in by if c not in self.columns]
            if missing:
                raise DatasetError(f"the cases have no column {missing[0]!r}", field="by")
        if newest:
            rows = newest.entries.order_by("position")
            found = rows.values_list(*wanted, *(() if by == (BY_ID,) else ("revision__inputs",)))
            unnamed: list[Listed] = []
            for revision, case, number, split, own, *inputs in found.iterator(chunk_size=2000):
                listed = Listed(revision, case, number, split, own)
                self._own_ids |= own != ""
                if not inputs and own == "":
                    unnamed.append(listed)
                    continue
                key = (own,) if not inputs else self._key_of(inputs[0])
                # Two cases of one key: which of them is meant cannot be told.
                self._at[key] = None if key in self._at else listed
            # An id of its own goes before another case's number.
            for listed in unnamed if numbers else ():
                self._at.setdefault((str(listed.number),), listed)
        if by == (BY_ID,):
            there = {x.own_id for x in self._at.values() if x is not None}
            named = dataset.cases.exclude(own_id="").values_list("own_id", "pk")
            self._former = {own: pk for own, pk in named if own not in there}
            self._own_ids |= bool(self._former) or not numbers
        else:
            self._taken = set(dataset.cases.exclude(own_id="").values_list("own_id", flat=True))

    def _key_of(self, inputs: Mapping[str, Any]) -> Key:
        return tuple(_text(inputs.get(c)).strip() for c in self.by)

    def find(self, number: str, inputs: Mapping[str, Any], line: int) -> Listed | None:
        """The case of a row; None for one that is new. Raises DatasetError with the reason."""
        if self.by == (BY_ID,):
            key: Key = (number.strip(),)
            if not key[0]:
                if self._adds:
                    return None
                raise DatasetError("the id is empty")
        else:
            key = self._key_of(inputs)
            if not all(key):
                empty = self.by[key.index("")]
                raise DatasetError(f"{empty} is empty, and rows are told apart by it")
        if key in self._lines:
            raise DatasetError(f"{self._named(key)} stands on line {self._lines[key]} already")
        self._lines[key] = line
        if key not in self._at:
            if self.by == (BY_ID,):
                # Where cases have numbers alone, an unknown number is a slip and no name.
                if self._adds and (self._own_ids or not self._at or not key[0].isdecimal()):
                    return None
                leave = "; leave the id empty where a case is new" if self._adds else ""
                raise DatasetError(f"there is no case {key[0]!r} here{leave}")
            if self._adds:
                return None
            raise DatasetError(f"no case has {self._named(key)}")
        found = self._at[key]
        if found is None:
            raise DatasetError(f"several cases have {self._named(key)}")
        return found

    def take_id(self, own_id: str) -> None:
        """A new case gets this id. Raises DatasetError where another has it already."""
        if own_id and own_id in self._taken:
            raise DatasetError(f"case {own_id[:60]!r} is there already, and says something else")
        self._taken.add(own_id)

    def former(self, own_id: str) -> int | None:
        """The case of this id that the newest version lists no more; None where there is none."""
        return self._former.get(own_id)

    def speaks_of(self, number: str, inputs: Mapping[str, Any]) -> None:
        """A row that is refused spoke of its case all the same: that is not gone."""
        key = (number.strip(),) if self.by == (BY_ID,) else self._key_of(inputs)
        self._spoken.add(key)

    def _named(self, key: Key) -> str:
        return (
            f"case {key[0][:60]}"
            if self.by == (BY_ID,)
            else " and ".join(repr(k[:60]) for k in key)
        )

    def gone(self) -> list[Listed]:
        """Cases that no row of the file spoke of."""
        return [
            listed
            for key, listed in self._at.items()
            if listed is not None and key not in self._lines and key not in self._spoken
        ]


def contents(revisions: Iterable[int]) -> dict[int, Content]:
    """What these revisions say."""
    rows = CaseRevision.objects.filter(pk__in=list(revisions)).values_list(
        "pk", "inputs", "reference", "conversation", "tags", "source", "forms"
    )
    return {pk: Content(*said) for pk, *said in rows}


def merged(old: Content, new: Content) -> Content:
    """The case as the row leaves it: what the row does not speak of stays, equal texts stay as they were."""
    inputs = dict(old.inputs)
    for name, value in new.inputs.items():
        if _text(inputs.get(name)) != _text(value):
            inputs[name] = value
    said = {
        name: getattr(new if name in new.given else old, name)
        for name in ("reference", "conversation", "tags", "source", "forms")
    }
    said["forms"] = read_forms(said["forms"], said["reference"]) if said["reference"] else []
    return Content(inputs, **said)


def differences(old: Content, new: Content) -> list[tuple[str, str, str]]:
    """Column, text before, text after, for every column that is another."""
    names = dict.fromkeys([*old.inputs, *new.inputs])
    found = [(name, _text(old.inputs.get(name)), _text(new.inputs.get(name))) for name in names]
    found += [
        ("reference", old.reference or "", new.reference or ""),
        (ALSO_RIGHT, _listed(old.forms), _listed(new.forms)),
        ("conversation", _told(old.conversation), _told(new.conversation)),
        ("tags", "; ".join(old.tags), "; ".join(new.tags)),
        ("source", old.source, new.source),
    ]
    return [row for row in found if row[1] != row[2]]


def _text(value: Any) -> str:
    """A value as a cell shows it; nothing is an empty cell."""
    return "" if value is None else value_as_text(value)


def _listed(forms: list[str]) -> str:
    return json.dumps(forms, ensure_ascii=False) if forms else ""


def _told(conversation: Any) -> str:
    return "" if conversation is None else json.dumps(conversation, ensure_ascii=False)


def revision_row(case: int, number: int, said: Content, at: Any) -> dict[str, Any]:
    """A revision as it is stored; at: the time as the database holds it."""
    return {
        "case_id": case,
        "number": number,
        "inputs": json.dumps(said.inputs),
        "conversation": None if said.conversation is None else json.dumps(said.conversation),
        "reference": said.reference,
        "forms": json.dumps(said.forms),
        "tags": json.dumps(said.tags),
        "source": said.source,
        "created_at": at,
    }


def next_numbers(cases: Iterable[int], dataset: Dataset | None = None) -> dict[int, int]:
    """The number of the next revision of each case; with a dataset, of all of its cases.

    Of many cases their dataset's are asked for faster than each by its id.
    """
    some = {"case__dataset": dataset} if dataset else {"case__in": list(cases)}
    rows = (
        CaseRevision.objects.filter(**some)
        .order_by()
        .values_list("case")
        .annotate(last=Max("number"))
    )
    return {case: last + 1 for case, last in rows}
