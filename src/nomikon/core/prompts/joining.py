"""Sentences that were split or merged between two versions: their parts as one clause.

A person who reads "Be brief and never promise a refund." beside "Be brief. Never promise a refund." sees
one change. With the parts as one clause the alignment sees it, too, and taking it never takes half.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import regex

from nomikon.core.prompts.clauses import Clause
from nomikon.core.prompts.messages import Message

# Words that the parts together share with the whole, and how many more than the best of them alone.
SHARED, GAIN = 0.75, 0.1
# Or the parts are nearly all in the whole, which may say as much again beside them.
HELD, MADE_OF = 0.8, 0.5
# Each part is made of the whole to this share of its own words.
OWN = 0.6
MOST_PARTS = 6
# A joint is looked for around a clause no further than this.
_REACH = MOST_PARTS
_WORD = regex.compile(r"\{\{.*?\}\}|[\p{L}\p{N}]+")
_JOINABLE = ("sentence", "list-item")


def words_of(text: str) -> Counter[str]:
    """Its words with how often they stand; marks, numbers of lists and joining words apart."""
    plain = regex.sub(r"(?m)^[ \t]*(?:[-*•–—+]|\d{1,3}[.)])[ \t]+", "", text)
    found = Counter(w.casefold() for w in _WORD.findall(plain))
    for word in ("and", "und", "et", "y", "or", "oder", "ou", "o"):
        found.pop(word, None)
    return found


def joined(
    a: Sequence[Clause],
    b: Sequence[Clause],
    pairs: Sequence[tuple[int, int]],
    old: Sequence[Message],
    new: Sequence[Message],
) -> tuple[list[Clause], list[Clause]]:
    """Both versions' clauses with what was split or merged as one clause; the same lists where nothing was.

    pairs: positions in a and b that are taken for the same clause so far.
    """
    there = dict(pairs)
    back = {j: i for i, j in pairs}
    merged_b = _groups(a, b, there, back)
    merged_a = _groups(b, a, back, there)
    # A clause that is part of both is left alone: one joint at a time tells what happened.
    taken = {i for i, _ in merged_b}
    merged_a = [(j, group) for j, group in merged_a if not taken & set(group)]
    held = {j for _, group in merged_b for j in group}
    merged_a = [(j, group) for j, group in merged_a if j not in held]
    return (
        _with(a, [g for _, g in merged_a], old),
        _with(b, [g for _, g in merged_b], new),
    )


def _groups(
    wholes: Sequence[Clause], parts: Sequence[Clause], there: dict[int, int], back: dict[int, int]
) -> list[tuple[int, list[int]]]:
    """(whole, parts): runs of clauses of one version that are one clause of the other."""
    bags = [words_of(c.text) for c in parts]
    found: list[tuple[int, list[int]]] = []
    used: set[int] = set()
    for i, whole in enumerate(wholes):
        partner = there.get(i)
        if whole.kind not in _JOINABLE:
            continue
        if partner is not None and parts[partner].text == whole.text:
            continue
        bag = words_of(whole.text)
        if sum(bag.values()) < 2:
            continue
        starts = _starts(i, partner, there, len(wholes), len(parts))
        best: tuple[float, list[int]] | None = None
        for first in starts:
            for n in range(2, MOST_PARTS + 1):
                group = list(range(first, first + n))
                if group[-1] >= len(parts) or not _can_join(group, i, parts, back, used):
                    break
                if partner is not None and partner not in group:
                    continue
                if any(_share(bags[j], bag) < OWN for j in group):
                    break
                together = sum((bags[j] for j in group), Counter[str]())
                likeness = _dice(bag, together)
                alone = max(_dice(bag, bags[j]) for j in group)
                held = _share(together, bag) >= HELD and _share(bag, together) >= MADE_OF
                likely = (likeness >= SHARED or held) and likeness > alone + GAIN
                if likely and (best is None or likeness > best[0]):
                    best = likeness, group
        if best:
            found.append((i, best[1]))
            used.update(best[1])
    return found


def _starts(
    i: int, partner: int | None, there: dict[int, int], n_wholes: int, n_parts: int
) -> range:
    """Where the parts may begin: around the partner, or between those of the neighbours."""
    if partner is not None:
        return range(max(0, partner - _REACH + 1), partner + 1)
    before = next((there[k] + 1 for k in range(i - 1, -1, -1) if k in there), 0)
    after = next((there[k] for k in range(i + 1, n_wholes) if k in there), n_parts)
    return range(before, min(after, before + 4 * _REACH))


def _can_join(
    group: Sequence[int], whole: int, parts: Sequence[Clause], back: dict[int, int], used: set[int]
) -> bool:
    first = parts[group[0]]
    return all(
        parts[j].message == first.message
        and parts[j].kind in _JOINABLE
        and j not in used
        and back.get(j, whole) == whole
        for j in group
    )


def _share(part: Counter[str], whole: Counter[str]) -> float:
    total = sum(part.values())
    return sum((part & whole).values()) / total if total else 0.0


def _dice(a: Counter[str], b: Counter[str]) -> float:
    total = sum(a.values()) + sum(b.values())
    return 2 * sum((a & b).values()) / total if total else 0.0


def _with(
    clauses: Sequence[Clause], groups: Sequence[Sequence[int]], messages: Sequence[Message]
) -> list[Clause]:
    """The clauses with each group as one, under the number of its first."""
    first = {g[0]: g for g in groups}
    inside = {j for g in groups for j in g[1:]}
    made = []
    for j, clause in enumerate(clauses):
        if j in inside:
            continue
        if j in first:
            last = clauses[first[j][-1]]
            text = messages[clause.message].content[clause.start : last.end]
            made.append(replace(clause, end=last.end, text=text))
        else:
            made.append(clause)
    return made
