"""Near-duplicates among many texts, without comparing each with each.

MinHash (Broder 1997) over runs of five characters finds candidates by bands of
the signature; every candidate pair is then compared exactly (Jaccard).
"""

from __future__ import annotations

import re
import unicodedata
import zlib
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

SHINGLE = 5
# A pair of likeness 0.8 is missed with a chance of (1 − 0.8⁵)²⁴ = 7e-5, one of 0.85 with 8e-7.
BANDS, ROWS = 24, 5
NEAR = 0.8
# Texts of one bucket beyond this are compared with the first ones only.
MOST_OF_A_BUCKET = 60
_PRIME = np.uint64((1 << 31) - 1)


@dataclass(frozen=True)
class NearPair:
    """Two texts that are much alike: positions a < b, likeness from 0.8 to 1 (1: the same words)."""

    a: int
    b: int
    likeness: float


def near_duplicates(texts: Sequence[str], *, at_least: float = NEAR) -> list[NearPair]:
    """Pairs of texts whose sets of five-character runs have a Jaccard likeness of at least this.

    Case, punctuation and runs of blanks are left aside. Of many texts that are
    the same each is paired with the first only. Empty texts are not compared.
    """
    plain = [_plain(t) for t in texts]
    first: dict[str, int] = {}
    pairs: list[NearPair] = []
    distinct: list[int] = []
    for index, text in enumerate(plain):
        if not text:
            continue
        if text in first:
            pairs.append(NearPair(first[text], index, 1.0))
        else:
            first[text] = index
            distinct.append(index)
    shingles = {i: _shingles(plain[i]) for i in distinct}
    for a, b in sorted(_candidates(shingles, at_least)):
        x, y = shingles[a], shingles[b]
        common = len(x & y)
        likeness = common / (len(x) + len(y) - common)
        if likeness >= at_least:
            pairs.append(NearPair(a, b, likeness))
    return sorted(pairs, key=lambda p: (p.a, p.b))


def _plain(text: str) -> str:
    folded = unicodedata.normalize("NFKC", text).casefold()
    return re.sub(r"[\W_]+", " ", folded).strip()


def _shingles(text: str) -> frozenset[int]:
    data = text.encode("utf-8")
    if len(data) <= SHINGLE:
        return frozenset((zlib.crc32(data),))
    return frozenset(zlib.crc32(data[i : i + SHINGLE]) for i in range(len(data) - SHINGLE + 1))


def _candidates(shingles: dict[int, frozenset[int]], at_least: float) -> set[tuple[int, int]]:
    # A fixed seed: the same texts give the same pairs.
    dice = np.random.default_rng(0)
    factor = dice.integers(1, int(_PRIME), size=BANDS * ROWS, dtype=np.uint64)
    shift = dice.integers(0, int(_PRIME), size=BANDS * ROWS, dtype=np.uint64)
    buckets: dict[tuple[int, bytes], list[int]] = {}
    for index, found in shingles.items():
        hashes = np.fromiter(found, dtype=np.uint64, count=len(found)) % _PRIME
        signature = ((hashes[:, None] * factor + shift) % _PRIME).min(axis=0)
        for band, part in enumerate(signature.reshape(BANDS, ROWS)):
            buckets.setdefault((band, part.tobytes()), []).append(index)
    pairs: set[tuple[int, int]] = set()
    sizes = {index: len(found) for index, found in shingles.items()}
    for members in buckets.values():
        for place, b in enumerate(members[1:], 1):
            for a in members[: min(place, MOST_OF_A_BUCKET)]:
                # Sets of very different sizes cannot be alike enough.
                if min(sizes[a], sizes[b]) >= at_least * max(sizes[a], sizes[b]):
                    pairs.add((a, b))
    return pairs


def near_groups(pairs: Sequence[NearPair]) -> list[list[int]]:
    """Texts that hang together by pairs, in order, the groups by their first.

    >>> near_groups([NearPair(0, 2, 1.0), NearPair(3, 4, 0.9), NearPair(2, 5, 0.8)])
    [[0, 2, 5], [3, 4]]
    """
    first: dict[int, int] = {}

    def root(text: int) -> int:
        while (above := first.setdefault(text, text)) != text:
            first[text] = first[above]
            text = above
        return text

    for pair in pairs:
        a, b = sorted((root(pair.a), root(pair.b)))
        first[b] = a
    groups: dict[int, list[int]] = {}
    for text in sorted(first):
        groups.setdefault(root(text), []).append(text)
    return list(groups.values())
