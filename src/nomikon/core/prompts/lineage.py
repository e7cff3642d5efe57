"""Clauses through the versions they survive in, and two branches brought together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nomikon.core.errors import NoCommonVersionError
from nomikon.core.prompts.amendments import Amendment, Revision, amendments_between
from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.messages import Message


@dataclass(frozen=True)
class Ancestor:
    """A version of a lineage: its text, settings and the numbers of its parents (none, one, two)."""

    number: int
    messages: tuple[Message, ...]
    parents: tuple[int, ...] = ()
    settings: Mapping[str, Any] | None = None


Lineage = Mapping[int, Ancestor]


@dataclass(frozen=True)
class ClauseEvent:
    """What a version did to a clause: kind is add, amend or move; number is its number there."""

    version: int
    kind: str
    number: int
    before: str | None
    after: str


def clause_history(lineage: Lineage, version: int, number: int) -> list[ClauseEvent]:
    """How a clause came to be: the version that brought it in first, then each change of it.

    A clause that is new against the first parent and stands in the second came
    by merging, and is followed there. Raises KeyError for a clause that is not there.
    """
    events: list[ClauseEvent] = []
    at, clause = version, _clause(lineage[version], number)
    while True:
        found = _in_parents(lineage, at, clause)
        if found is None:
            events.append(ClauseEvent(at, "add", clause.number, None, clause.text))
            return events[::-1]
        parent, before, kind = found
        if kind is not None:
            events.append(ClauseEvent(at, kind, clause.number, before.text, clause.text))
        at, clause = parent, before


def _clause(version: Ancestor, number: int) -> Clause:
    for clause in clauses_of(version.messages):
        if clause.number == number:
            return clause
    raise KeyError(number)


def _in_parents(
    lineage: Lineage, version: int, clause: Clause
) -> tuple[int, Clause, str | None] | None:
    """The parent a clause comes from, what it was there, and the kind of change (None: kept)."""
    here = lineage[version]
    candidates: list[tuple[int, Clause, str | None]] = []
    for parent in here.parents:
        revision = amendments_between(lineage[parent].messages, here.messages)
        kinds = {a.after.number: a.kind for a in revision.amendments if a.after is not None}
        for before, after in revision.pairs:
            if after.number == clause.number:
                candidates.append((parent, before, kinds.get(after.number)))
    # Where both parents have it, the one that has it unchanged gave it.
    return min(candidates, key=lambda c: c[2] is not None, default=None)


def common_version(lineage: Lineage, a: int, b: int) -> int | None:
    """The newest version that both descend from (each counts as its own ancestor)."""
    both = _ancestors(lineage, a) & _ancestors(lineage, b)
    return max(both, default=None)


def _ancestors(lineage: Lineage, number: int) -> set[int]:
    found: set[int] = set()
    waiting = [number]
    while waiting:
        at = waiting.pop()
        if at not in found:
            found.add(at)
            waiting += lineage[at].parents
    return found


@dataclass(frozen=True)
class MergeChoice:
    """One amendment on the way from ours to theirs.

    side: `theirs` (they changed it since the common version, we did not: taken
    unless one says otherwise), `ours` (we did: left), `both` (both did,
    differently: a person decides).
    """

    amendment: Amendment
    side: str


@dataclass(frozen=True)
class Merge:
    """What bringing `theirs` into `ours` offers; take the chosen ids with `revision.apply`."""

    base: int
    revision: Revision
    choices: list[MergeChoice]

    @property
    def proposed(self) -> set[str]:
        """The amendments that only they made, as far as these can be taken without others."""
        theirs = {c.amendment.id for c in self.choices if c.side == "theirs"}
        while True:
            short = {i for i in theirs if not self.revision.closed([i]) <= theirs}
            if not short:
                return theirs
            theirs -= short


def plan_merge(lineage: Lineage, ours: int, theirs: int) -> Merge:
    """How the changes of `theirs` since the common version come into `ours`.

    Raises NoCommonVersionError where the two do not descend from one version.
    """
    base = common_version(lineage, ours, theirs)
    if base is None:
        raise NoCommonVersionError(
            f"v{ours} and v{theirs} have no version in common that both come from"
        )
    x, y, root = lineage[ours], lineage[theirs], lineage[base]
    revision = _between(x, y)
    to_ours, to_theirs = _between(root, x), _between(root, y)
    ours_was = {b.number: a for a, b in to_ours.pairs}
    theirs_was = {b.number: a for a, b in to_theirs.pairs}
    touched_x = {a.before.number for a in to_ours.amendments if a.before is not None}
    touched_y = {a.before.number for a in to_theirs.amendments if a.before is not None}
    plain_x = {a.id for a in to_ours.amendments if a.kind == "layout"}
    plain_y = {a.id for a in to_theirs.amendments if a.kind == "layout"}

    def side(amendment: Amendment) -> str:
        before, after = amendment.before, amendment.after
        if before is None and after is None:
            we, they = amendment.id in plain_x, amendment.id in plain_y
            return "ours" if we and not they else "theirs" if they and not we else "both"
        was_x = ours_was.get(before.number) if before is not None else None
        was_y = theirs_was.get(after.number) if after is not None else None
        if before is None:
            # In theirs and not in ours: new there, or struck here.
            return "theirs" if was_y is None else "both" if was_y.number in touched_y else "ours"
        if after is None:
            return "ours" if was_x is None else "both" if was_x.number in touched_x else "theirs"
        we = was_x is None or was_x.number in touched_x
        they = was_y is None or was_y.number in touched_y
        return "both" if we and they else "theirs" if they else "ours"

    choices = [MergeChoice(a, side(a)) for a in revision.amendments]
    return Merge(base, revision, choices)


def _between(a: Ancestor, b: Ancestor) -> Revision:
    return amendments_between(a.messages, b.messages, a.settings, b.settings)


def lineage_of(rows: Sequence[Ancestor]) -> Lineage:
    """Versions by number."""
    return {row.number: row for row in rows}
