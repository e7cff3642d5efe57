"""Choices by seed that come out the same on every machine, with every version of every library."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import TypeVar

T = TypeVar("T")


class Draw:
    """A row of numbers from a seed and what it is for.

    >>> Draw(0, 'case 1', 'typing').below(10) == Draw(0, 'case 1', 'typing').below(10)
    True
    """

    def __init__(self, seed: int, *about: object) -> None:
        told = "\x1f".join(map(str, (seed, *about)))
        self._key = hashlib.blake2b(told.encode("utf-8", "surrogatepass"), digest_size=16).digest()
        self._count = 0

    def below(self, n: int) -> int:
        """A whole number from 0, under n; n at least 1."""
        self._count += 1
        made = hashlib.blake2b(self._count.to_bytes(8, "big"), key=self._key, digest_size=8)
        return int.from_bytes(made.digest(), "big") % n

    def one(self, among: Sequence[T]) -> T:
        """One of them."""
        return among[self.below(len(among))]

    def order(self, among: Sequence[T]) -> list[T]:
        """All of them in some order."""
        left = list(among)
        return [left.pop(self.below(len(left))) for _ in range(len(left))]
