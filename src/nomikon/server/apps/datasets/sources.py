"""What a case comes from, where others share it: a conversation, a document, a person."""

from __future__ import annotations

from collections.abc import Sequence

from nomikon.core.cases.near import NearPair, near_groups
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


def joined(
    pairs: Sequence[NearPair], numbers: Sequence[int], sources: Sequence[str]
) -> tuple[int, dict[int, str]]:
    """How many groups of near-copies lack a common source, and by place what would give them one.

    numbers, sources: of the cases, by place. A source that somebody named stays.
    """
    found: dict[int, str] = {}
    n_groups = 0
    for group in near_groups(pairs):
        blank = [place for place in group if not sources[place]]
        if not blank:
            continue
        n_groups += 1
        named = next((sources[place] for place in group if sources[place]), None)
        found |= dict.fromkeys(blank, named or f"like case {numbers[group[0]]}")
    return n_groups, found
