"""A wish of several parts: what a rule reads in each, and what would be lost without a word."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from typing import Any

import regex

from nomikon.core.prompts.tenor import Tenor
from nomikon.core.prompts.tenor.lexicon import LEXICONS
from nomikon.core.prompts.wishes.wants import Want, want_of

# Where one part may end and the next begin, in the four languages; some begin a part of their own.
_JOINT = regex.compile(
    r"\s*,?\s+(?:and|but|und|aber|sowie|et|mais|y|e|pero)\s+(?:also\s+|auch\s+|aussi\s+|también\s+)?|\s*,\s+",
    regex.IGNORECASE,
)
# Sentences are wishes of their own, whatever each of them says.
_SENTENCES = regex.compile(r"\s*;\s*|(?<=\p{L}{2}[.!?])\s+(?=\S)")
# A bound without what it bounds belongs to the part before it.
_BARE = regex.compile(
    r"^\W*(?:no|not|nicht|pas|at|höchstens|mindestens|maximal|exactly|genau|más|menos|como|au|up|bis)\b(?:\s+\p{L}+){0,2}?\s+"
    rf"(?:{'|'.join(x.number for x in LEXICONS.values())})\W*$",
    regex.IGNORECASE,
)
# What adds nothing to the part before it.
_IDLE = regex.compile(
    r"^\W*(?:(?:no|nothing|not|nicht|nichts|keine|pas|rien|nada|no)\s+(?:more|less|longer|else|mehr|länger|anderes|plus|autre|más)"
    r"|please|thanks?(?: you)?|bitte|danke|merci|s['’]il (?:te|vous) pla[iî]t|por favor|gracias|at most|höchstens|only|nur"
    r"|that['’]?s? (?:it|all)|mehr nicht|kein wort mehr|nada más|rien de plus)\W*$",
    regex.IGNORECASE,
)
_FIELDS = (
    "labels", "adds", "drops", "keys", "form", "columns", "answer_language", "tone", "inputs", "rule",
    "goes",
)  # fmt: skip
# Of these a wish can say one thing only.
_SINGLE = ("form", "answer_language", "goes")


def parted(wish: str, tenor: Tenor) -> tuple[list[Want], list[str]]:
    """What a wish asks for, part by part where it has parts, and the parts that no rule reads.

    A wish is taken apart only where nothing of it as a whole is lost by that. A whole that no rule
    reads has no parts.

    >>> from nomikon.core.prompts.tenor import Tenor
    >>> wants, left = parted('at most 40 words and sound like an old captain', Tenor(language='en'))
    >>> [x.high for x in wants[0].limits], left
    ([40], ['sound like an old captain'])
    """
    wants: list[Want] = []
    left: list[str] = []
    for sentence in _SENTENCES.split(wish):
        own, rest = _apart(sentence, tenor) if sentence.strip() else ([], [])
        wants += [w for w in own if w.is_told]
        left += rest if any(w.is_told for w in own) or _IDLE.match(sentence) else [sentence.strip()]
    if not wants:
        return [want_of(wish, tenor)], []
    return wants, left


def _apart(said: str, tenor: Tenor) -> tuple[list[Want], list[str]]:
    whole = want_of(said, tenor)
    had = _told(whole)
    found: list[tuple[int, int, list[Want], list[str]]] = []
    for parts in _ways(said):
        bare = [p for p in parts if _BARE.match(p)]
        if bare and whole.limits:
            continue
        wants = [Want(p, "") if p in bare else want_of(p, tenor) for p in parts]
        wants = [Want(w.text, "") if _against(w, wants[:n]) else w for n, w in enumerate(wants)]
        told = {x for w in wants for x in _told(w)}
        if not told or not had <= told:
            continue
        left = [
            p for p, w in zip(parts, wants, strict=True) if not w.is_told and not _IDLE.match(p)
        ]
        read = [whole] if told == had else [w for w in wants if w.is_told]
        if left or len(read) > 1:
            found.append((len(left), -len(told), read, left))
    if not found:
        return [whole], []
    _, _, read, left = min(found, key=lambda f: f[:2])
    return read, left


def _ways(wish: str) -> Iterator[list[str]]:
    """The wish in two or more parts: at every joint first, then at one of them."""
    joints = [m.span() for m in _JOINT.finditer(wish)]
    if not joints:
        return
    edges = [(0, 0), *joints, (len(wish), len(wish))]
    every = [wish[a_end:b_start].strip() for (_, a_end), (b_start, _) in itertools.pairwise(edges)]
    yield [p for p in every if p]
    if len(joints) > 1:
        for start, end in joints:
            yield [p for p in (wish[:start].strip(), wish[end:].strip()) if p]


def _told(want: Want) -> set[tuple[str, Any]]:
    """What a want says, to be held against another's."""
    own = {("limit", (x.what, x.per, x.low, x.high)) for x in want.limits}
    for name in _FIELDS:
        value = getattr(want, name)
        if any(value) if isinstance(value, tuple) else value:
            own.add((name, value))
    return own


def _against(want: Want, before: list[Want]) -> bool:
    """Whether it says another thing where one was said: the first is meant, the rest is for a person."""
    return any(getattr(want, n) and any(getattr(b, n) for b in before) for n in _SINGLE)
