"""One name more in a list that a prompt holds, or one less, in the list's own manner."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import regex

from nomikon.core.prompts.clauses import Clause
from nomikon.core.prompts.messages import Message

_ITEM = regex.compile(
    r"^(?P<mark>[ \t]*(?:[-*•–—+]|(?P<n>\d{1,3})(?P<dot>[.)])|[a-z][.)])[ \t]+)(?P<left>[*_`\"“]*)"
    r"(?P<name>[^\n:=–—]{1,40}?)(?P<right>[*_`\"”]*)(?:(?P<joint>[ \t]*[:=][ \t]*|[ \t]+[-–—][ \t]+)(?P<told>[^\n]+))?[ \t]*$"
)
_OPENS = {'"': '"', "“": "”", "„": "“", "«": "»", "`": "`", "'": "'"}
_WORD_JOINT = regex.compile(
    r"\s*,?\s*(?<!\w)(?:or|and|oder|und|ou|et|o|u|y|e)(?!\w)\s*", regex.IGNORECASE
)


@dataclass(frozen=True)
class Place:
    """Where a name of the list stands; an item of a list of lines is its whole clause."""

    message: int
    clause: int
    start: int
    end: int


# (clause, start, end, text): words that give way; start None: a clause after it, or the clause goes.
_Told = tuple[int, int | None, int | None, str]


def one_more(
    places: Sequence[Place],
    clauses: Sequence[Clause],
    messages: Sequence[Message],
    name: str,
    told: str,
) -> Iterator[_Told]:
    """A further name at the end of the list. told: what it means, "" without."""
    last = places[-1]
    clause = clauses[last.clause - 1]
    item = _ITEM.match(clause.text) if clause.kind == "list-item" else None
    if item and (last.start, last.end) == (clause.start, clause.end):
        mark = item["mark"]
        if item["n"]:
            mark = mark.replace(item["n"], str(int(item["n"]) + 1), 1)
        text = f"{mark}{item['left']}{name}{item['right']}"
        yield clause.number, None, None, text + (f"{item['joint'] or ': '}{told}" if told else "")
        return
    content = messages[last.message].content
    said = content[last.start : last.end].rstrip()
    end = last.start + len(said)
    left = said[:1] if said[:1] in _OPENS else ""
    made = f"{left}{name}{_OPENS.get(left, '')}" + (f" ({told})" if told else "")
    before = places[-2]
    gap = content[before.end : last.start] if before.clause == last.clause else ", "
    if _WORD_JOINT.fullmatch(gap):
        yield last.clause, before.end, last.start, ", "
        yield last.clause, end, end, gap + made
    else:
        yield last.clause, end, end, gap + made


def one_less(
    places: Sequence[Place], clauses: Sequence[Clause], messages: Sequence[Message], at: int
) -> Iterator[_Told]:
    """The list without the name at a place."""
    place = places[at]
    clause = clauses[place.clause - 1]
    if clause.kind == "list-item" and (place.start, place.end) == (clause.start, clause.end):
        yield clause.number, None, None, ""
        return
    content = messages[place.message].content
    own = [p for p in places if p.clause == place.clause]
    mine = own.index(place)
    end = place.start + len(content[place.start : place.end].rstrip())
    if mine == 0:
        yield clause.number, place.start, own[1].start if len(own) > 1 else end, ""
        return
    before = own[mine - 1]
    gap = content[before.end : place.start]
    yield clause.number, before.end, end, ""
    if mine == len(own) - 1 and _WORD_JOINT.fullmatch(gap) and len(own) > 2:
        yield clause.number, own[mine - 2].end, before.start, gap
