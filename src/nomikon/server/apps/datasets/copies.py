"""Copies among the cases of a dataset, group by group, with what tells them apart."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Hashable, Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from nomikon.core.cases.copies import CopyGroup, copy_groups
from nomikon.core.cases.near import near_duplicates
from nomikon.core.prompts.alignment import word_changes
from nomikon.core.prompts.rendering import value_as_text
from nomikon.server.apps.briefs.reads import WordChangeShape
from nomikon.server.apps.datasets.models import HELD_OUT, CaseRevision, Dataset, DatasetVersion
from nomikon.server.apps.datasets.reads import CopiesShape, CopyCase, CopyGroupShape, CopyValue
from nomikon.server.apps.datasets.versioning import State, newest_version, state_of

# Of a group so many cases are shown.
SHOWN = 20
OPEN, ALL = "open", "all"


@dataclass(frozen=True)
class Copies:
    """groups: of places in the lists, which are parallel and in the dataset's order."""

    groups: list[CopyGroup]
    revisions: list[int]
    numbers: list[int]
    splits: list[str]
    sources: list[str]
    has_reference: list[bool]
    said: list[Hashable]

    def settled(self, group: CopyGroup, kept: set[frozenset[int]]) -> str:
        """How a group is settled: "kept" as it is, by one "source" on one side, or "" not yet."""
        numbers = frozenset(self.numbers[m] for m in group.members)
        if any(numbers <= some for some in kept):
            return "kept"
        sources = {self.sources[m] for m in group.members}
        one_side = len({self.splits[m] == HELD_OUT for m in group.members}) == 1
        return "source" if one_side and len(sources) == 1 and sources != {""} else ""


@lru_cache(maxsize=4)
def copies_in(state: State) -> Copies:
    """Worked out once for each state of a version; the texts themselves are not held."""
    rows = DatasetVersion.objects.get(pk=state[0]).entries.order_by("position")
    revisions, numbers, splits, sources, wanted, said = [], [], [], [], [], []
    texts: list[str] = []
    for revision, number, split, source, reference, inputs, talk in rows.values_list(
        "revision_id",
        "revision__case__number",
        "split",
        "revision__source",
        "revision__reference",
        "revision__inputs",
        "revision__conversation",
    ).iterator(chunk_size=2000):
        revisions.append(revision)
        numbers.append(number)
        splits.append(split)
        sources.append(source)
        wanted.append(reference is not None)
        whole = json.dumps([inputs, talk], sort_keys=True).encode()
        said.append(hashlib.blake2b(whole, digest_size=16).digest())
        texts.append(_text(inputs, talk))
    pairs = near_duplicates(texts)
    return Copies(copy_groups(pairs, said), revisions, numbers, splits, sources, wanted, list(said))


def _text(inputs: dict[str, Any], talk: Any) -> str:
    """What a case says, for being compared."""
    told = "\n".join(_shown(value) for value in inputs.values())
    return told if talk is None else f"{told}\n{json.dumps(talk, ensure_ascii=False)}"


def _shown(value: Any) -> str:
    return "" if value is None else value_as_text(value)


def kept_as_they_are(dataset: Dataset) -> set[frozenset[int]]:
    """Groups that a person said may stay, by the numbers of their cases."""
    return {frozenset(numbers) for numbers in dataset.copies_kept}


def copies_of(dataset: Dataset, which: str, offset: int, limit: int) -> CopiesShape:
    """A page of groups, those across working and held-out first. which: open ones, or all."""
    newest = newest_version(dataset)
    if newest is None:
        return {"total": 0, "n_open": 0, "n_exact": 0, "version": 0, "changed": 0, "groups": []}
    found = copies_in(state_of(newest))
    kept = kept_as_they_are(dataset)
    told = [(g, found.settled(g, kept)) for g in found.groups]
    shown = [(g, how) for g, how in told if which == ALL or not how]
    shown.sort(key=lambda row: (row[1] != "", not _leaks(found, row[0]), row[0].members[0]))
    return {
        "total": len(shown),
        "n_open": sum(not how for _, how in told),
        "n_exact": sum(
            len(g.members) - len({found.said[m] for m in g.members}) for g in found.groups
        ),
        "version": newest.pk,
        "changed": newest.changed,
        "groups": [_group(found, g, how) for g, how in shown[offset : offset + limit]],
    }


def _leaks(found: Copies, group: CopyGroup) -> bool:
    return len({found.splits[m] == HELD_OUT for m in group.members}) == 2


def _group(found: Copies, group: CopyGroup, settled: str) -> CopyGroupShape:
    some = group.members[:SHOWN]
    content = CaseRevision.objects.in_bulk([found.revisions[m] for m in some])
    cases = [(m, content[found.revisions[m]]) for m in some if found.revisions[m] in content]
    first = cases[0][1] if cases else None
    references = {c.reference for _, c in cases}
    return {
        "key": found.numbers[group.members[0]],
        "exact": group.exact,
        "likeness": group.likeness,
        "leaks": _leaks(found, group),
        "settled": settled,
        "references_differ": len(references - {None}) > 1,
        "n": len(group.members),
        "cases": [_case(found, m, case, first) for m, case in cases],
    }


def _case(found: Copies, place: int, case: CaseRevision, first: CaseRevision | None) -> CopyCase:
    names = dict.fromkeys([*case.inputs, *(first.inputs if first else {})])
    values: list[CopyValue] = []
    for name in names:
        now = _shown(case.inputs.get(name))
        was = now if first is None else _shown(first.inputs.get(name))
        values.append({"column": name, "words": words_between(was, now), "same": was == now})
    return {
        "revision": case.pk,
        "number": found.numbers[place],
        "split": found.splits[place],
        "source": found.sources[place],
        "reference": case.reference,
        "values": values,
    }


def words_between(was: str, now: str) -> list[WordChangeShape]:
    if was == now:
        return [{"kind": "same", "text": now}] if now else []
    return [{"kind": w.kind, "text": w.text} for w in word_changes(was, now)]


def open_groups(
    found: Copies, kept: set[frozenset[int]], chosen: Iterable[int] | None
) -> list[CopyGroup]:
    """Groups by the number of their first case; every one that is not settled where none is named."""
    if chosen is None:
        return [g for g in found.groups if not found.settled(g, kept)]
    wanted = set(chosen)
    return [g for g in found.groups if found.numbers[g.members[0]] in wanted]
