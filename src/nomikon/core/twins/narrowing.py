"""The smallest change that breaks a case: of a twin that was changed in several places, some at a time."""

from __future__ import annotations

from collections.abc import Sequence

from nomikon.core.prompts.alignment import WordChange, word_changes

# Of a text changed in more places each place alone is not tried; halves of them are.
MOST_PLACES = 6


def narrowed(before: str, after: str) -> list[str]:
    """Texts with fewer of the changes that lead from one text to another: each alone where they are at
    most MOST_PLACES, else the first and the second half. None of a single change.

    >>> narrowed('one two three', 'One two Three')
    ['One two three', 'one two Three']
    """
    places = _places(word_changes(before, after))
    n = sum(1 for _, changed in places if changed)
    if n < 2:
        return []
    if n <= MOST_PLACES:
        kept = [{i} for i in range(n)]
    else:
        kept = [set(range(n // 2)), set(range(n // 2, n))]
    made = [_applied(places, taken) for taken in kept]
    return [t for t in dict.fromkeys(made) if t not in (before, after)]


def _places(changes: Sequence[WordChange]) -> list[tuple[list[WordChange], bool]]:
    """Changes that touch each other are one place."""
    found: list[tuple[list[WordChange], bool]] = []
    for change in changes:
        changed = change.kind != "same"
        if changed and found and found[-1][1]:
            found[-1][0].append(change)
        else:
            found.append(([change], changed))
    return found


def _applied(places: Sequence[tuple[list[WordChange], bool]], taken: set[int]) -> str:
    parts: list[str] = []
    at = -1
    for changes, changed in places:
        at += changed
        kind = "new" if changed and at in taken else "gone"
        parts += [c.text for c in changes if c.kind in ("same", kind)]
    return "".join(parts)
