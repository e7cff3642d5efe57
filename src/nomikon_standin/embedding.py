"""Embeddings by rule: texts with words in common point the same way, and no more than that.

Each word, without its ending, and each run of three of its letters is hashed to one of so many
places with a sign (feature hashing: Weinberger et al., 2009). Synonyms are strangers to it.
"""

from __future__ import annotations

import math

from nomikon_standin.words import chance, stem, words

DIMENSIONS = 256
# A whole word says more than a piece of one.
_WORD, _PIECE = 1.0, 0.3


def embedded(text: str) -> list[float]:
    """A vector of length 1; all zeros for a text without a word."""
    vector = [0.0] * DIMENSIONS
    for word in words(text):
        bare = stem(word.lower())
        _add(vector, bare, _WORD)
        padded = f"^{bare}$"
        for at in range(len(padded) - 2):
            _add(vector, padded[at : at + 3], _PIECE)
    length = math.sqrt(math.fsum(x * x for x in vector))
    return [x / length for x in vector] if length else vector


def _add(vector: list[float], piece: str, weight: float) -> None:
    place = int(chance("place", piece) * DIMENSIONS) % DIMENSIONS
    vector[place] += weight if chance("sign", piece) < 0.5 else -weight
