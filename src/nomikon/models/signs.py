"""What tells of how much a server bears: counts of ends by how many calls were under way, and exact tests.

A server that breaks one answer in a hundred off by chance does so whatever stands beside it, and
one that is asked too much does so more the more is asked: only the second tells of width.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
from math import comb, inf

# Of what happens by chance on any network, so much is nothing to act on.
BACKGROUND = 0.05
# Sequential looks: strict, so that a day of them does not narrow a server that bears all.
SURE = 0.01
# Where so few calls have ended, a first 429 is to be heeded; one among many answers is chance.
FEW, HEEDED = 3, 0.05
# So many of the newest ends are looked at for 429, and kept for breaks.
NEWEST, KEPT = 40, 400


def at_least(k: int, n: int, share: float) -> float:
    """Chance of k or more of n where each comes with this share (upper tail of the binomial).

    >>> round(at_least(1, 1, 0.05), 3), round(at_least(5, 40, 0.05), 3)
    (0.05, 0.048)
    """
    return sum(comb(n, i) * share**i * (1 - share) ** (n - i) for i in range(k, n + 1))


def more_in_first(hits: int, n: int, other_hits: int, other_n: int) -> float:
    """Chance that the first group holds so many of all hits, or more, were the groups alike.

    One-sided exact test of Fisher (1935); 1 where there is nothing to compare.

    >>> round(more_in_first(3, 3, 0, 5), 4)  # 1 in C(8, 3)
    0.0179
    """
    total, all_hits = n + other_n, hits + other_hits
    if not n or not other_n or not all_hits:
        return 1.0
    ways = comb(total, all_hits)
    most = min(n, all_hits)
    return sum(comb(n, i) * comb(other_n, all_hits - i) for i in range(hits, most + 1)) / ways


class Throttles:
    """The newest ends of a lane's calls, by whether the server said 429."""

    def __init__(self) -> None:
        self._ends: deque[bool] = deque(maxlen=NEWEST)

    def ended(self, throttled: bool) -> None:
        """A call ended."""
        self._ends.append(throttled)

    def speak(self) -> bool:
        """Whether there are more 429 among them than chance sends."""
        few = len(self._ends) <= FEW
        chance = at_least(sum(self._ends), len(self._ends), BACKGROUND)
        return chance <= (HEEDED if few else SURE) + 1e-12

    def forget(self) -> None:
        """The width is another one: what was seen before says nothing of it."""
        self._ends.clear()


class Breaks:
    """Ends of a lane's calls by how many were under way, itself included, and whether it broke off."""

    def __init__(self) -> None:
        self._ends: deque[tuple[int, bool]] = deque(maxlen=KEPT)

    def ended(self, under_way: int, broke: bool) -> None:
        """A call ended while so many were under way."""
        self._ends.append((under_way, broke))

    def suspicious(self, low: int, high: float = inf) -> bool:
        """Whether more broke off than by chance, at more than `low` and at most `high` under way."""
        broke = [b for n, b in self._ends if low < n <= high][-NEWEST:]
        return at_least(sum(broke), len(broke), BACKGROUND) < SURE

    def more_above(self, width: int) -> bool:
        """Whether they break off more where more than this were under way (Fisher's exact test)."""
        above: list[bool] = []
        below: list[bool] = []
        for n, broke in self._ends:
            (above if n > width else below).append(broke)
        return more_in_first(*_counts(above), *_counts(below)) < SURE

    def seen_up_to(self, width: int) -> int:
        """How many ended with at most so many under way."""
        return sum(n <= width for n, _ in self._ends)

    def forget(self) -> None:
        """The server went down, or was cleared of the suspicion."""
        self._ends.clear()


def _counts(broke: Iterable[bool]) -> tuple[int, int]:
    found = list(broke)
    return sum(found), len(found)
