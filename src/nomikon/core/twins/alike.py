"""Whether two answers say the same: field by field where they are JSON, as labels where they are short, else by facts and words."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import regex

from nomikon.core.plain_json import shown
from nomikon.core.replies.finding import ReplyError, find_json
from nomikon.core.texts.facts import dates_in, numbers_said, times_in
from nomikon.core.texts.normal import normalised
from nomikon.core.texts.words import words_in

# A text of so many words is a label or a value; a longer one may be worded otherwise and say the same.
LABEL_WORDS = 5
# Texts that say the same facts share at least this part of their words (Dice).
SHARED_WORDS = 0.5
# What stands for nothing, in four languages.
NOTHING = frozenset(
    {
        "", "-", "–", "n/a", "na", "nil", "none", "null", "unknown", "not given", "not known", "not stated",
        "not specified", "not mentioned", "nothing", "keine", "keiner", "keins", "nichts", "unbekannt",
        "nicht angegeben", "nicht genannt", "aucun", "aucune", "rien", "inconnu", "inconnue", "non indiqué",
        "non précisé", "ninguno", "ninguna", "nada", "desconocido", "desconocida", "no indicado",
        "no consta", "keine angabe", "keine angaben", "ohne angabe", "sin datos", "no especificado", "non renseigné", "sans objet",
        "not available", "unspecified",
    }
)  # fmt: skip


@lru_cache(maxsize=4096)
def parsed(answer: str) -> Any:
    """The JSON object or list that an answer is or holds; None where it is a text.

    >>> parsed('Here it is: {"label": "delay"}')
    {'label': 'delay'}
    """
    if "{" not in answer and "[" not in answer:
        return None
    try:
        value = find_json(answer, lambda v: isinstance(v, (dict, list))).value
    except ReplyError:
        return None
    return value if isinstance(value, (dict, list)) else None


def is_nothing(value: Any) -> bool:
    """Whether a value says that there is none.

    >>> is_nothing('Not given.'), is_nothing(0)
    (True, False)
    """
    if value is None or value == [] or value == {}:
        return True
    return isinstance(value, str) and normalised(value) in NOTHING


def same_value(a: Any, b: Any) -> bool:
    """Whether two values say the same, however they are written.

    >>> same_value('7:15', '07:15'), same_value('3', 3), same_value(None, 'not given')
    (True, True, True)
    """
    if is_nothing(a) or is_nothing(b):
        return is_nothing(a) and is_nothing(b)
    if isinstance(a, dict) and isinstance(b, dict):
        return not different_fields(a, b)
    if isinstance(a, list) and isinstance(b, list):
        return _same_list(a, b)
    if isinstance(a, (dict, list)) or isinstance(b, (dict, list)):
        return False
    said, other = _written(a), _written(b)
    if normalised(said) == normalised(other):
        return True
    if max(len(words_in(said)), len(words_in(other))) > LABEL_WORDS:
        return _same_text(said, other)
    return _same_fact(said, other)


def different_fields(a: dict[str, Any], b: dict[str, Any]) -> list[str]:
    """Keys of two objects whose values do not say the same, in the order of the first; one that is
    missing says nothing."""
    return [k for k in dict.fromkeys([*a, *b]) if not same_value(a.get(k), b.get(k))]


def unlike(before: str, after: str) -> str:
    """What makes two answers say something else, in words; "" where they say the same.

    >>> unlike('{"label": "delay", "n": 2}', '{"n": 2, "label": "other"}')
    'label is other, not delay'
    >>> unlike('Delay', 'delay.')
    ''
    """
    if before == after:
        return ""
    a, b = parsed(before), parsed(after)
    if isinstance(a, dict) and isinstance(b, dict):
        return "; ".join(
            f"{k} is {told(b.get(k))}, not {told(a.get(k))}" for k in different_fields(a, b)
        )
    if a is not None and b is not None:
        return "" if same_value(a, b) else f"{told(b)} is not {told(a)}"
    if a is not None:
        return "it is no JSON any more"
    return "" if same_value(before, after) else f"“{shown(after)}” is not “{shown(before)}”"


def told(value: Any) -> str:
    """A value as it is told in a reason."""
    if is_nothing(value):
        return "nothing"
    return shown(_written(value) if not isinstance(value, (dict, list)) else _dumped(value))


def _written(value: Any) -> str:
    return value.strip() if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def _dumped(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, sort_keys=True)


def _same_list(a: list[Any], b: list[Any]) -> bool:
    """In any order: what is listed is a set unless its items are records."""
    if len(a) != len(b):
        return False
    if all(not isinstance(x, (dict, list)) for x in (*a, *b)):
        return Counter(normalised(_written(x)) for x in a) == Counter(
            normalised(_written(x)) for x in b
        )
    return all(same_value(x, y) for x, y in zip(a, b, strict=True))


def _same_fact(a: str, b: str) -> bool:
    """Two values that are one number, time or date and nothing else, however written."""
    if a.startswith(("-", "−")) != b.startswith(("-", "−")):
        return False
    return any(
        found is not None and found == _only(facts, b)
        for facts in (numbers_said, times_in, dates_in)
        for found in (_only(facts, a),)
    )


def _only(facts: Callable[[str], dict[str, str]], text: str) -> str | None:
    """The one fact that a text consists of; None where it says more, or none of that kind."""
    found = facts(text)
    if len(found) != 1:
        return None
    ((fact, said),) = found.items()
    rest = text.replace(said, "") if said in text else ""
    if said not in text and len(text.split()) > 1:
        return None
    return None if regex.search(r"[\p{L}\p{N}]", rest) else fact


def _same_text(a: str, b: str) -> bool:
    """The same numbers and times, and half of the words."""
    said, other = (Counter(w.casefold() for w in words_in(x)) for x in (a, b))
    both = sum((said & other).values())
    if 2 * both < SHARED_WORDS * (said.total() + other.total()):
        return False
    return _facts(a) == _facts(b)


@lru_cache(maxsize=4096)
def _facts(text: str) -> tuple[frozenset[str], frozenset[str]]:
    """Numbers and times; kept, for the answer to a case is held against that to each of its twins."""
    return frozenset(numbers_said(text)), frozenset(times_in(text))
