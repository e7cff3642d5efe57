"""Texts as vectors, by the embeddings route that servers have beside chat completions."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from nomikon.models.errors import CallFailure
from nomikon.models.receiving import count_of
from nomikon.models.types import CHAT_COMPLETIONS, Connection, Embedded

# So many texts go in one request; servers take from sixteen to some thousands.
BATCH = 64
LONGEST_VECTOR = 20_000


def embeddings_url(connection: Connection) -> str:
    """Where texts are put into vectors. Raises CallFailure where the protocol has no such route."""
    if connection.protocol != CHAT_COMPLETIONS:
        raise CallFailure("refused", "this protocol has no route for embeddings")
    return f"{connection.base_url.rstrip('/')}/embeddings"


def read_embeddings(document: Any, n: int) -> Embedded:
    """The vectors of n texts in their order, each of length 1. Raises CallFailure (malformed).

    An entry may say its place in `index`; without, they stand in the order asked.
    """
    rows = document.get("data") if isinstance(document, dict) else None
    if not isinstance(rows, list) or len(rows) != n:
        told = len(rows) if isinstance(rows, list) else "no"
        raise CallFailure("malformed", f"{told} vectors came for {n} texts")
    found: dict[int, tuple[float, ...]] = {}
    for place, row in enumerate(rows):
        index = row.get("index", place) if isinstance(row, dict) else None
        vector = row.get("embedding") if isinstance(row, dict) else None
        if not isinstance(index, int) or not 0 <= index < n or index in found:
            raise CallFailure("malformed", "a vector does not say which text it is of")
        found[index] = _unit(vector)
    if len({len(v) for v in found.values()}) > 1:
        raise CallFailure("malformed", "the vectors differ in length")
    usage = document.get("usage")
    used = count_of(usage.get("prompt_tokens")) if isinstance(usage, dict) else None
    return Embedded(tuple(found[i] for i in range(n)), used)


def _unit(vector: Any) -> tuple[float, ...]:
    numbers = isinstance(vector, list) and all(
        isinstance(x, int | float) and not isinstance(x, bool) and math.isfinite(x) for x in vector
    )
    if not numbers or not 0 < len(vector) <= LONGEST_VECTOR:
        raise CallFailure("malformed", "a vector is no list of numbers")
    length = math.sqrt(math.fsum(float(x) ** 2 for x in vector))
    return tuple(float(x) / length for x in vector) if length else tuple(map(float, vector))


def batches(texts: Sequence[str]) -> list[Sequence[str]]:
    """The texts in as many requests as they need."""
    return [texts[i : i + BATCH] for i in range(0, len(texts), BATCH)]
