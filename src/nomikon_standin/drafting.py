"""Playing the writer of prompts: a job, and maybe examples to write it like, become a new prompt."""

from __future__ import annotations

import json
import re
from typing import Any

from nomikon_standin.listing import ListForm, list_form
from nomikon_standin.models import Persona
from nomikon_standin.words import chance, sentences

# "Write one new prompt …", "Draft the instructions a model gets …"
_ASKED = re.compile(
    r"\b(?:write|draft|compose|make|create)\b[^.\n]{0,60}\b(?:instructions? for a\b|"
    r"prompts?(?=\s*(?:[.,:;]|$|\b(?:for|that|which|of|below|to|with|like)\b)))",
    re.I | re.M,
)
_BLOCK = re.compile(r"^(`{3,}|~{3,})[^\n]*\n(.*?)\n\1[ \t]*$", re.S | re.M)
_JOB = re.compile(
    r"^[ \t*]*(?:the )?(?:job|task|brief|purpose|goal)[ \t*]*:[ \t*]*(.+)", re.I | re.M | re.S
)
_INPUT = re.compile(r"\{\{\s*([\w .-]+?)\s*\}\}")
_IMPERATIVE = re.compile(
    r"^(?:[-*•]\s+)?(?:reply|answer|respond|write|use|keep|do not|don['’]t|never|give|return|leave|"
    r"say|name|put|begin|end)\b",
    re.I,
)
_NOUNS = re.compile(
    r"\b(message|letter|e-?mail|complaint|review|ticket|question|note|log|report|minutes|article|"
    r"text|form|request|comment|story|recipe|invoice|page|document|entry|transcript|poem|notice)s?\b",
    re.I,
)


def asks_for_a_prompt(messages: list[dict[str, str]]) -> bool:
    """Whether the request is to write a prompt for a model."""
    outside = "\n".join(_BLOCK.sub("", m["content"]) for m in messages)
    return bool(_ASKED.search(outside))


_FIRST = re.compile(
    r"\b(?:write|draft|compose|set down|make)\b[^.\n]{0,80}\b(?:prompts?|instructions?)\b", re.I
)
_FORM = re.compile(
    r"\bJSON\b|\b(?:reply|answer|respond|return)\b|\bone of\b|\bkeys?\b|\bparagraphs?\b|\btable\b",
    re.I,
)
_LIMIT = re.compile(
    r"\bnever\b|\bdo not\b|\bno \w+|\bat most\b|\bat least\b|\bonly\b|\bwithout\b", re.I
)


def asks_for_clauses(messages: list[dict[str, str]]) -> bool:
    """Whether the request is to write a prompt as a list of single clauses."""
    text = "\n\n".join(m["content"] for m in messages)
    form = list_form(text)
    if form is None or not _FIRST.search(text) or not _JOB.search(text):
        return False
    about = " ".join(f"{k} {n}" for k, n in form.keys).lower()
    return "clause" in about and "reason" in about and "fault" not in about


def drafted_clauses(messages: list[dict[str, str]], persona: Persona) -> str:
    """A first version clause by clause: the job's sentences, each for what it says, then the inputs."""
    text = "\n\n".join(m["content"] for m in messages)
    form = list_form(text)
    found = _JOB.search(text)
    assert form is not None and found is not None
    job, _, rest = found.group(1).partition("\n\n")
    rows = []
    for place, said in enumerate(sentences(job)):
        if place == 0:
            rows += [_clause(form, "system", *begun) for begun in _beginning(said)]
            continue
        # A weak model overlooks some of what the job says.
        if chance("writes", persona.name, said) < persona.forgets / 2:
            continue
        part = "format" if _FORM.search(said) else "limits" if _LIMIT.search(said) else "context"
        rows.append(_clause(form, "system", part, said.strip(), f"The job says so: {said.strip()}"))
    for line in re.findall(r"^[ \t]*[-*•][ \t]+(.+\?)[ \t]+(.+)$", rest, re.M):
        wanted = f"{line[0].rstrip('?')}: {line[1].rstrip('.')}."
        rows.append(_clause(form, "system", "limits", wanted, f"It was settled: {line[0]}"))
    names = list(dict.fromkeys(_INPUT.findall(rest))) or [_input_name(job)]
    for name in names:
        label = name[:1].upper() + name[1:].replace("_", " ")
        hole = "{{" + name + "}}"
        rows.append(_clause(form, "user", "input", f"{label}: {hole}", "It is what comes in."))
    return json.dumps({form.outer: rows} if form.outer else rows, ensure_ascii=False, indent=1)


def _beginning(said: str) -> list[tuple[str, str, str]]:
    """The job's first sentence as part, text and reason; what it lists is a clause of its own."""
    found = re.match(r"(.+?) becomes? ([^:]+?)(?:, (?:with|of)\b (.+?)|: (.+?))?\.?$", said.strip())
    if found is None:
        return [("role", _role(said), "The job begins with it.")]
    given, made = (w[:1].lower() + w[1:] for w in found.group(1, 2))
    rows = [("role", f"You turn {given} into {made}.", "This is the job.")]
    if listed := found.group(3) or found.group(4):
        rows.append(("task", f"See that it holds {listed}.", "The job lists it."))
    return rows


def _clause(form: ListForm, role: str, part: str, text: str, reason: str) -> dict[str, Any]:
    row: dict[str, Any] = {}
    for key, note in form.keys:
        about = f"{key} {note}".lower()
        if re.search(r"reason|why|calls for", about):
            row[key] = reason
        elif "system" in about or key.lower() in ("message", "speaker"):
            row[key] = role
        elif re.search(r"\bpart\b|\bkind\b|limits", about):
            row[key] = part
        else:
            row[key] = text
    return row


def drafted(messages: list[dict[str, str]], persona: Persona) -> str:
    """The new prompt: the job as a role, the rules of form the examples share, the input named."""
    whole = "\n\n".join(m["content"] for m in messages)
    examples = [m.group(2) for m in _BLOCK.finditer(whole)]
    rest = _BLOCK.sub("", whole)
    found = _JOB.search(rest)
    job = " ".join((found.group(1) if found else rest.strip().split("\n")[-1]).split())
    lines = [_role(job), *_rules(job, examples, persona)]
    name = _input_name(job)
    label = name[:1].upper() + name[1:]
    fenced = any(re.search(r"```|\"\"\"|<\w+>\s*\{\{", e) for e in examples)
    hole = "{{" + name + "}}"
    given = f"{label}:\n```\n{hole}\n```" if fenced else f"{label}: {hole}"
    return "\n".join(lines) + "\n\n" + given


def _role(job: str) -> str:
    first = sentences(job)[0].strip().rstrip(".") if sentences(job) else job
    words = first.split()
    if (
        words
        and re.fullmatch(r"[A-Z]?[a-z]+", words[0])
        and not first.lower().startswith(("a ", "the ", "you "))
    ):
        return f"You {words[0].lower()} {' '.join(words[1:])}.".replace(" .", ".")
    return first + "." if first.lower().startswith("you ") else f"Your job: {first}."


def _rules(job: str, examples: list[str], persona: Persona) -> list[str]:
    """What the job says besides, then the examples' rules of form that fit any job."""
    lines = [s.strip() for s in sentences(job)[1:]]
    seen: set[str] = set()
    for example in examples:
        own = {w.lower() for w in _INPUT.findall(example)}
        for line in sentences(example):
            text = line.strip()
            bound = {w.lower() for w in re.findall(r"\w+", text)} & own
            # A list of labels or keys belongs to the example's own job.
            listed = re.search(r":\s*[\w ]+,", text)
            if listed or bound or _INPUT.search(text) or not _IMPERATIVE.match(text):
                continue
            if text.lower() in seen:
                continue
            seen.add(text.lower())
            # A weaker model overlooks some of what the examples have in common.
            if chance("drafts", persona.name, text) >= persona.forgets:
                lines.append(text)
    return lines[: 2 + 2 * max(1, len(examples))]


def _input_name(job: str) -> str:
    found = _NOUNS.search(job)
    return found.group(1).lower().replace("-", "") if found else "text"
