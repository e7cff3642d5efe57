"""What speaks against a version, gathered into faults: alike remarks counted together."""

from __future__ import annotations

import hashlib
import re
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from scipy import sparse

from nomikon.core.prompts.about import About, by_what_they_are_about
from nomikon.core.prompts.tenor.shape import Tenor

MARK, SPAN, FAULT, BETTER, MEASURE, TRIED = "mark", "span", "fault", "better", "measure", "try"
TWIN = "twin"
SOURCES = (MARK, SPAN, FAULT, BETTER, MEASURE, TRIED, TWIN)
# What is said of a version that does what an input asks of it.
FOLLOWS = "follows orders in its input"
# Two remarks that share this much of their weighted words are about the same (cosine).
ALIKE = 0.34
# By vectors: the bound lies between these, wherever the mean of all pairs lies.
LOOSE, STRICT = 0.35, 0.85
MOST_FAULTS = 40
# Remarks of one fault that are shown; all are counted.
SHOWN = 12
_WORD = re.compile(r"[^\W\d_]{2,}", re.UNICODE)
_COMMON = frozenset(
    "the a an is are was were be been to of in on at for and or but not it its this that with as by "
    "from should must has have had does do did there here they them their you your we our i he she "
    "so too very more than which what when where who why how no nor if then all any".split()
)


@dataclass(frozen=True)
class Remark:
    """One thing that speaks against an answer.

    source: one of SOURCES, of which TRIED was said while a text was tried: its output is 0, and
    where the input was typed its case is the try's number below 0. label: the measure's name or the kind of fault, ""
    otherwise. text: what was said. quote: the answer's words it is about. wanted: the
    reference, where there is one.
    """

    source: str
    text: str
    output: int
    case: int
    label: str = ""
    quote: str = ""
    wanted: str = ""


@dataclass(frozen=True)
class Fault:
    """Remarks that say the same. title: the one nearest to all; cases: how many are concerned.

    key: the same as long as the remark that it began with stands, whatever joins it later.
    """

    title: str
    label: str
    source: str
    n: int
    cases: int
    remarks: list[Remark] = field(default_factory=list)
    key: str = ""


def remark_id(remark: Remark) -> str:
    """What tells a remark from others: the same for the same words, whichever answer they are about."""
    said = " ".join(remark.text.casefold().split())
    return _key("remark", _party(remark), remark.label, said)


def _party(remark: Remark) -> str:
    return "said" if remark.source in (MARK, SPAN, BETTER, TRIED) else remark.source


def gather_faults(
    remarks: Sequence[Remark],
    tenor: Tenor | None = None,
    moved: Mapping[str, str] | None = None,
    vectors: Mapping[str, Sequence[float]] | None = None,
) -> list[Fault]:
    """Remarks grouped into faults, orders that were followed first, then those that concern the most cases.

    A kind of fault that a person named is a group of its own, so is a kind of twins that break, and so are the
    remarks of one measure; of these, and of free comments, those about the same key or label
    of the answer, or the same part of the tenor, go together, and the rest by their weighted
    words. The same in any order of remarks with the same first ones; at most MOST_FAULTS.

    tenor: of the version that was answered; keys and labels are known by it. moved: where a person put
    remarks, from `remark_id` to that of one they belong with, or to their own where they stand alone.
    vectors: by `remark_id`, of length 1; what people said in free words is grouped by them where all of
    it has one.
    """
    parts: dict[tuple[str, str], list[Remark]] = defaultdict(list)
    for remark in remarks:
        parts[(_party(remark), remark.label)].append(remark)
    groups: list[_Faulty] = []
    for (source, label), rows in parts.items():
        if source in (FAULT, TWIN):
            groups.append(_Faulty(label, _key(source, label), rows, rows[0]))
            continue
        for topic, places in _topics(source, rows, tenor or Tenor()).items():
            own = [rows[i] for i in places]
            known = [(vectors or {}).get(remark_id(r)) for r in own] if source == "said" else [None]
            if topic is None and all(v is not None for v in known):
                found = _alike_by(np.array(known, dtype=float))
            else:
                found = _alike([_words(r) for r in own], together=topic is not None)
            for group in found:
                members = [own[i] for i in group.members]
                first = members[0]
                # The first that was said stays the first, whatever is said of it later.
                told = (first.source, str(first.output), first.text)
                key = _key(source, label, *((topic.part, topic.name) if topic else told))
                groups.append(_Faulty(label, key, members, own[group.centre]))
    if moved:
        groups = _as_moved(groups, moved)
    faults = [_fault(g.members, g.label, g.centre, g.key) for g in groups]
    # However seldom: who can write the input can have the prompt do anything.
    faults.sort(key=lambda f: (f.label != FOLLOWS, -f.cases, -f.n, f.label, f.title))
    return faults[:MOST_FAULTS]


@dataclass
class _Faulty:
    """A fault while it is gathered."""

    label: str
    key: str
    members: list[Remark]
    centre: Remark


def _as_moved(groups: Sequence[_Faulty], moved: Mapping[str, str]) -> list[_Faulty]:
    """The groups as a person put them; a remark whose companion is not there stays where it was."""
    home = {remark_id(r): g for g in groups for r in g.members}

    def place(remark: str) -> str:
        seen = {remark}
        while (beside := moved.get(remark, remark)) != remark:
            if beside not in home or beside in seen:
                break
            remark = beside
            seen.add(beside)
        return remark

    own: dict[str, _Faulty] = {}
    for group in groups:
        for remark in group.members:
            known = remark_id(remark)
            if known in moved and moved[known] == known and known not in own:
                own[known] = _Faulty(group.label, _key("apart", known), [], remark)
    into: dict[int, tuple[_Faulty, list[Remark]]] = {
        id(g): (g, []) for g in (*groups, *own.values())
    }
    for group in groups:
        for remark in group.members:
            known = remark_id(remark)
            end = place(known)
            # The same words may stand in two groups: what nobody moved stays in its own.
            stays = group if end == known else home[end]
            into[id(own.get(end, stays))][1].append(remark)
    return [
        _Faulty(g.label, g.key, members, g.centre if g.centre in members else members[0])
        for g, members in into.values()
        if members
    ]


def _alike_by(vectors: np.ndarray[Any, np.dtype[np.float64]]) -> list[_Group]:
    """Groups by vectors: like their first member by more than remarks here are alike as a rule.

    How near texts of one meaning stand differs from model to model; the bound follows the mean and
    spread of all pairs, within LOOSE and STRICT.
    """
    bound = min(max(_usual_likeness(vectors), LOOSE), STRICT)
    free = np.ones(len(vectors), dtype=bool)
    groups: list[_Group] = []
    for i in range(len(vectors)):
        if not free[i]:
            continue
        found = np.flatnonzero(free & (vectors @ vectors[i] >= bound))
        found = np.union1d(found, [i])
        free[found] = False
        mean = vectors[found].mean(axis=0)
        centre = int(found[int(np.argmax(vectors[found] @ mean))])
        groups.append(_Group(centre, [int(j) for j in found]))
    return groups


def _topics(source: str, rows: Sequence[Remark], tenor: Tenor) -> dict[About | None, list[int]]:
    if source == MEASURE:
        # A measure says itself what it is about; of several keys it may say different things.
        named = [r.text if len(tenor.output.keys) > 1 else "" for r in rows]
        found = by_what_they_are_about(named, tenor)
        apart: dict[About | None, list[int]] = {}
        for topic, places in found.items():
            apart.setdefault(topic if topic and topic.part == "key" else None, []).extend(places)
        return {topic: sorted(places) for topic, places in apart.items()}
    return by_what_they_are_about([r.text for r in rows], tenor)


def _key(*parts: str) -> str:
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()[:16]


def _fault(rows: list[Remark], label: str, centre: Remark, key: str) -> Fault:
    title = label if centre.source == FAULT else centre.text
    # One remark a case is enough to see what is meant.
    seen: dict[int, Remark] = {}
    for r in rows:
        seen.setdefault(r.case, r)
    shown = [centre, *(r for r in seen.values() if r is not centre)][:SHOWN]
    return Fault(title, label, centre.source, len(rows), len(seen), shown, key)


def _words(remark: Remark) -> list[str]:
    text = remark.text
    if remark.source == MEASURE:
        # A measure's why differs from case to case in its quoted values alone.
        text = re.sub(r"[“\"'‘].*?[”\"'’]", " ", text)
    return [w for w in (m.group().casefold() for m in _WORD.finditer(text)) if w not in _COMMON]


def _usual_likeness(vectors: np.ndarray[Any, np.dtype[np.float64]]) -> float:
    """Mean plus standard deviation of the products of all pairs; no pair is written down.

    Of G = V Vᵀ: its entries sum to |Σ v|², their squares to the squared norm of Vᵀ V.
    """
    n = len(vectors)
    if n < 2:
        return STRICT
    own = np.einsum("ij,ij->i", vectors, vectors)
    pairs = n * (n - 1)
    mean = float(np.sum(vectors.sum(axis=0) ** 2) - own.sum()) / pairs
    squares = float(np.sum((vectors.T @ vectors) ** 2) - np.sum(own**2)) / pairs
    return mean + float(np.sqrt(max(0.0, squares - mean**2)))


@dataclass
class _Group:
    centre: int
    members: list[int]


def _alike(rows: list[list[str]], *, together: bool = False) -> list[_Group]:
    """Groups by likeness to their first member: TF-IDF weights, cosine, in the order given.

    together: they are one group, whatever their words.
    """
    matrix = _weights(rows)
    groups: list[_Group] = []
    if together:
        groups.append(_Group(0, list(range(len(rows)))))
        rows = []
    leaders: list[int] = []
    free = np.ones(len(rows), dtype=bool)
    for i in range(len(rows)):
        if not free[i]:
            continue
        near = (matrix @ matrix[i].T).toarray().ravel()
        found = np.flatnonzero(free & (near >= ALIKE))
        if i not in found:
            # Without a word of its own it is like nothing but those without one too.
            found = np.array([j for j in range(len(rows)) if free[j] and rows[j] == rows[i]])
        free[found] = False
        leaders.append(i)
        groups.append(_Group(i, [int(j) for j in found]))
        if len(leaders) > 50 * MOST_FAULTS:
            break
    for group in groups:
        block = matrix[group.members]
        mean = np.asarray(block.mean(axis=0)).ravel()
        group.centre = group.members[int(np.argmax(block @ mean))]
    return groups


def _weights(rows: list[list[str]]) -> sparse.csr_matrix:
    counts = [Counter(row) for row in rows]
    terms = {t: i for i, t in enumerate(dict.fromkeys(t for c in counts for t in c))}
    seen = Counter(t for c in counts for t in c)
    data, row, column = [], [], []
    for i, c in enumerate(counts):
        for term, n in c.items():
            data.append(n * (np.log((1 + len(rows)) / (1 + seen[term])) + 1))
            row.append(i)
            column.append(terms[term])
    shape = (len(rows), max(1, len(terms)))
    matrix = sparse.csr_matrix((data, (row, column)), shape=shape, dtype=float)
    length = np.sqrt(np.asarray(matrix.multiply(matrix).sum(axis=1)).ravel())
    scale = sparse.diags(np.where(length > 0, 1 / np.where(length > 0, length, 1), 0.0))
    return sparse.csr_matrix(scale @ matrix)
