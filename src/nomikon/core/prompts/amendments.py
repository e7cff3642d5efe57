"""What changed between two versions, clause by clause."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.messages import Message

# Below this share of common words two clauses are taken for different ones;
# a move needs more, since its place says nothing in its favour.
SAME_CLAUSE = 0.4
MOVED_CLAUSE = 0.7


@dataclass(frozen=True)
class Amendment:
    """One change: add (no before), amend, strike (no after), move, or layout (neither).

    `layout` stands for what is no clause: separators, message order, roles, steps.
    """

    kind: str
    before: Clause | None
    after: Clause | None


@dataclass(frozen=True)
class Comparison:
    """All amendments that lead from one version to another, in the order of the newer one."""

    amendments: list[Amendment]
    kept: int


def amendments_between(old: Sequence[Message], new: Sequence[Message]) -> Comparison:
    """Align the clauses of two versions and name what changed.

    Clauses are aligned in order with the largest total similarity (share of
    common words, Dice); clauses left over on both sides that are much alike
    count as moved.
    """
    a, b = clauses_of(old), clauses_of(new)
    similarity = _similarity(a, b)
    for i, x in enumerate(a):
        for j, y in enumerate(b):
            # A clause that changed its role is not the same rule any more.
            if old[x.message].role != new[y.message].role:
                similarity[i, j] *= 0.9
    pairs = _align(similarity)
    moved = _moves(similarity, pairs, len(a), len(b))
    partner = {j: (i, False) for i, j in pairs} | {j: (i, True) for i, j in moved}
    used = {i for i, _ in partner.values()}

    amendments: list[Amendment] = []
    kept = 0
    struck = [Amendment("strike", x, None) for i, x in enumerate(a) if i not in used]
    for j, y in enumerate(b):
        if j not in partner:
            amendments.append(Amendment("add", None, y))
            continue
        i, was_moved = partner[j]
        if was_moved:
            amendments.append(Amendment("move", a[i], y))
        elif a[i].text != y.text:
            amendments.append(Amendment("amend", a[i], y))
        else:
            kept += 1
    amendments = _place_struck(amendments, struck)
    if not amendments and [(m.role, m.content, m.step) for m in old] != [
        (m.role, m.content, m.step) for m in new
    ]:
        amendments.append(Amendment("layout", None, None))
    return Comparison(amendments, kept)


def _words(text: str) -> set[str]:
    return set(re.findall(r"\w+|[^\w\s]", text.lower()))


def _similarity(a: Sequence[Clause], b: Sequence[Clause]) -> np.ndarray:
    bags_a, bags_b = [_words(c.text) for c in a], [_words(c.text) for c in b]
    index = {w: k for k, w in enumerate(sorted(set().union(*bags_a, *bags_b)))}

    def matrix(bags: list[set[str]]) -> np.ndarray:
        table = np.zeros((len(bags), max(len(index), 1)), dtype=np.float32)
        for row, bag in enumerate(bags):
            table[row, [index[w] for w in bag]] = 1
        return table

    x, y = matrix(bags_a), matrix(bags_b)
    total = x.sum(1)[:, None] + y.sum(1)[None, :]
    result: np.ndarray = 2 * (x @ y.T) / np.maximum(total, 1)
    return result


def _align(similarity: np.ndarray) -> list[tuple[int, int]]:
    """In-order alignment with the largest total similarity (dynamic programming)."""
    n, m = similarity.shape
    best = np.zeros((n + 1, m + 1))
    allowed = np.where(similarity >= SAME_CLAUSE, similarity, -1.0)
    for i in range(n - 1, -1, -1):
        row, below, gain = best[i], best[i + 1], allowed[i]
        for j in range(m - 1, -1, -1):
            take = gain[j] + below[j + 1] if gain[j] > 0 else -1.0
            row[j] = max(take, below[j], row[j + 1])
    pairs = []
    i = j = 0
    while i < n and j < m:
        if allowed[i, j] > 0 and np.isclose(best[i, j], allowed[i, j] + best[i + 1, j + 1]):
            pairs.append((i, j))
            i, j = i + 1, j + 1
        elif best[i + 1, j] >= best[i, j + 1]:
            i += 1
        else:
            j += 1
    return pairs


def _moves(
    similarity: np.ndarray, pairs: list[tuple[int, int]], n: int, m: int
) -> list[tuple[int, int]]:
    left = set(range(n)) - {i for i, _ in pairs}
    right = set(range(m)) - {j for _, j in pairs}
    candidates = sorted(
        ((similarity[i, j], i, j) for i in left for j in right if similarity[i, j] >= MOVED_CLAUSE),
        key=lambda c: (-c[0], c[1], c[2]),
    )
    moves = []
    for _, i, j in candidates:
        if i in left and j in right:
            moves.append((i, j))
            left.discard(i)
            right.discard(j)
    return moves


def _place_struck(amendments: list[Amendment], struck: list[Amendment]) -> list[Amendment]:
    """Set each struck clause in front of the first later change, by its old number."""
    result = list(amendments)
    for strike in reversed(struck):
        assert strike.before is not None
        number = strike.before.number
        place = next(
            (k for k, a in enumerate(result) if a.before is not None and a.before.number > number),
            len(result),
        )
        result.insert(place, strike)
    return result
