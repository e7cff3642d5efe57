"""What speaks against a version, gathered into faults: alike remarks counted together."""

from __future__ import annotations

import hashlib
import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from scipy import sparse

from nomikon.core.prompts.about import About, by_what_they_are_about
from nomikon.core.prompts.tenor.shape import Tenor

MARK, SPAN, FAULT, BETTER, MEASURE = "mark", "span", "fault", "better", "measure"
SOURCES = (MARK, SPAN, FAULT, BETTER, MEASURE)
# Two remarks that share this much of their weighted words are about the same (cosine).
ALIKE = 0.34
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

    source: one of SOURCES; label: the measure's name or the kind of fault, ""
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


def gather_faults(remarks: Sequence[Remark], tenor: Tenor | None = None) -> list[Fault]:
    """Remarks grouped into faults, those that concern the most cases first.

    A kind of fault that a person named is a group of its own, and so are the
    remarks of one measure; of these, and of free comments, those about the same key or label
    of the answer, or the same part of the tenor, go together, and the rest by their weighted
    words. The same in any order of remarks with the same first ones; at most MOST_FAULTS.

    tenor: of the version that was answered; keys and labels are known by it.
    """
    parts: dict[tuple[str, str], list[Remark]] = defaultdict(list)
    for remark in remarks:
        person = remark.source in (MARK, SPAN, BETTER)
        parts[("said" if person else remark.source, remark.label)].append(remark)
    faults: list[Fault] = []
    for (source, label), rows in parts.items():
        if source == FAULT:
            faults.append(_fault(rows, label, rows[0], _key(source, label)))
            continue
        for topic, places in _topics(source, rows, tenor or Tenor()).items():
            own = [rows[i] for i in places]
            for group in _alike([_words(r) for r in own], together=topic is not None):
                members = [own[i] for i in group.members]
                first = members[0]
                # The first that was said stays the first, whatever is said of it later.
                known = (first.source, str(first.output), first.text)
                key = _key(source, label, *((topic.part, topic.name) if topic else known))
                faults.append(_fault(members, label, own[group.centre], key))
    faults.sort(key=lambda f: (-f.cases, -f.n, f.label, f.title))
    return faults[:MOST_FAULTS]


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
