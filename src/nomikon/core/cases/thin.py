"""What a set of cases holds, part by part, and where it is thin."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from nomikon.core.cases.manner import manner_of
from nomikon.core.cases.quality import HELD_OUT, MOST_LABELS
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.texts.language import FLOOR, told_language

TAG, LABEL, MANNER, LENGTH, LANGUAGE = KINDS = ("tag", "label", "manner", "length", "language")
# A part of fewer working cases tells nothing by itself: its interval is as wide as the scale.
ENOUGH = 10
# Characters of all inputs together; a band holds those up to its bound.
BANDS = (100, 300, 1_000, 3_000, 10_000)
# Languages are told for so many cases, evenly spread: telling one takes a third of a millisecond.
MOST_TOLD = 3_000
# A tag and a label that would stand together in so many cases by chance, and do so in none.
EXPECTED = 5.0
MOST_GAPS = 6
_UNTOLD = "cannot be told"


@dataclass(frozen=True)
class ThinRow:
    """What is looked at of a case. score: of the answer that is looked at with it, None without."""

    inputs: Mapping[str, Any]
    reference: str | None
    split: str
    tags: Sequence[str]
    score: float | None = None


@dataclass(frozen=True)
class Part:
    """Cases of one kind. members: positions of the rows. thin: what is wanting, "" where nothing is."""

    kind: str
    name: str
    working: int
    held_out: int
    score: float | None
    thin: str
    members: tuple[int, ...]


@dataclass(frozen=True)
class Gap:
    """A tag and a label that never stand together, though about so many cases would by chance."""

    tag: str
    label: str
    expected: float


@dataclass(frozen=True)
class Thin:
    """told: of how many cases the language was looked at."""

    parts: list[Part]
    gaps: list[Gap]
    told: int


def look_for_thin(rows: Sequence[ThinRow], wanted_labels: Sequence[str] = ()) -> Thin:
    """The parts of a set by tag, label, manner, length and language, and the places where it is thin.

    wanted_labels: those that an answer may be; one that no case has is a part of none.
    """
    everything = range(len(rows))
    tags = _grouped(everything, lambda i: rows[i].tags)
    labels = _labels(rows, wanted_labels)
    manners = _grouped(everything, lambda i: [manner_of(rows[i].inputs)])
    languages, told = _languages(rows)
    parts = [
        *(_part(rows, TAG, name, found) for name, found in _by_size(tags)),
        *(_part(rows, LABEL, name, found) for name, found in _by_size(labels)),
        *(_part(rows, MANNER, name, found) for name, found in _by_size(manners)),
        *(_part(rows, LENGTH, name, found) for name, found in _lengths(rows)),
        *(_part(rows, LANGUAGE, name, found) for name, found in _by_size(languages)),
    ]
    return Thin(parts, _gaps(len(rows), tags, labels), told)


def _grouped(which: Sequence[int], names: Callable[[int], Sequence[str]]) -> dict[str, list[int]]:
    found: dict[str, list[int]] = {}
    for i in which:
        for name in dict.fromkeys(names(i)):
            found.setdefault(name, []).append(i)
    return found


def _by_size(groups: Mapping[str, list[int]]) -> list[tuple[str, list[int]]]:
    return sorted(groups.items(), key=lambda g: (-len(g[1]), g[0]))


def _labels(rows: Sequence[ThinRow], wanted: Sequence[str]) -> dict[str, list[int]]:
    """References where they are labels: few different ones, each said more than once on the whole."""
    said = Counter(r.reference.strip() for r in rows if r.reference and r.reference.strip())
    are_labels = len(said) <= MOST_LABELS and sum(said.values()) >= 2 * len(said)
    found = {name: list[int]() for name in wanted}
    if are_labels:
        for i, row in enumerate(rows):
            if row.reference and row.reference.strip():
                found.setdefault(row.reference.strip(), []).append(i)
    return found


def _lengths(rows: Sequence[ThinRow]) -> list[tuple[str, list[int]]]:
    """Bands of length from the shortest case to the longest; one between them may hold none."""
    names = ["up to 100 characters"]
    names += [f"{low:,} to {high:,}" for low, high in pairwise(BANDS)]
    names.append(f"over {BANDS[-1]:,}")
    found: list[list[int]] = [[] for _ in names]
    for i, row in enumerate(rows):
        size = sum(len(value_as_text(v)) for v in row.inputs.values() if v is not None)
        found[sum(size > b for b in BANDS)].append(i)
    filled = [i for i, members in enumerate(found) if members]
    if not filled:
        return []
    return list(zip(names, found, strict=True))[filled[0] : filled[-1] + 1]


def _languages(rows: Sequence[ThinRow]) -> tuple[dict[str, list[int]], int]:
    step = max(1, -(-len(rows) // MOST_TOLD))
    which = range(0, len(rows), step)

    def language(i: int) -> list[str]:
        texts = [v for v in rows[i].inputs.values() if isinstance(v, str)]
        told = told_language(" ".join(texts)[:2_000])
        return [told[0] if told and told[1] >= FLOOR else _UNTOLD]

    return _grouped(which, language), len(which)


def _part(rows: Sequence[ThinRow], kind: str, name: str, members: Sequence[int]) -> Part:
    held = sum(rows[i].split == HELD_OUT for i in members)
    working = len(members) - held
    scores = [s for i in members if (s := rows[i].score) is not None]
    mean = sum(scores) / len(scores) if scores else None
    some_held = any(r.split == HELD_OUT for r in rows)
    thin = ""
    if name != _UNTOLD:
        if not members:
            thin = "no case at all"
        elif working < ENOUGH:
            thin = f"{working} working: too few to tell anything by themselves"
        elif not held and some_held:
            thin = "none held out: a gain here is never checked"
    return Part(kind, name, working, held, mean, thin, tuple(members))


def _gaps(n: int, tags: Mapping[str, list[int]], labels: Mapping[str, list[int]]) -> list[Gap]:
    """Pairs that chance alone would bring together, the most expected first."""
    found = []
    for tag, own in tags.items():
        mine = set(own)
        for label, others in labels.items():
            expected = len(own) * len(others) / n if n else 0.0
            if expected >= EXPECTED and mine.isdisjoint(others):
                found.append(Gap(tag, label, expected))
    return sorted(found, key=lambda g: -g.expected)[:MOST_GAPS]
