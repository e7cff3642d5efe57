"""From a rule of a prompt to the measure that checks it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nomikon.core.prompts.tenor.conflicts import in_words
from nomikon.core.prompts.tenor.lexicon import (
    BULLETS,
    CHARACTERS,
    ITEMS,
    LINES,
    PARAGRAPHS,
    SENTENCES,
    WORDS,
)
from nomikon.core.prompts.tenor.shape import (
    BEGINS,
    ENDS,
    JSON,
    LABEL,
    NEVER,
    NO_CHARACTERS,
    NO_STOP,
    RELATIVE,
    SAYS,
    TABLE,
    TIMES,
    Limit,
    Sign,
    Tenor,
    Words,
)
from nomikon.core.prompts.tenor.shape import BULLETS as BULLET_LIST

_COUNTED = (CHARACTERS, WORDS, SENTENCES, LINES, PARAGRAPHS)
_PARTS = {
    BULLETS: "bullets",
    ITEMS: "bullets",
    LINES: "lines",
    SENTENCES: "sentences",
    PARAGRAPHS: "paragraphs",
}


# Measures that an answer of a wrong form fails, too.
_FAIL_TOO = {
    "json-schema": ("json-fields",),
    "valid-json": ("json-fields", "json-schema"),
    "one-of": ("exact-match", "normalised-match"),
}


@dataclass(frozen=True)
class Check:
    """words: the rule's, None where no words say it alone. says: what is checked. measure: an entry of
    a scorecard that checks it."""

    words: Words | None
    says: str
    measure: Mapping[str, Any]


def checks_of(tenor: Tenor) -> list[Check]:
    """The checks that a prompt's limits, form and labels call for, in its order.

    What needs judging (truth, tone, must and must not in words of their own) has none.

    >>> from nomikon.core.prompts import Message
    >>> from nomikon.core.prompts.tenor import read_tenor
    >>> dict(checks_of(read_tenor([Message('user', 'Say it in at most 9 words.')]))[0].measure)
    {'measure': 'length', 'unit': 'words', 'max': 9}
    """
    found = [*_of_output(tenor), *(c for x in tenor.limits if (c := _of_limit(x)))]
    found += [_of_sign(x, tenor) for x in tenor.signs if not _is_label(x, tenor)]
    if tenor.answer_language:
        found.append(
            Check(None, f"the answer is in {tenor.answer_language}",
                  {"measure": "language", "code": tenor.answer_language})
        )  # fmt: skip
    told: dict[str, Check] = {}
    for check in found:
        told.setdefault(repr(sorted(check.measure.items(), key=str)), check)
    return list(told.values())


def _of_output(tenor: Tenor) -> list[Check]:
    output = tenor.output
    if output.form == JSON:
        if output.keys:
            names = [k.name for k in output.keys]
            properties = {k.name: {"type": k.type} if k.type else {} for k in output.keys}
            schema = {"type": "object", "properties": properties, "required": names}
            return [
                Check(
                    output.words,
                    f"JSON with {', '.join(names)}",
                    {"measure": "json-schema", "schema": schema},
                )
            ]
        return [Check(output.words, "JSON and nothing around it", {"measure": "valid-json"})]
    if output.form == LABEL:
        labels = [x.label for x in output.labels]
        words = output.labels[0].words
        return [
            Check(words, f"one of {', '.join(labels)}", {"measure": "one-of", "values": labels})
        ]
    if output.form == TABLE and output.columns:
        names = list(output.columns)
        says = f"a table with {', '.join(names)}"
        return [Check(output.words, says, {"measure": "markdown", "table": names})]
    if output.form == BULLET_LIST and not any(
        x.what == BULLETS and not x.per for x in tenor.limits
    ):
        return [Check(output.words, "bullets", {"measure": "markdown", "min_bullets": 1})]
    return []


def _of_limit(limit: Limit) -> Check | None:
    bounds = {k: v for k, v in (("min", limit.low), ("max", limit.high)) if v is not None}
    says = in_words(limit)
    if not limit.per and limit.what in _COUNTED:
        return Check(limit.words, says, {"measure": "length", "unit": limit.what, **bounds})
    if not limit.per and limit.what == BULLETS:
        exact = limit.low == limit.high
        asked = {"bullets": limit.low} if exact else {f"{k}_bullets": v for k, v in bounds.items()}
        return Check(limit.words, says, {"measure": "markdown", **asked})
    if limit.per in _PARTS and limit.what in (CHARACTERS, WORDS, SENTENCES):
        return Check(
            limit.words,
            says,
            {"measure": "each-length", "each": _PARTS[limit.per], "unit": limit.what, **bounds},
        )
    return None


def _is_label(sign: Sign, tenor: Tenor) -> bool:
    """Whether its words are answers of the list: the list is what checks them."""
    labels = {x.label.casefold() for x in tenor.output.labels}
    return bool(labels) and any(v.casefold() in labels for v in sign.values)


def _of_sign(sign: Sign, tenor: Tenor) -> Check:
    values = list(sign.values)
    told = ", ".join(f"“{v}”" for v in values)
    bounds = {k: v for k, v in (("min", sign.low), ("max", sign.high)) if v is not None}
    absent = {"absent": True} if sign.absent else {}
    never = "never " if sign.absent else ""
    ruled = "".join(values[:1]) if sign.kind == NO_CHARACTERS else ""
    emoji = {"emoji": True} if "emoji" in values[1:] else {}
    one = {"input": tenor.inputs[0].name} if len(tenor.inputs) == 1 else {}
    by_kind: dict[str, tuple[str, dict[str, Any]]] = {
        NEVER: (f"never {told}", {"measure": "not-contains", "phrases": values, "ignore_case": True}),
        SAYS: (f"says {told}", {"measure": "contains", "all": values, "ignore_case": True}),
        BEGINS: (f"{never}begins with {told}", {"measure": "begins-with", "values": values, **absent}),
        ENDS: (f"{never}ends with {told}", {"measure": "ends-with", "values": values, **absent}),
        NO_STOP: (
            "no full stop at the end" + (" of a line" if values else ""),
            {"measure": "no-end-stop", "each": "lines" if values else "whole"},
        ),
        NO_CHARACTERS: (
            " ".join(["without", *ruled, *(["emoji"] if emoji else [])]),
            {"measure": "no-characters", **({"characters": ruled} if ruled else {}), **emoji},
        ),
        TIMES: (
            f"{told} {'exactly' if sign.low else 'at most'} {sign.high} times",
            {"measure": "phrase-count", "phrase": "".join(values[:1]), **bounds},
        ),
        RELATIVE: (
            "at most half as long as the input" if values == ["0.5"] else "no longer than the input",
            {"measure": "relative-length", **one, "max": float(values[0]) if sign.kind == RELATIVE else 1.0},
        ),
    }  # fmt: skip
    says, measure = by_kind[sign.kind]
    return Check(sign.words, says, measure)


def is_measured(check: Check, entries: Sequence[Mapping[str, Any]]) -> bool:
    """Whether a scorecard checks it already: by the same measure with the same parameters, or by one that
    a wrong form fails as well.

    entries: the measures of the scorecard's document; their names, weights and gates tell nothing.
    """
    fail_too = _FAIL_TOO.get(str(check.measure["measure"]), ())
    return any(
        entry.get("measure") in fail_too or all(entry.get(k) == v for k, v in check.measure.items())
        for entry in entries
    )


def unmeasured(
    tenor: Tenor, entries: Sequence[Mapping[str, Any]], *, sees_rules: bool
) -> list[tuple[str, int | None]]:
    """What the prompt asks for and no measure checks: in words, with its clause, in the order of the text.

    sees_rules: a measure holds answers against what is wanted, or a judge reads them: then only what
    has a measure of its own is told, since the rest may be seen by it.
    """
    checks = checks_of(tenor)
    found = [
        (c.says, c.words.clause if c.words else None) for c in checks if not is_measured(c, entries)
    ]
    if not sees_rules:
        has_check = {c.words.clause for c in checks if c.words}
        rules = [r.words for r in tenor.rules if r.words.clause not in has_check]
        found += [(f"“{' '.join(w.text.split())}”", w.clause) for w in rules]
    return sorted(dict.fromkeys(found), key=lambda f: f[1] or 0)


def unstated(tenor: Tenor, entries: Sequence[Mapping[str, Any]]) -> list[str]:
    """Measures of form whose rule the prompt does not state, by name: it is held to what it never heard."""
    stated = checks_of(tenor)
    kinds = {"length", "each-length", "one-of", "valid-json", "json-schema"}
    return [
        str(entry.get("name", entry["measure"]))
        for entry in entries
        if entry.get("measure") in kinds
        and not any(
            c.measure["measure"] == entry["measure"] and _alike(c.measure, entry) for c in stated
        )
    ]


def _alike(asked: Mapping[str, Any], entry: Mapping[str, Any]) -> bool:
    if asked["measure"] not in ("length", "each-length"):
        return True
    return bool(asked.get("unit") == entry.get("unit", "characters"))
