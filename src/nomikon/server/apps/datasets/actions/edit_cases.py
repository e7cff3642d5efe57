"""Change, add, take out or put back any number of cases at once; trials keep what they ran on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Max

from nomikon.core.cases.forms import read_forms
from nomikon.core.cases.kinds import KINDS, TEXT, typed_value
from nomikon.core.errors import DomainError
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.trials import read_conversation
from nomikon.server.apps.datasets.changing import change_cases
from nomikon.server.apps.datasets.errors import CasesChangedError, DatasetError
from nomikon.server.apps.datasets.models import (
    SPLITS,
    WORKING,
    Case,
    CaseRevision,
    Dataset,
    DatasetVersion,
    Entry,
)
from nomikon.server.apps.datasets.sources import read_source
from nomikon.server.apps.datasets.versioning import Change, Place, newest_version

MOST = 10_000


@dataclass(frozen=True)
class Edit:
    """What happens to one case.

    revision: the one that is shown, None for a case that is new. values: texts
    as typed, by column. given: which of reference, its forms, tags, split and
    conversation are changed, with their new values. put_back: a revision it shall have again
    (undo), at `position` where it was taken out. out: taken out of the dataset.
    """

    revision: int | None = None
    values: Mapping[str, str] = field(default_factory=dict)
    given: Mapping[str, Any] = field(default_factory=dict)
    put_back: int | None = None
    position: int | None = None
    out: bool = False


@dataclass(frozen=True)
class Edited:
    """What one edit did: the entry before it and the one after it, None where there is none.

    before: revision, split and position, which an undo needs.
    """

    before: Place | None
    after: Entry | None


@dataclass
class EditCases:
    """columns: new ones that come in. kinds: of columns whose kind is changed."""

    dataset: Dataset
    edits: Sequence[Edit]
    actor: str
    now: datetime
    columns: Sequence[str] = ()
    kinds: Mapping[str, str] = field(default_factory=dict)
    why: str = ""

    def check(self) -> None:
        if len(self.edits) > MOST:
            raise DatasetError(f"{len(self.edits)} cases at once; at most {MOST} are changed")
        for name, kind in self.kinds.items():
            if kind not in KINDS:
                raise DatasetError(
                    f"{kind!r} is no kind of column; allowed are {', '.join(KINDS)}",
                    field=f"kinds.{name}",
                )
        for name in {*self.columns, *(n for edit in self.edits for n in edit.values)}:
            if not name.strip() or "{" in name or "}" in name:
                raise DatasetError(
                    f"{name!r} cannot be the name of a column: a placeholder must be able to name it",
                    field="columns",
                )

    @transaction.atomic
    def execute(self) -> list[Edited]:
        self.check()
        newest = newest_version(self.dataset)
        known = {**(newest.kinds if newest else {}), **self.kinds}
        there = self._listed(newest)
        swapped: dict[int, tuple[int, str]] = {}
        removed: set[int] = set()
        added: list[Place] = []
        before: list[Place | None] = []
        after: list[int | None] = []
        names: dict[str, None] = dict.fromkeys(self.columns)
        for place, edit in enumerate(self.edits):
            now = None if edit.revision is None else there.get(edit.revision)
            if edit.revision in swapped or edit.revision in removed:
                raise DatasetError(
                    "this case is changed twice in one go: change it once",
                    field=f"edits.{place}",
                )
            if edit.revision is not None and now is None:
                raise CasesChangedError(
                    "this case was changed meanwhile: look at it again, then change it",
                    field=f"edits.{place}",
                )
            before.append(None if now is None else Place(now.revision_id, now.split, now.position))
            names.update(dict.fromkeys(edit.values))
            if edit.out and now is not None:
                removed.add(now.revision_id)
                after.append(None)
                continue
            revision, split = self._made(edit, now, known, place)
            after.append(revision)
            if now is None:
                added.append(Place(revision, split, edit.position))
            else:
                swapped[now.revision_id] = (revision, split)
        version = change_cases(
            self.dataset,
            Change(swapped, frozenset(removed), added, names, self.kinds),
            why=self.why,
            note=self.why or f"{len(self.edits)} cases changed",
            actor=self.actor,
            now=self.now,
        )
        entries = {e.revision_id: e for e in _entries(version, [r for r in after if r])}
        return [
            Edited(b, None if a is None else entries[a]) for b, a in zip(before, after, strict=True)
        ]

    def _listed(self, newest: DatasetVersion | None) -> dict[int, Entry]:
        wanted = [e.revision for e in self.edits if e.revision is not None]
        if newest is None or not wanted:
            return {}
        return {e.revision_id: e for e in _entries(newest, wanted)}

    def _made(
        self, edit: Edit, now: Entry | None, kinds: Mapping[str, str], place: int
    ) -> tuple[int, str]:
        """The revision and split that a case has after an edit."""
        split = edit.given.get("split", now.split if now else WORKING)
        if split not in SPLITS:
            raise DatasetError(
                f"split is {split!r}; allowed are working and held-out",
                field=f"edits.{place}.split",
            )
        if edit.put_back is not None:
            return self._put_back(edit.put_back, now, place), split
        old = now.revision if now else None
        try:
            content = _content(edit, old, kinds)
        except DomainError as error:
            column = error.field or ""
            raise DatasetError(error.message, field=f"edits.{place}.{column}") from error
        if old is not None and content == _content_of(old):
            return old.pk, split
        if old is None:
            number = (self.dataset.cases.aggregate(last=Max("number"))["last"] or 0) + 1
            case = Case.objects.create(dataset=self.dataset, number=number)
            first = 1
        else:
            case = old.case
            first = (case.revisions.aggregate(last=Max("number"))["last"] or 0) + 1
        made = CaseRevision.objects.create(case=case, number=first, created_at=self.now, **content)
        return made.pk, split

    def _put_back(self, revision: int, now: Entry | None, place: int) -> int:
        found = CaseRevision.objects.filter(pk=revision, case__dataset=self.dataset).first()
        if found is None or (now is not None and now.revision.case_id != found.case_id):
            raise DatasetError(
                "what shall be put back is not there any more", field=f"edits.{place}"
            )
        if now is None:
            newest = newest_version(self.dataset)
            if newest and newest.entries.filter(revision__case=found.case).exists():
                raise DatasetError("this case is in the dataset again", field=f"edits.{place}")
        return found.pk


def _entries(version: DatasetVersion, revisions: Sequence[int]) -> list[Entry]:
    found: list[Entry] = []
    for start in range(0, len(revisions), 500):
        found += version.entries.filter(
            revision_id__in=revisions[start : start + 500]
        ).select_related("revision__case")
    return found


def _content_of(revision: CaseRevision) -> dict[str, Any]:
    return {
        "inputs": revision.inputs,
        "reference": revision.reference,
        "forms": revision.forms,
        "conversation": revision.conversation,
        "tags": revision.tags,
        "source": revision.source,
    }


def _content(edit: Edit, old: CaseRevision | None, kinds: Mapping[str, str]) -> dict[str, Any]:
    """What a case says after an edit. Raises DomainError with the column as field."""
    content = _content_of(old or CaseRevision(inputs={}))
    inputs = dict(content["inputs"])
    for name, text in edit.values.items():
        former = inputs.get(name)
        if former is not None and text == value_as_text(former):
            continue
        inputs[name] = typed_value(text, kinds.get(name, TEXT), former, column=name)
    content["inputs"] = inputs
    if "reference" in edit.given:
        content["reference"] = edit.given["reference"] or None
    if {"reference", "forms"} & edit.given.keys():
        forms = edit.given.get("forms", content["forms"]) if content["reference"] else []
        content["forms"] = read_forms(forms, content["reference"])
    if "tags" in edit.given:
        content["tags"] = list(dict.fromkeys(t.strip() for t in edit.given["tags"] if t.strip()))
    if "source" in edit.given:
        content["source"] = read_source(edit.given["source"])
    if "conversation" in edit.given:
        told = edit.given["conversation"]
        content["conversation"] = None if told is None else read_conversation(told).as_plain()
    if content["conversation"] is None and not any(v not in ("", None) for v in inputs.values()):
        raise DatasetError("every input of this case would be empty", field="inputs")
    return content
