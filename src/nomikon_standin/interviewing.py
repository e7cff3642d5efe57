"""Playing the interviewer: what a job leaves open becomes questions in the form that was asked for."""

from __future__ import annotations

import json
import re
from typing import Any

from nomikon_standin.listing import ListForm, list_form
from nomikon_standin.models import Persona
from nomikon_standin.words import chance

_ASK = re.compile(
    r"\b(?:ask|interview|question|find out|enquire)\b[^.\n]{0,120}"
    r"\b(?:open|settle\w*|unclear|missing|left out|questions?|author)\b",
    re.I,
)
_MATERIAL = re.compile(
    r"^[ \t#*]*[^\n:.]*\b(?:job|task|brief|purpose|goal)\b[^\n:.]*:", re.I | re.M
)

# What a job may say, how one tells that it does, and what to ask where it does not.
_TOPICS: tuple[tuple[str, str, str, tuple[str, ...], str], ...] = (
    (
        r"\b(?:reader\w*|audience|for (?:the |our )?(?:\w+ )?(?:staff|desk|passengers?|customers?|public|team))\b",
        "Who will read what comes out?",
        "Words that suit one reader puzzle another.",
        ("the staff at the desk", "the person who wrote in", "another program"),
        "Write for {answer}.",
    ),
    (
        r"\b\d+\s+(?:characters?|words?|sentences?|lines?|paragraphs?)\b|\bshort\b|\bJSON\b",
        "How much may be said?",
        "Without a bound the answer grows.",
        ("one sentence", "three sentences at most"),
        "Keep to {answer}.",
    ),
    (
        r"\bnull\b|\bnot (?:said|known|given|named)\b|\bunknown\b|\bmissing\b",
        "What shall stand where the input gives nothing?",
        "Gaps get filled by guesses.",
        ("null", "the words not known"),
        "Where the input gives nothing, put {answer}.",
    ),
    (
        r"\bmore than one\b|\bboth\b|\bseveral\b|\bmain\b|\bmixed\b",
        "Which matter counts when two come in one message?",
        "Two right answers make one of them look wrong.",
        ("the more urgent", "the first"),
        "Of two matters, {answer} counts.",
    ),
    (
        r"\bsarcas\w*|\biron\w*|\bmood\b|\bangry\b",
        "How shall irony and anger be read?",
        "Taken at its word, irony says the opposite.",
        ("by what is meant", "by what is written"),
        "Read irony {answer}.",
    ),
    (
        r"\bnever\b|\bdo not\b|\bno promises?\b|\bforbid\w*|\bavoid\b",
        "What must never be said?",
        "Nothing is ruled out so far.",
        ("a promise of money", "a name", "a guess"),
        "Never give {answer}.",
    ),
    (
        r"\bmisspel\w*|\btypos?\b|\bmistakes?\b|\bspell\w*",
        "What about misspelt names?",
        "A name that is copied with its mistake matches nothing.",
        ("put them right", "leave them as they are"),
        "With misspelt names: {answer}.",
    ),
)


def asks_for_questions(messages: list[dict[str, str]]) -> bool:
    """Whether the request is to ask what a job leaves open, as a list."""
    text = _joined(messages)
    form = list_form(text)
    return bool(form and _ASK.search(text) and any("question" in k.lower() for k, _ in form.keys))


def interviewed(messages: list[dict[str, str]], persona: Persona) -> str:
    """Questions in the form the request describes; a weak model thinks of fewer."""
    text = _joined(messages)
    form = list_form(text)
    assert form is not None
    found = _MATERIAL.search(text)
    # What the instruction itself names is no part of the job.
    material = text[found.start() :] if found else text
    rows = left_open(form, material, persona)
    return json.dumps({form.outer: rows} if form.outer else rows, ensure_ascii=False, indent=1)


def left_open(form: ListForm, material: str, persona: Persona) -> list[dict[str, Any]]:
    """What a job does not say, as questions in this form; a weak model thinks of fewer."""
    return [
        _row(form, topic)
        for topic in _TOPICS
        if not re.search(topic[0], material, re.I)
        and chance("asks", persona.name, topic[1]) >= 2 * persona.forgets
    ]


def _joined(messages: list[dict[str, str]]) -> str:
    return "\n\n".join(m["content"] for m in messages)


def _row(form: ListForm, topic: tuple[str, str, str, tuple[str, ...], str]) -> dict[str, Any]:
    _, question, why, answers, clause = topic
    row: dict[str, Any] = {}
    for key, note in form.keys:
        about = f"{key} {note}".lower()
        if "question" in key.lower():
            row[key] = question
        elif re.search(r"\bwhy|wrong|matter|reason", about):
            row[key] = why
        elif re.search(r"\banswers?\b.*\blist|options?|choices?|choose|suggest", about):
            row[key] = list(answers)
        else:
            row[key] = clause
    return row
