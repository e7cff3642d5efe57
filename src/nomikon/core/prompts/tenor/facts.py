"""What a person, or a model, says of how a prompt is read: it stands for the words it speaks of.

What a person says takes the place of what was read; what a model says fills what rules left empty. A fact about words that a prompt no longer holds says nothing of it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from nomikon.core.errors import PromptError
from nomikon.core.prompts.tenor.lexicon import LEXICONS, UNITS
from nomikon.core.prompts.tenor.shape import (
    FORMS,
    MODEL,
    MUST,
    MUST_NOT,
    PERSON,
    Key,
    Label,
    Limit,
    Output,
    Said,
    Tenor,
    Words,
)
from nomikon.core.prompts.tenor.text import PromptText

TASK, ROLE, AUDIENCE, TONE, LANGUAGE, OUTPUT, LIMIT, RULE = FACT_PARTS = (
    "task", "role", "audience", "tone", "language", "output", "limit", "rule",
)  # fmt: skip
_NAMED = (TASK, ROLE, AUDIENCE, TONE)
MOST_FACTS, LONGEST_WORDS, MOST_NAMES = 100, 2_000, 60
# No limit of an answer is larger.
HIGHEST = 1_000_000


@dataclass(frozen=True)
class Fact:
    """part: one of FACT_PARTS. text: the prompt's own words that it speaks of, "" for the prompt as a whole.

    value: what they say; None where they say nothing of the kind. Of a limit {what, per, low, high},
    of an output {form, names}, of a rule its polarity, of a language its code. source: PERSON or MODEL.
    """

    part: str
    text: str
    value: Any = None
    source: str = PERSON

    def as_plain(self) -> dict[str, Any]:
        """As data."""
        return {"part": self.part, "text": self.text, "value": self.value}

    def with_source(self) -> dict[str, Any]:
        """As data, with who says it."""
        return {**self.as_plain(), "source": self.source}


def read_facts(rows: Sequence[Mapping[str, Any]]) -> tuple[Fact, ...]:
    """Facts from data. Raises PromptError at the field that is wrong."""
    if len(rows) > MOST_FACTS:
        raise PromptError(f"a brief keeps at most {MOST_FACTS} of these", field="facts")
    return tuple(read_fact(row) for row in rows)


def read_fact(row: Mapping[str, Any]) -> Fact:
    """One fact from data. Raises PromptError at the field that is wrong."""
    part, text, value = row.get("part"), row.get("text", ""), row.get("value")
    source = row.get("source", PERSON)
    if source not in (PERSON, MODEL):
        raise PromptError(f"source is {source!r}; allowed are {PERSON}, {MODEL}", field="source")
    if part not in FACT_PARTS:
        raise PromptError(f"part is {part!r}; allowed are {', '.join(FACT_PARTS)}", field="part")
    if not isinstance(text, str) or len(text) > LONGEST_WORDS:
        raise PromptError(f"text is at most {LONGEST_WORDS:,} characters", field="text")
    needs_words = part in (LIMIT, RULE) or (part in _NAMED and value is not None)
    if needs_words and not text.strip():
        raise PromptError("mark the words of the prompt that say it", field="text")
    if value is not None:
        _check_value(part, value)
    return Fact(part, text, value, source)


def _check_value(part: str, value: Any) -> None:
    if part == LIMIT:
        _check_limit(value)
    elif part == OUTPUT:
        form = value.get("form") if isinstance(value, Mapping) else None
        if form not in FORMS:
            raise PromptError(f"form is {form!r}; allowed are {', '.join(FORMS)}", field="value")
        names = value.get("names", [])
        good = isinstance(names, list) and all(isinstance(n, str) and n.strip() for n in names)
        if not good or len(names) > MOST_NAMES:
            raise PromptError(f"names are at most {MOST_NAMES} texts", field="value")
    elif part == RULE:
        if value not in (MUST, MUST_NOT):
            raise PromptError(f"a rule is {MUST} or {MUST_NOT}", field="value")
    elif part == LANGUAGE:
        if value not in LEXICONS:
            raise PromptError(f"language is one of {', '.join(LEXICONS)}", field="value")
    elif value is not True:
        raise PromptError(
            f"{part} is said by its words alone: value is true or null", field="value"
        )


def _check_limit(value: Any) -> None:
    what = value.get("what") if isinstance(value, Mapping) else None
    if what not in UNITS:
        raise PromptError(f"what is {what!r}; allowed are {', '.join(UNITS)}", field="value")
    bounds = [value.get("low"), value.get("high")]
    for bound in bounds:
        whole = isinstance(bound, int) and not isinstance(bound, bool) and 0 <= bound <= HIGHEST
        if bound is not None and not whole:
            raise PromptError(f"a bound is a whole number up to {HIGHEST:,}", field="value")
    low, high = bounds
    if low is None and high is None:
        raise PromptError("give the least, the most, or both", field="value")
    if low is not None and high is not None and low > high:
        raise PromptError(f"the least ({low}) is above the most ({high})", field="value")
    if not isinstance(value.get("per") or "", str):
        raise PromptError("per names a part of the answer", field="value")


def with_facts(tenor: Tenor, facts: Sequence[Fact], text: PromptText) -> Tenor:
    """The tenor with what a model read where rules read nothing, then as a person put it right."""
    for fact in sorted(facts, key=lambda f: f.source == PERSON):
        words = _words(fact, text)
        if fact.text and words is None:
            continue
        if fact.source == MODEL and _is_read(tenor, fact, words):
            continue
        tenor = _with(tenor, fact, words)
    return tenor


def _words(fact: Fact, text: PromptText) -> Words | None:
    said = fact.text
    if not said:
        return None
    for index, content in enumerate(text.contents):
        start = content.find(said)
        if start >= 0:
            return replace(text.words(index, start, start + len(said)), source=fact.source)
    return None


def _is_read(tenor: Tenor, fact: Fact, words: Words | None) -> bool:
    """Whether rules have read this part of these words: they are certain, a model is not."""
    if fact.part in _NAMED:
        return getattr(tenor, fact.part) is not None
    if fact.part == LANGUAGE:
        return bool(tenor.answer_language)
    if fact.part == OUTPUT:
        return bool(tenor.output.form)
    read = [x.words for x in tenor.limits]
    if fact.part == RULE:
        read += [r.words for r in tenor.rules] + [s.words for s in tenor.signs]
    return words is None or any(_meet(x, words) for x in read)


def _with(tenor: Tenor, fact: Fact, words: Words | None) -> Tenor:
    if fact.part in _NAMED:
        part: dict[str, Any] = {fact.part: words if fact.value else None}
        return replace(tenor, **part)
    if fact.part == LANGUAGE:
        return replace(tenor, answer_language=fact.value or "", answer_languages=())
    if fact.part == OUTPUT:
        return replace(tenor, output=_output(fact.value, words, tenor.output))
    assert words is not None
    if fact.part == LIMIT:
        return replace(tenor, limits=_limits(tenor.limits, fact.value, words))
    rules = tuple(r for r in tenor.rules if not _meet(r.words, words))
    signs = tuple(s for s in tenor.signs if not _meet(s.words, words) or fact.value)
    own = (Said(fact.value, words),) if fact.value else ()
    return replace(tenor, rules=_in_order([*rules, *own]), signs=signs)


def _output(value: Mapping[str, Any] | None, words: Words | None, had: Output) -> Output:
    if value is None:
        return Output()
    names = tuple(value.get("names", ()))
    place = words or had.words or Words(0, 0, 0, "", None, PERSON)
    form = value["form"]
    return Output(
        form,
        keys=tuple(Key(n, "") for n in names) if form == "json" else (),
        columns=names if form == "table" else (),
        labels=tuple(Label(n, "", place) for n in names) if form == "label" else (),
        closed=form == "label",
        words=words or had.words,
    )


def _limits(
    limits: Sequence[Limit], value: Mapping[str, Any] | None, words: Words
) -> tuple[Limit, ...]:
    found = [x for x in limits if not _meet(x.words, words)]
    if value is not None:
        found.append(
            Limit(value["what"], value.get("per") or "", value.get("low"), value.get("high"), words)
        )
    return _in_order(found)


def _in_order(parts: list[Any]) -> tuple[Any, ...]:
    return tuple(sorted(parts, key=lambda x: (x.words.message, x.words.start)))


def _meet(a: Words, b: Words) -> bool:
    return a.message == b.message and a.start < b.end and b.start < a.end
