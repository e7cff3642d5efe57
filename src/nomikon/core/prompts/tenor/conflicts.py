"""Limits that cannot hold together, with the arithmetic that shows it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations

from nomikon.core.prompts.tenor.lexicon import (
    BULLETS,
    CHARACTERS,
    ITEMS,
    LINES,
    PARAGRAPHS,
    SENTENCES,
    WORDS,
)
from nomikon.core.prompts.tenor.shape import Limit

# Fewer of the second than this cannot make one of the first: a word has two characters and a blank
# on the leanest reading, a sentence two words.
_LEAST = {
    (WORDS, CHARACTERS): 3,
    (SENTENCES, WORDS): 2,
    (PARAGRAPHS, SENTENCES): 1,
    (PARAGRAPHS, WORDS): 2,
}
# Each is held against each: of a whole book nobody reads that.
MOST_LIMITS = 200
_COUNTED = (BULLETS, ITEMS, LINES, SENTENCES)
_ONE = {
    "characters": "character", "words": "word", "sentences": "sentence", "lines": "line",
    "paragraphs": "paragraph", "bullets": "bullet", "items": "item",
}  # fmt: skip


@dataclass(frozen=True)
class Conflict:
    """Two limits that do not meet; later is the one that comes second. why: in words, with figures."""

    earlier: Limit
    later: Limit
    why: str


def conflicts_of(limits: Sequence[Limit]) -> list[Conflict]:
    """Every pair of limits that no answer can keep, each later limit told once.

    Intervals of the same unit that do not meet; so many parts of so many words against the words of
    the whole; a unit that is made of another, such as words of characters.
    """
    limits = limits[:MOST_LIMITS]
    told: dict[int, Conflict] = {}
    for found in (*_apart(limits), *_by_parts(limits), *_made_of(limits)):
        told.setdefault(id(found.later), found)
    order = {id(x): i for i, x in enumerate(limits)}
    return sorted(told.values(), key=lambda c: order[id(c.later)])


def _apart(limits: Sequence[Limit]) -> Iterator[Conflict]:
    for a, b in combinations(limits, 2):
        if (a.what, a.per) != (b.what, b.per):
            continue
        # Two exact numbers of things in one clause are two things.
        if a.words.clause == b.words.clause and a.what == ITEMS:
            continue
        if b.further:
            continue
        low = max(_low(a), _low(b))
        high = min(_high(a), _high(b))
        # Two bounds on the same side: an answer may keep both, but which of them is meant?
        two_bounds = a.words.clause != b.words.clause and (
            (a.low is b.low is None and a.high != b.high)
            or (a.high is b.high is None and a.low != b.low)
        )
        if two_bounds:
            yield _between(
                a, b, f"{in_words(a)} before and {in_words(b)} here: only one can be meant"
            )
        elif low > high:
            yield _between(
                a, b, f"{in_words(a)} before and {in_words(b)} here: no answer keeps both"
            )


def _by_parts(limits: Sequence[Limit]) -> Iterator[Conflict]:
    whole = [x for x in limits if not x.per and x.what in (WORDS, CHARACTERS, SENTENCES)]
    each = [x for x in limits if x.per and x.what in (WORDS, CHARACTERS, SENTENCES)]
    counts = [x for x in limits if not x.per and x.what in _COUNTED]
    for part in each:
        own = [x for x in whole if x.what == part.what and x.words != part.words]
        if not own:
            continue
        for count in counts:
            if part.per not in (count.what, ITEMS) and not (
                part.per in (BULLETS, LINES) and count.what in (BULLETS, ITEMS, LINES)
            ):
                continue
            for total in own:
                least, most = _low(count) * _low(part), _high(count) * _high(part)
                unit = part.what
                if least > _high(total):
                    why = f"{_low(count):g} × {_low(part):g} {unit} are {least:g}, above {in_words(total)}"
                elif most < _low(total):
                    why = f"{_high(count):g} × {_high(part):g} {unit} are {most:g}, below {in_words(total)}"
                else:
                    continue
                last = max((part, count, total), key=lambda x: (x.words.message, x.words.start))
                first = min((part, count, total), key=lambda x: (x.words.message, x.words.start))
                yield Conflict(first, last, f"{why}: no answer keeps both")


def _made_of(limits: Sequence[Limit]) -> Iterator[Conflict]:
    plain = [x for x in limits if not x.per]
    for more in plain:
        for fewer in plain:
            least = _LEAST.get((more.what, fewer.what))
            if least and more.low is not None and fewer.high is not None:
                needed = more.low * least
                if needed > fewer.high:
                    yield _between(
                        more,
                        fewer,
                        f"{in_words(more)} take {needed} {fewer.what} or more, but {in_words(fewer)} "
                        "are allowed",
                    )


def _between(a: Limit, b: Limit, why: str) -> Conflict:
    first, last = sorted((a, b), key=lambda x: (x.words.message, x.words.start))
    return Conflict(first, last, why)


def _low(limit: Limit) -> float:
    return 0.0 if limit.low is None else float(limit.low)


def _high(limit: Limit) -> float:
    return float("inf") if limit.high is None else float(limit.high)


def in_words(limit: Limit) -> str:
    """A limit as it is told: at most 40 words, 2 to 3 sentences, exactly 1 line.

    The part that it holds for is told by `per`.
    """
    low, high = limit.low, limit.high
    unit = _ONE[limit.what] if (high or low) == 1 else limit.what
    if low is not None and high is not None:
        told = f"exactly {low} {unit}" if low == high else f"{low} to {high} {unit}"
    elif high is not None:
        told = f"at most {high} {unit}"
    else:
        told = f"at least {low} {unit}"
    return f"{told} per {_ONE.get(limit.per, limit.per)}" if limit.per else told
