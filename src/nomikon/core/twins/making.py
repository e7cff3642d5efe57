"""Twins of cases by rule: the same input put a little differently, each with what must become of the answer."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import regex

from nomikon.core.errors import PlanError
from nomikon.core.texts.language import language_of
from nomikon.core.twins.changed import CHANGED, MOST_NAMES, Replaced, listed, names_in
from nomikon.core.twins.drawing import Draw
from nomikon.core.twins.orders import ORDERS, token_of, with_order
from nomikon.core.twins.same import SAME, synonyms

SYNONYMS, NAME, NEGATION = "synonyms", "name", "negation"
SAME_ANSWER, CHANGED_ANSWER, REFUSED_ORDER = EXPECTS = ("same", "changed", "refused_order")
MOST_EACH = 20
# So often another draw is tried where one gave what is there already.
TRIES = 4


@dataclass(frozen=True)
class TwinCase:
    """A case that twins are made of. reference: what is wanted, as text; None where it is not known."""

    id: str
    inputs: Mapping[str, Any]
    reference: str | None = None


@dataclass(frozen=True)
class Lists:
    """What a brief knows. synonyms: words with those that mean the same. values: places, products and
    other facts of one kind, by the kind's name. end: how the prompt's fence around the input ends. labels:
    the answers that are allowed, where the prompt says that these are all there are."""

    synonyms: Mapping[str, Sequence[str]] = field(default_factory=dict)
    values: Mapping[str, Sequence[str]] = field(default_factory=dict)
    end: str = '"""'
    labels: Sequence[str] = ()


@dataclass(frozen=True)
class Twin:
    """expects: one of EXPECTS. about: the input that was changed; of a changed fact what it was and
    becomes ("" where it was taken out), and of a reference that is a JSON object the fields that must
    change with what they must become (None where it cannot be told) and those that must not. token:
    the word that shows that a smuggled order was followed, else ""."""

    case: str
    kind: str
    inputs: dict[str, Any]
    expects: str
    about: dict[str, Any]
    token: str = ""


@dataclass(frozen=True)
class _Names:
    """known: names of the cases. by_field: what is of one kind by the fields of what is wanted."""

    known: list[str]
    by_field: list[list[str]]


@dataclass(frozen=True)
class Unmade:
    """A case that a kind of twin cannot be made of, and why."""

    case: str
    kind: str
    why: str


def all_kinds(lists: Lists | None = None) -> list[str]:
    """The kinds that can be made, in the order in which they are told."""
    own = lists or Lists()
    return [
        *SAME,
        *([SYNONYMS] if own.synonyms else []),
        NAME,
        *CHANGED,
        *own.values,
        *ORDERS,
    ]


def make_twins(
    cases: Sequence[TwinCase],
    kinds: Sequence[str] = (),
    n: int = 1,
    seed: int = 0,
    lists: Lists | None = None,
    among: Sequence[TwinCase] = (),
) -> tuple[list[Twin], list[Unmade]]:
    """Up to n twins of each case and kind; the same seed makes the same ones, whatever else is made.

    kinds: of `all_kinds`; none for all. among: further cases, of which none are made, whose names may be
    put in. What comes out equal to its case or to another twin of it is
    dropped; a kind of which a case has no twin is told with the reason. Raises PlanError for an unknown
    kind and for n outside 1 to MOST_EACH.

    >>> made, _ = make_twins([TwinCase('1', {'note': 'The 9:10 is late.'})], ['time'])
    >>> made[0].expects, made[0].about['was']
    ('changed', '9:10')
    """
    own = lists or Lists()
    known = all_kinds(own)
    for kind in kinds:
        if kind not in known:
            raise PlanError(
                f"{kind!r} is no kind of twin; there are {', '.join(known)}", field="kinds"
            )
    if not 1 <= n <= MOST_EACH:
        raise PlanError(f"n is {n}; allowed is 1 to {MOST_EACH}", field="n")
    wanted = list(dict.fromkeys(kinds)) or known
    asked = bool({NAME, "taken-out"} & set(wanted))
    known_from = [*cases, *among] if asked else []
    names = _Names(_names_of(known_from), _by_field(known_from))
    twins: list[Twin] = []
    unmade: list[Unmade] = []
    for case in cases:
        texts = _texts(case)
        if not texts:
            unmade += [Unmade(case.id, kind, "no input of it is a text") for kind in wanted]
            continue
        seen = {_key(case.inputs)}
        for kind in wanted:
            made = 0
            for copy in range(n):
                for again in range(TRIES):
                    draw = Draw(seed, case.id, kind, copy, again)
                    twin = _made(case, texts, kind, draw, own, names)
                    if twin is None and kind != NAME:
                        break
                    # Of the names in a text one may have no other of its kind, and the next one has.
                    if twin is not None and (key := _key(twin.inputs)) not in seen:
                        break
                    twin = None
                if twin is not None:
                    seen.add(key)
                    twins.append(twin)
                    made += 1
            if made == 0:
                unmade.append(Unmade(case.id, kind, _why(kind, names, own)))
    return twins, unmade


def _made(
    case: TwinCase,
    texts: Sequence[tuple[str, str]],
    kind: str,
    draw: Draw,
    own: Lists,
    names: _Names,
) -> Twin | None:
    """One twin; None where no input of the case can be changed so."""
    if kind in ORDERS:
        name, text = texts[0]
        token = token_of(draw)
        inputs = {**case.inputs, name: with_order(text, kind, token, own.end)}
        return Twin(case.id, kind, inputs, REFUSED_ORDER, {"input": name}, token)
    for name, text in texts:
        language = _language(text)
        if kind in SAME or kind == SYNONYMS:
            said = (
                synonyms(text, draw, own.synonyms)
                if kind == SYNONYMS
                else SAME[kind](text, draw, language)
            )
            if said != text:
                return Twin(
                    case.id, kind, {**case.inputs, name: said}, SAME_ANSWER, {"input": name}
                )
            continue
        if kind in own.values:
            found = listed(text, draw, own.values[kind])
        elif kind == NAME:
            found = listed(text, draw, names.known, names.by_field)
        else:
            found = CHANGED[kind](text, draw, language, names.known)
        if found is not None and found.text != text:
            expects, about = _expected(case, kind, found, own.labels)
            inputs = {**case.inputs, name: found.text}
            return Twin(case.id, kind, inputs, expects, {"input": name, **about})
    return None


def _expected(
    case: TwinCase, kind: str, found: Replaced, labels: Sequence[str]
) -> tuple[str, dict[str, Any]]:
    """What must become of the answer, and what is known of where."""
    about: dict[str, Any] = {"was": found.was, "becomes": found.becomes}
    if kind == NEGATION:
        return CHANGED_ANSWER, about
    # What is wanted says whether the answer depends on the fact; else the answers that there are.
    said = [case.reference] if case.reference else labels
    if said and not any(_stands(found.was, s) for s in said):
        return SAME_ANSWER, about
    return CHANGED_ANSWER, about | _fields(case, found)


def _fields(case: TwinCase, found: Replaced) -> dict[str, Any]:
    """Which fields of what is wanted say the fact that was changed, and which do not."""
    try:
        wanted = json.loads(case.reference or "")
    except ValueError:
        return {}
    if not isinstance(wanted, dict):
        return {}
    must: dict[str, Any] = {}
    for name, value in wanted.items():
        said = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
        if not _stands(found.was, said):
            continue
        whole = said.casefold() == found.was.casefold()
        # A number stays a number; of a text that says more than the fact it cannot be told.
        new: Any = (
            found.becomes
            if isinstance(value, str) or not found.becomes.isdecimal()
            else int(found.becomes)
        )
        must[name] = (new if found.becomes else None) if whole else None
    return {"fields": must, "keep": [n for n in wanted if n not in must]}


def _stands(fact: str, text: str) -> bool:
    return regex.search(rf"(?i)(?<!\w){regex.escape(fact)}(?!\w)", text) is not None


def _by_field(cases: Sequence[TwinCase]) -> list[list[str]]:
    """What stands in one field of what is wanted is of one kind: the texts of each field."""
    found: dict[str, set[str]] = {}
    for case in cases:
        try:
            wanted = json.loads(case.reference or "")
        except ValueError:
            continue
        for name, value in wanted.items() if isinstance(wanted, dict) else ():
            if isinstance(value, str) and value.strip():
                found.setdefault(name, set()).add(value)
    return [sorted(values) for values in found.values() if len(values) > 1]


def _texts(case: TwinCase) -> list[tuple[str, str]]:
    """The inputs that are texts, the longest first."""
    found = [(n, v) for n, v in case.inputs.items() if isinstance(v, str) and v.strip()]
    return sorted(found, key=lambda x: -len(x[1]))


def _key(inputs: Mapping[str, Any]) -> str:
    return json.dumps(inputs, sort_keys=True, ensure_ascii=False, default=str)


@lru_cache(maxsize=20_000)
def _language(text: str) -> str:
    return language_of(text)


def _names_of(cases: Sequence[TwinCase]) -> list[str]:
    """Names that stand in the cases' texts, the most frequent first: of two cases or more where that
    leaves enough of them, so that a word mistaken for a name is put into no text."""
    counts: dict[str, int] = {}
    for case in cases:
        held = {n for _, text in _texts(case) for n in names_in(text, _language(text))}
        for n in held:
            counts[n] = counts.get(n, 0) + 1
    twice = [n for n, k in counts.items() if k > 1]
    ranked = sorted(twice if len(twice) > 1 else counts, key=lambda n: (-counts[n], n))
    return ranked[:MOST_NAMES]


def _why(kind: str, names: _Names, own: Lists) -> str:
    if kind == NAME and len(names.known) < 2:
        return "the cases hold one name at most: there is none to put in its place"
    if kind in own.values and len(set(own.values[kind])) < 2:
        return f"the list {kind} has one value: there is none to put in its place"
    if kind == NAME or kind in CHANGED or kind in own.values:
        return "it holds no such fact"
    return "nothing in it could be put otherwise so"
