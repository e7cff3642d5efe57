"""Playing the close reader of a prompt: what it asks for and what its wording leaves in the air, quoted."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

from nomikon_standin.listing import ListForm, list_form
from nomikon_standin.models import Persona
from nomikon_standin.words import chance

_CLAUSE = re.compile(r"^[ \t]*§\s*(\d+)[ \t:.]*(.*(?:\n(?![ \t]*§|[ \t]*$).*)*)", re.M)
_ONLY = re.compile(r"\bread\s+((?:§\s*\d+(?:\s*,\s*|\s+and\s+)?)+)", re.I)
_LIMIT = re.compile(
    r"\b(?P<bound>at most|up to|no more than|exactly|at least)\s+(?P<n>\d+)\s+"
    r"(?P<unit>words|sentences|characters|lines|bullets)\b",
    re.I,
)
_VAGUE = re.compile(
    r"\b(?:something nice|nicely?|appropriate(?:ly)?|suitabl[ey]|interesting|properly|as needed|where possible|"
    r"reasonabl[ey]|good|better|catchy|a bit|not too \w+|high[- ]quality)\b",
    re.I,
)
_SHORT = re.compile(r"\b(?:short|brief|concise|terse)\w*\b", re.I)
_LONG = re.compile(r"\b(?:everything|detail\w*|complete(?:ly)?|thorough\w*|exhaustive)\b", re.I)
_ROLE = re.compile(r"^\s*you (?:are|act as|work)\b[^.\n]*", re.I)
_READERS = re.compile(
    r"\bfor (?:the|our|people|guests|passengers|readers|children)\b[^.,;\n]*", re.I
)
_RULE = re.compile(r"^\s*(?:never|do not|don['’]t)\b[^.\n]*", re.I)
_TASK = re.compile(
    r"^\s*(?:please )?(?:write|sort|label|answer|reply|summari[sz]e|extract|translate|classify|give|list|turn|"
    r"rewrite|draft|name|find|decide|compare|explain|pull)\b[^.\n]*",
    re.I,
)


def asks_to_read(messages: list[dict[str, str]]) -> bool:
    """Whether the request is to say what a prompt asks for, each thing with a quotation."""
    text = _joined(messages)
    form = list_form(text)
    return bool(form and _CLAUSE.search(text) and any(_is_quote(k, n) for k, n in form.keys))


def perused(messages: list[dict[str, str]], persona: Persona) -> str:
    """Entries in the form the request describes; a weak model overlooks some."""
    text = _joined(messages)
    form = list_form(text)
    assert form is not None
    only = _ONLY.search(text)
    asked = {int(n) for n in re.findall(r"\d+", only.group(1))} if only else None
    rows = [
        _row(form, part, quote, value, why)
        for number, said in _CLAUSE.findall(text)
        if asked is None or int(number) in asked
        for part, quote, value, why in _seen(said)
        if chance("reads", persona.name, part, quote) >= persona.forgets / 2
    ]
    return json.dumps({form.outer: rows} if form.outer else rows, ensure_ascii=False, indent=1)


def _seen(said: str) -> Iterator[tuple[str, str, Any, str]]:
    """Part, words, value and why of what a clause says."""
    for part, pattern in (("role", _ROLE), ("task", _TASK), ("audience", _READERS)):
        if found := pattern.search(said):
            yield part, found.group().strip(), None, ""
    for found in _LIMIT.finditer(said):
        n, bound = int(found["n"]), found["bound"].lower()
        low = n if bound in ("exactly", "at least") else None
        high = None if bound == "at least" else n
        value = {"what": found["unit"].lower(), "per": "", "low": low, "high": high}
        yield "limit", found.group(), value, ""
    if found := _RULE.search(said):
        yield "rule", found.group().strip(), "must-not", ""
    if found := _VAGUE.search(said):
        yield "vague", found.group(), None, "Two readers would take it for two things."
    if _SHORT.search(said) and _LONG.search(said):
        yield "clashing", said.strip(), None, "What is short does not tell everything."


def _is_quote(key: str, note: str) -> bool:
    return "quote" in key.lower() or bool(re.search(r"\bexactly as (?:it|they) stand", note, re.I))


def _row(form: ListForm, part: str, quote: str, value: Any, why: str) -> dict[str, Any]:
    row: dict[str, Any] = {}
    for key, note in form.keys:
        if _is_quote(key, note):
            row[key] = quote
        elif re.search(r"\bone of\b.*\btask\b", note, re.I) or key.lower() in ("part", "kind"):
            row[key] = part
        elif re.search(r"\bwhy\b|\breason\b|\bwrong\b|one sentence", f"{key} {note}", re.I):
            row[key] = why
        else:
            row[key] = value
    return row


def _joined(messages: list[dict[str, str]]) -> str:
    return "\n\n".join(m["content"] for m in messages)
