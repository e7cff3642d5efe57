"""Taking values out of a text: times, dates, numbers, codes, names, short descriptions."""

from __future__ import annotations

import difflib
import re
from typing import Any

from nomikon_standin.forms import Key
from nomikon_standin.judging import choose_label, is_true
from nomikon_standin.labels import LabelSet
from nomikon_standin.models import Persona
from nomikon_standin.sampling import Dice
from nomikon_standin.words import STOP, sentences, stems, words

TIME = re.compile(
    r"\b([01]?\d|2[0-3])[:.h]([0-5]\d)\b(?!\.\d)|\b(1[0-2]|0?[1-9])\s?([ap])\.?m\b\.?", re.I
)
_DATE = re.compile(
    r"\b\d{4}-\d{2}-\d{2}\b|\b\d{1,2}[./]\d{1,2}[./]\d{2,4}\b|\b\d{1,2}(?:st|nd|rd|th)? (?:of )?"
    r"(?:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*(?: \d{4})?\b|"
    r"\b(?:mon|tues|wednes|thurs|fri|satur|sun)day\b|\b(?:today|tomorrow|yesterday)\b",
    re.I,
)
_EMAIL = re.compile(r"\b[\w.+-]+@[\w-]+\.[\w.]+\b")
_PHONE = re.compile(r"\+?\d[\d ()-]{6,}\d")
_CODE = re.compile(r"\b(?=[A-Z0-9-]*\d)(?=[A-Z0-9-]*[A-Z])[A-Z0-9][A-Z0-9-]{3,}\b")
_NUMBER = re.compile(r"(?<![\w:.-])\d+(?:[.,]\d+)?(?![\w:]|[.,]\d|-\d)")
_PROPER = re.compile(r"\b[A-Z][\w’']+(?:[ -](?:of |the |&\s)?[A-Z][\w’']+)*")
_NAMELIKE = re.compile(
    r"name|vessel|ship|boat|ferry|person|customer|passenger|client|author|company|firm|product|"
    r"brand|place|city|town|country|location|harbour|port|station|site|venue|who|team|plant|"
    r"species|drug|medicine|device|model|title|street|building|department|line|route",
    re.I,
)
_TIMELIKE = re.compile(r"time|sailing|departure|arrival|hour|when\b|start|end\b|slot", re.I)
_TEXTLIKE = re.compile(
    r"summary|reason|description|detail|note|issue|problem|subject|topic|what|"
    r"action|request|explanation|comment|message",
    re.I,
)


# No form is known for this key; None is a form that the text has no value for.
MISSING: Any = object()


def _of_a_known_form(
    key: Key, subject: str, hint: str, learned: list[str], persona: Persona
) -> Any:
    """Times, dates, addresses, numbers with a form of their own, found by that form."""
    if (
        _TIMELIKE.search(key.name)
        or "HH:MM" in key.about
        or (learned and all(TIME.fullmatch(v) for v in learned))
    ):
        return _time(subject, hint, persona)
    if re.search(r"date|day\b", key.name, re.I):
        found = _DATE.search(subject)
        return found.group(0) if found else None
    for pattern, called in (
        (_EMAIL, r"e-?mail"),
        (_PHONE, r"phone|tel\b|mobile"),
        (_CODE, r"\bid\b|_id|code|reference|number|order|ticket|booking"),
    ):
        if re.search(called, key.name, re.I) and (found := pattern.search(subject)):
            return found.group(0)
    return MISSING


def value_for(
    key: Key,
    labels: LabelSet | None,
    subject: str,
    examples: list[tuple[str, Any]],
    rules: str,
    persona: Persona,
    dice: Dice,
    *,
    null_known: bool,
) -> Any:
    """What a model puts under one key of its answer.

    examples: texts of worked examples with the value they give this key.
    null_known: whether the prompt says to use null for what is not said;
    otherwise a gap is filled with words.
    """
    nothing: Any = (
        None
        if (null_known or key.nullable)
        else dice.pick(["", "unknown", "not specified"], [1.0, 1.4, 0.8], salt="gap" + key.name)
    )
    hint = f"{key.name} {key.about}"
    if key.kind == "boolean":
        return is_true(subject, hint.replace("_", " "), persona, dice)
    if "YYYY" in key.about:
        found = _DATE.search(subject)
        return found.group(0) if found else nothing
    if labels:
        names = list(labels.labels)
        if all(n[:1].isupper() for n in names) and len(names) > 1:
            return _named(subject, names, persona, dice) or nothing
        pairs = [(given, str(value)) for given, value in examples]
        return choose_label(subject, labels.labels, pairs, persona, dice)
    if key.kind == "boolean" or re.match(r"(?:is|has|needs|was|can|contains)_", key.name):
        return is_true(subject, hint.replace("_", " "), persona, dice)
    if key.kind == "array":
        return [m.group(0) for m in _PROPER.finditer(subject)][:5]
    learned = [v for _, v in examples if isinstance(v, str) and v]
    told = _of_a_known_form(key, subject, hint, learned, persona)
    if told is not MISSING:
        return told or nothing
    if key.kind in ("number", "integer") or re.search(
        r"count|number|amount|price|rent|rooms|total|age|quantity|how_many|size|rating|score|cost",
        key.name,
        re.I,
    ):
        return _numeric(subject, key, nothing)
    if _NAMELIKE.search(hint):
        listed = _names_in_rules(key, rules)
        known = listed + [v for v in learned if v[:1].isupper()]
        return _named(subject, known, persona, dice) or (
            None
            if listed and (null_known or key.nullable)
            else _proper_noun(subject, key, persona) or nothing
        )
    if _TEXTLIKE.search(hint):
        first = max(sentences(subject), key=lambda s: len(stems(s)), default="")
        return " ".join(first.split()[:12]).rstrip(".,;") or nothing
    return nothing


def _time(subject: str, hint: str, persona: Persona) -> str | None:
    found = list(TIME.finditer(subject))
    if not found:
        return None
    # Where several are named, one near a word of the hint is likelier meant.
    wanted = set(stems(hint))
    best = max(
        found,
        key=lambda m: (
            len(wanted & set(stems(subject[max(0, m.start() - 25) : m.end() + 18]))),
            -m.start(),
        ),
    )
    m = best if persona.knowledge > 0.6 else found[0]
    whole = re.search(r"HH:MM|24[- ]hour|hh:mm", hint)
    if m.group(1):
        return f"{int(m.group(1)):02d}:{m.group(2)}" if whole or ":" in m.group(0) else m.group(0)
    if whole:
        hour = int(m.group(3)) % 12 + (12 if m.group(4).lower() == "p" else 0)
        return f"{hour:02d}:00"
    return m.group(0)


_MONEY = re.compile(r"rent|price|cost|fee|amount|total|paid|charge|salary|budget", re.I)


def _numeric(subject: str, key: Key, nothing: Any) -> Any:
    """The number that stands nearest to words of the key; for money, one with a currency or rate."""
    wanted = set(stems(key.name.replace("_", " ")))
    best: tuple[float, str] | None = None
    for m in _NUMBER.finditer(subject):
        if _DATE.match(subject, m.start()):
            continue
        window = subject[max(0, m.start() - 16) : m.end() + 16]
        points = 2.0 * len(wanted & set(stems(window))) - m.start() / 10_000
        if _MONEY.search(key.name) and re.search(r"[€£$]|\bper\b|\ba (?:month|week|day)", window):
            points += 1.5
        if best is None or points > best[0]:
            best = (points, m.group(0))
    if best is None:
        return nothing
    value = float(best[1].replace(",", ""))
    return int(value) if value == int(value) else value


def _names_in_rules(key: Key, rules: str) -> list[str]:
    """Proper names the prompt lists for this key: `plant (Fern, Ivy)`."""
    name = re.escape(key.name)
    plural = re.escape(key.name.rstrip("s")) + r"(?:s|es)?"
    names: list[str] = []
    for m in re.finditer(
        rf"\b(?:{name}|(?:the |our )?{plural})\b[^.\n]{{0,40}}?[:(]\s*([^.\n)]+)", rules, re.I
    ):
        names += [p.strip(" `\"'“”") for p in re.split(r",\s*|\s+(?:and|or)\s+", m.group(1))]
    names += re.findall(r"[A-Z][\w’']+(?: [A-Z][\w’']+)*", key.about)
    return [
        n
        for n in dict.fromkeys(names)
        if re.fullmatch(r"[A-Z][\w’'-]+(?: [A-Z][\w’'-]+)*", n)
        and n.lower() not in STOP
        and n not in ("Use", "Null", "JSON", "HH", "MM", "The", "If")
    ]


def _named(subject: str, names: list[str], persona: Persona, dice: Dice) -> str | None:
    """The listed name that stands in the text; a knowing model forgives a misspelling."""
    low = subject.lower()
    found = sorted((low.index(n.lower()), n) for n in set(names) if n.lower() in low)
    if found:
        return found[0][1]
    if persona.knowledge < 0.6:
        return None
    tokens = words(subject)
    for name in names:
        size = len(name.split())
        runs = [" ".join(tokens[i : i + size]) for i in range(len(tokens) - size + 1)]
        close = difflib.get_close_matches(
            name.lower(), runs, n=1, cutoff=0.86 if persona.knowledge < 0.9 else 0.8
        )
        if close:
            return name
    return None


def _proper_noun(subject: str, key: Key, persona: Persona) -> str | None:
    best: tuple[float, str] | None = None
    hint = set(stems(key.name.replace("_", " ") + " " + key.about))
    for m in _PROPER.finditer(subject):
        text = m.group(0)
        start = m.start() == 0 or re.search(r"[.!?\n]\s*$", subject[: m.start()])
        if text.lower() in STOP or (start and " " not in text) or _DATE.fullmatch(text):
            continue
        near = set(stems(subject[max(0, m.start() - 30) : m.end() + 15]))
        points = 2.0 * len(hint & near) + (0.3 if " " in text else 0) - m.start() / 1000
        if re.search(r"\b(?:on|aboard|the)\s+(?:the\s+)?$", subject[: m.start()], re.I):
            points += 0.5
        if best is None or points > best[0]:
            best = (points, text)
    return best[1] if best else None


_UNITS = re.compile(
    r"\b(g|kg|mg|ml|l|cups?|spoons?|tsp|tbsp|pieces?|slices?|m|cm|km|hours?|minutes?|days?|boxes|"
    r"bottles?|bags?|pairs?)\b",
    re.I,
)


def table_rows(
    columns: list[str], subject: str, rules: str, persona: Persona, dice: Dice
) -> list[list[str]]:
    """Cells of a table: a row per counted thing in a list of them, else one for the whole text."""
    things = [t for t in re.split(r",\s*|;\s*|\n|\s+and\s+", subject) if re.search(r"\d", t)]
    if len(things) < 2:
        return [[_cell(n, subject, None, rules, persona, dice) for n in columns]]
    counted = [(t, re.search(r"\d+(?:[.,]\d+)?", t)) for t in things]
    return [[_cell(n, t, m, rules, persona, dice) for n in columns] for t, m in counted]


def _cell(
    name: str, thing: str, number: re.Match[str] | None, rules: str, persona: Persona, dice: Dice
) -> str:
    unit = _UNITS.search(thing[number.end() :]) if number else None
    if number and re.search(r"quantit|amount|number|count|how many", name, re.I):
        return number.group(0)
    if number and re.search(r"\bunit", name, re.I):
        return unit.group(0) if unit else ""
    if number and re.search(r"name|item|thing|what|ingredient", name, re.I):
        rest = thing[number.end() :]
        return (rest.replace(unit.group(0), "", 1) if unit else rest).strip(" .:")
    value = value_for(Key(name), None, thing, [], rules, persona, dice, null_known=False)
    return "" if value is None else str(value)
