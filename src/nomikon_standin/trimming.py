"""Playing the one who shortens a prompt: courtesy and repetition go, long turns of phrase shrink."""

from __future__ import annotations

import json
import re
from typing import Any

from nomikon_standin.listing import ListForm, list_form
from nomikon_standin.models import Persona
from nomikon_standin.words import chance, stems

_SHORTER = re.compile(
    r"\b(?:shorten\w*|trim\w*|tighten\w*|condense|(?:make|get)\b[^.\n]{0,40}\b(?:shorter|cheaper))\b"
    r"|\bprompts? shorter\b",
    re.I,
)
_CLAUSE = re.compile(
    r"^[ \t]*(?:§|clause|no\.)\s*(\d+)[ \t:.]*(?:\((\w+)\))?[ \t:]*(.*)$", re.I | re.M
)
_COURTESY = re.compile(
    r"^\W*(?:thank you|thanks|many thanks|i would be grateful|it would be great)\b[^:]{0,60}$"
    r"|^\W*please\W*$",
    re.I,
)
_TURNS = (
    (r"\b(?:please|kindly)\s+", ""),
    (r"\bin order to\b", "to"),
    (r"\bmake sure (?:that )?(?:you )?", ""),
    (r"\bit is (?:very |really )?important that you\s+", ""),
    (r"\b(?:very|really|absolutely|simply|basically)\s+", ""),
    (r"\bdue to the fact that\b", "because"),
    (r"\bat all times\b", "always"),
    (r"\byou should always\b", "always"),
)


def asks_for_shorter(messages: list[dict[str, str]]) -> bool:
    """Whether the request is to make a prompt's numbered clauses shorter."""
    text = "\n\n".join(m["content"] for m in messages)
    return bool(_SHORTER.search(text) and _CLAUSE.search(text) and list_form(text))


def shortened(messages: list[dict[str, str]], persona: Persona) -> str:
    """Strikes and shorter wordings, in the form the request describes."""
    text = "\n\n".join(m["content"] for m in messages)
    form = list_form(text)
    assert form is not None
    clauses = [(int(n), said.strip()) for n, _, said in _CLAUSE.findall(text)]
    rows: list[dict[str, Any]] = []
    kept: list[set[str]] = []
    for number, said in clauses:
        if "{{" in said or not said:
            continue
        own = set(stems(said))
        if _COURTESY.match(said):
            rows.append(_row(form, "strike", number, "", "Courtesy changes no answer."))
        elif any(own and len(own & other) / len(own) >= 0.8 for other in kept):
            rows.append(_row(form, "strike", number, "", "Another clause says it already."))
        else:
            kept.append(own)
            short = _shrunk(said)
            if short != said and chance("trims", persona.name, said) >= persona.forgets / 2:
                rows.append(_row(form, "amend", number, short, "It says the same in fewer words."))
    return json.dumps({form.outer: rows} if form.outer else rows, ensure_ascii=False, indent=1)


def _shrunk(said: str) -> str:
    text = said
    for long, short in _TURNS:
        text = re.sub(long, short, text, flags=re.I)
    text = re.sub(r"  +", " ", text).strip()
    return text[:1].upper() + text[1:] if said[:1].isupper() else text


def _row(form: ListForm, kind: str, number: int, text: str, reason: str) -> dict[str, Any]:
    row: dict[str, Any] = {}
    for key, note in form.keys:
        about = f"{key} {note}".lower()
        if "kind" in about or ("strike" in about and "amend" in about):
            row[key] = kind
        elif re.search(r"reason|why|lost", about):
            row[key] = reason
        elif re.search(r"\bread\b|text|wording", about):
            row[key] = text
        elif "number" in about or "clause" in about:
            row[key] = number
    return row
