"""What a case comes from, where others share it: a conversation, a document, a person."""

from __future__ import annotations

from collections.abc import Sequence

from nomikon.core.cases.near import NearPair
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import Entry

LONGEST = 200


def read_source(text: str) -> str:
    """The name of a source as it is kept. Raises DatasetError for one that is too long."""
    name = text.strip()
    if len(name) > LONGEST:
        raise DatasetError(
            f"the source has {len(name):,} characters; a name of at most {LONGEST} is kept",
            field="source",
        )
    return name


def of_one_source(entries: Sequence[Entry]) -> list[NearPair]:
    """Pairs of places of cases that share a source: each with the first of it."""
    first: dict[str, int] = {}
    pairs = []
    for place, entry in enumerate(entries):
        source = entry.revision.source
        if source and first.setdefault(source, place) != place:
            pairs.append(NearPair(first[source], place, 1.0))
    return pairs
