"""Groups of cases that are copies of each other, and what becomes of a group."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass

from nomikon.core.cases.near import NearPair, near_groups


@dataclass(frozen=True)
class CopyGroup:
    """members: places of the cases, in order. likeness: of the two of its pairs that are least alike,
    from 0.8 to 1. exact: whether all of them say the same, character by character."""

    members: tuple[int, ...]
    likeness: float
    exact: bool


def copy_groups(pairs: Sequence[NearPair], said: Sequence[Hashable]) -> list[CopyGroup]:
    """Groups by their first case. said: what each case says, equal where two say the same.

    >>> copy_groups([NearPair(0, 2, 1.0), NearPair(1, 3, 0.9)], ['a', 'b c', 'a', 'b d'])
    [CopyGroup(members=(0, 2), likeness=1.0, exact=True), \
CopyGroup(members=(1, 3), likeness=0.9, exact=False)]
    """
    least: dict[int, float] = {}
    groups = near_groups(pairs)
    of = {member: place for place, group in enumerate(groups) for member in group}
    for pair in pairs:
        place = of[pair.a]
        least[place] = min(least.get(place, 1.0), pair.likeness)
    return [
        CopyGroup(tuple(group), least[place], len({said[m] for m in group}) == 1)
        for place, group in enumerate(groups)
    ]


def to_take_out(
    members: Sequence[int], said: Sequence[Hashable], has_reference: Sequence[bool], *, exact: bool
) -> list[int]:
    """Whom to take out so that one of a group stays; with exact only those that say what one that
    stays says. Of equals the first with a reference stays, else the first.

    >>> to_take_out([0, 1, 2], ['a', 'a', 'b'], [False, True, False], exact=True)
    [0]
    >>> to_take_out([0, 1, 2], ['a', 'a', 'b'], [False, True, False], exact=False)
    [0, 2]
    """
    alike: dict[Hashable, list[int]] = {}
    for member in members:
        alike.setdefault(said[member] if exact else None, []).append(member)
    stay = {next((m for m in some if has_reference[m]), some[0]) for some in alike.values()}
    return [m for m in members if m not in stay]
