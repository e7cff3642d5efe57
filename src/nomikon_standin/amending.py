"""Playing the one who amends a prompt: named faults become changes of single clauses."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from typing import Any

from nomikon_standin.listing import ListForm, list_form
from nomikon_standin.models import Persona
from nomikon_standin.words import chance

_AMEND = re.compile(
    r"\b(?:amend|revise|improve|change|mend|repair)\w*\b[^.\n]{0,80}\b(?:prompts?|clauses?|instructions?)\b",
    re.I,
)
_CLAUSE = re.compile(
    r"^[ \t]*(?:§|clause|no\.)\s*(\d+)[ \t:.]*(?:\((\w+)\))?[ \t:]*(.*)$", re.I | re.M
)
_FAULT = re.compile(
    r"^[ \t]*(?:fault|problem|complaint|weakness|wish)\s+(\d+)\b([^\n]*)", re.I | re.M
)
_WISH = re.compile(r"[ \t]*wish\s+\d+[:,.]?[ \t]*(\S[^\n]*)", re.I)
_NOT_JSON = re.compile(r"\bnot (?:valid )?json\b|\bno json\b", re.I)
_UNIT = re.compile(
    r"(\d+)\s+(characters|words|sentences|lines|paragraphs|bullets)\b[^\n]*?\bat (most|least)\s+(\d+)",
    re.I,
)
_HOLDS = re.compile(r"\b(?:contains|holds|uses|says)\b:?\s*[“\"'](.+?)[”\"']", re.I)
_LACKS = re.compile(
    r"\b(?:missing|lacks|does not (?:contain|name|say))\b:?\s*[“\"'](.+?)[”\"']", re.I
)
_QUOTED = re.compile(r"\((?:of|in) the words\b.*?[”\"']\)", re.I | re.S)
_ONE_OF = re.compile(r"(?<![\w:])(\w+):\s*[\w './-]{0,40}?\s+is not one of\s+([^;\n]+)", re.I)
_GIVEN_FOR = re.compile(r"(?<![\w:])(\w+) is ([\w -]+?), not ([\w -]+?)(?=[;\n]|$| \(of)", re.I)


@dataclass
class _Told:
    number: int
    text: str


def asks_for_amendments(messages: list[dict[str, str]]) -> bool:
    """Whether the request is to change clauses of a prompt because of faults."""
    text = _joined(messages)
    return bool(
        _AMEND.search(text) and _FAULT.search(text) and _CLAUSE.search(text) and list_form(text)
    )


def amended(messages: list[dict[str, str]], persona: Persona) -> str:
    """Proposals in the form the request describes; a weak model overlooks some faults."""
    text = _joined(messages)
    form = list_form(text)
    assert form is not None
    clauses = [(int(n), said) for n, _, said in _CLAUSE.findall(text)]
    rows: list[dict[str, Any]] = []
    written: set[str] = set()
    for fault in _faults(text):
        if chance("amends", persona.name, fault.text[:80]) < persona.forgets / 2:
            continue
        for wanted in _rules(fault.text):
            if wanted.lower() in written or any(
                wanted.lower() in said.lower() for _, said in clauses
            ):
                continue
            written.add(wanted.lower())
            rows.append(_row(form, fault, wanted, clauses))
    return json.dumps({form.outer: rows} if form.outer else rows, ensure_ascii=False, indent=1)


def _joined(messages: list[dict[str, str]]) -> str:
    return "\n\n".join(m["content"] for m in messages)


def _faults(text: str) -> list[_Told]:
    starts = list(_FAULT.finditer(text))
    ends = [m.start() for m in starts[1:]] + [len(text)]
    return [
        _Told(int(m.group(1)), text[m.start() : end].strip())
        for m, end in zip(starts, ends, strict=True)
    ]


def _rules(fault: str) -> list[str]:
    """What a clause should say so that the fault does not come again, or the wish is granted."""
    if granted := _WISH.match(fault):
        words = " ".join(granted[1].split()).rstrip(".")
        return [f"{words[:1].upper()}{words[1:]}."]
    found: list[str] = []
    shapes = _objects(fault)
    keys = list(dict.fromkeys(k for shape in shapes for k in shape))
    if _NOT_JSON.search(fault) and keys:
        found.append(
            f"Reply with one JSON object with the keys {', '.join(keys)} and nothing else, without a "
            "code fence."
        )
        found += [_choices(k, shapes) for k in keys if _choices(k, shapes)]
    for key, listed in _ONE_OF.findall(fault):
        options = [o.strip(" .”\"'") for o in re.split(r"\s\(of the words", listed)[0].split(",")]
        found.append(f"{key} is one of: {', '.join(o for o in options if o)}.")
    if any(v is None for shape in shapes for v in shape.values()) and re.search(
        r"\bnot null\b|unknown|'null'|does not match", fault, re.I
    ):
        found.append("Use null for what is not said.")
    for key, given, right in _GIVEN_FOR.findall(fault):
        if right.strip() == "null":
            found.append("Use null for what is not said.")
        elif given.strip() == "null":
            found.append(f"Always choose a {key}; it is never null.")
    for _, unit, bound, n in _UNIT.findall(fault):
        found.append(f"Write at {bound.lower()} {n} {unit.lower()}.")
    # Words of the answer are shown as evidence; what is said of them stands outside.
    said_of_it = _QUOTED.sub("", fault)
    held = list(dict.fromkeys(_HOLDS.findall(said_of_it)))
    if held:
        found.append(f"Never use the words {', '.join(held)}.")
    lacking = list(dict.fromkeys(_LACKS.findall(said_of_it)))
    if lacking:
        found.append(f"Always name {', '.join(lacking)}.")
    if re.search(r"\bdeclined\b|begins with .I'm sorry", fault, re.I):
        found.append("Never refuse.")
    if re.search(r"\bcut\b|breaks off", fault, re.I):
        found.append("Keep the answer short.")
    if not found:
        said = re.search(r"\bsaid:\s*([^\n(]{4,160})", fault)
        if said:
            found.append(f"See to this: {said.group(1).strip().rstrip('.')}.")
    return list(dict.fromkeys(found))


def _objects(text: str) -> list[dict[str, Any]]:
    """JSON objects that stand in the fault, as wanted answers."""
    found = []
    for m in re.finditer(r"\bwanted:?\s*(\{[^{}\n]*\})", text, re.I):
        try:
            found.append(json.loads(m.group(1)))
        except ValueError:
            continue
    return found


def _choices(key: str, shapes: list[dict[str, Any]]) -> str:
    """The values a key takes, where few texts come again and again."""
    values = [s[key] for s in shapes if isinstance(s.get(key), str)]
    different = list(dict.fromkeys(values))
    if (
        len(values) >= 4
        and len(different) <= len(values) * 0.75
        and all(len(v) < 24 for v in different)
    ):
        return f"{key} is one of: {', '.join(different)}."
    return ""


def _row(form: ListForm, fault: _Told, text: str, clauses: list[tuple[int, str]]) -> dict[str, Any]:
    subject = re.match(r"(\w+) is one of:", text)
    like = next(
        (
            n
            for n, said in clauses
            if subject and re.search(rf"\b{subject.group(1)}\b is one of", said)
        ),
        None,
    )
    # New rules go before the first clause that holds the input.
    first_input = next((n for n, said in clauses if "{{" in said), len(clauses) + 1)
    place = like if like is not None else max(0, first_input - 1)
    row: dict[str, Any] = {}
    for key, note in form.keys:
        about = f"{key} {note}".lower()
        if "kind" in about or ("strike" in about and "amend" in about):
            row[key] = "amend" if like is not None else "add"
        elif re.search(r"fault|problem|complaint|weakness", about):
            row[key] = fault.number
        elif re.search(r"reason|why|sentence", about):
            row[key] = f"Fault {fault.number} would not come again: {text[0].lower()}{text[1:]}"
        elif re.search(r"\bread\b|text|wording", about):
            row[key] = text
        elif "number" in about or "clause" in about:
            row[key] = place
    return row
