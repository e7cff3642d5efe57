"""What becomes of copies among the cases: one stays, they get one source and side, or stay as they are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from django.db import transaction

from nomikon.core.cases.copies import CopyGroup, to_take_out
from nomikon.server.apps.datasets.changing import change_cases
from nomikon.server.apps.datasets.copies import Copies, copies_in, kept_as_they_are, open_groups
from nomikon.server.apps.datasets.errors import CasesChangedError, DatasetError
from nomikon.server.apps.datasets.matching import next_numbers
from nomikon.server.apps.datasets.models import WORKING, CaseRevision, Dataset
from nomikon.server.apps.datasets.versioning import (
    BATCH,
    Change,
    Listed,
    newest_version,
    state_of,
)
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.rows import copy_rows, stored_time

ONE, EXACT, SOURCE, KEEP = ACTS = ("one", "exact", "source", "keep")


@dataclass
class SettleCopies:
    """groups: numbers of the first case of each; None for all that are not settled. act: one of ACTS:
    one of a group stays; exact copies go, and near ones stay; all get one source and stand on one
    side; they stay as they are. version, changed: what was looked at.
    """

    dataset: Dataset
    groups: Sequence[int] | None
    act: str
    version: int
    changed: int
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> int:
        """How many cases it changed, or took out. Raises DatasetError."""
        newest = newest_version(self.dataset)
        if newest is None or (newest.pk, newest.changed) != (self.version, self.changed):
            raise CasesChangedError(
                "the cases were changed meanwhile: look at the copies again, then settle them"
            )
        found = copies_in(state_of(newest))
        groups = open_groups(found, kept_as_they_are(self.dataset), self.groups)
        if not groups:
            raise DatasetError("no group of copies is chosen", field="groups")
        if self.act == KEEP:
            return self._kept(found, groups)
        if self.act in (ONE, EXACT):
            out = [
                found.revisions[m]
                for g in groups
                for m in to_take_out(
                    g.members, found.said, found.has_reference, exact=self.act == EXACT
                )
            ]
            n, change = len(out), Change(removed=frozenset(out))
            words = f"{n:,} {'copy' if n == 1 else 'copies'} taken out"
        elif self.act == SOURCE:
            swapped = self._joined(found, groups)
            n, change = len(swapped), Change(swapped=swapped)
            words = (
                f"{len(groups):,} group{'' if len(groups) == 1 else 's'} of copies given one source"
            )
        else:
            raise DatasetError(f"{self.act!r} is no act; there are {', '.join(ACTS)}", field="act")
        if n == 0:
            raise DatasetError("nothing is to be done: they are so already")
        whole = replace(change, as_one=words)
        change_cases(self.dataset, whole, why=words, actor=self.actor, now=self.now)
        return n

    def _kept(self, found: Copies, groups: Sequence[CopyGroup]) -> int:
        named = [sorted(found.numbers[m] for m in g.members) for g in groups]
        self.dataset.copies_kept = [*self.dataset.copies_kept, *named]
        self.dataset.save(update_fields=["copies_kept"])
        write_ledger(
            "dataset.copies_kept",
            self.dataset,
            actor=self.actor,
            now=self.now,
            brief=self.dataset.brief,
            facts={"name": self.dataset.name, "groups": len(groups), "cases": sum(map(len, named))},
        )
        return sum(map(len, named))

    def _joined(self, found: Copies, groups: Sequence[CopyGroup]) -> dict[int, Listed]:
        """One source for each group, the first that somebody named; and one side: working, where a
        case of it is, since a copy of what was tuned on proves nothing."""
        wanted: dict[int, tuple[str, str]] = {}
        for g in groups:
            named = next((found.sources[m] for m in g.members if found.sources[m]), None)
            source = named or f"like case {found.numbers[g.members[0]]}"
            sides = {found.splits[m] for m in g.members}
            side = WORKING if WORKING in sides else sides.pop()
            for m in g.members:
                if (found.sources[m], found.splits[m]) != (source, side):
                    wanted[found.revisions[m]] = (source, side)
        moved = {found.revisions[m]: found.sources[m] for g in groups for m in g.members}
        renamed = [r for r, (source, _) in wanted.items() if moved[r] != source]
        made = self._revised(renamed, {r: wanted[r][0] for r in renamed})
        return {r: (made.get(r, r), side) for r, (_, side) in wanted.items()}

    def _revised(self, revisions: Sequence[int], sources: dict[int, str]) -> dict[int, int]:
        """Revisions that say where they come from, by the former ones."""
        at = stored_time(self.now)
        made: dict[int, int] = {}
        for start in range(0, len(revisions), BATCH):
            some = revisions[start : start + BATCH]
            cases = dict(CaseRevision.objects.filter(pk__in=some).values_list("pk", "case_id"))
            numbers = next_numbers(cases.values())
            rows = [(r, (numbers[cases[r]], at, sources[r])) for r in some]
            new = copy_rows(CaseRevision, ("number", "created_at", "source"), rows)
            made |= dict(zip(some, new, strict=True))
        return made
