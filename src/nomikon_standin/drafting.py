"""Playing the writer of prompts: a job, and maybe examples to write it like, become a new prompt."""

from __future__ import annotations

import json
import re
from typing import Any

from nomikon_standin.interviewing import left_open
from nomikon_standin.listing import ListForm, further_form, list_form
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
_MOST_OPEN = 3
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
        given = f'{label}:\n"""\n{hole}\n"""'
        rows.append(_clause(form, "user", "input", given, "It is what comes in."))
    reply: Any = {form.outer: rows} if form.outer else rows
    if form.outer and (asked := further_form(text, "question")):
        written = "\n".join(str(r) for r in rows)
        reply[asked.outer] = left_open(asked, f"{found.group(1)}\n{written}", persona)[:_MOST_OPEN]
    return json.dumps(reply, ensure_ascii=False, indent=1)


# "… becomes one of a, b or c, for the desk."
_SORTING = re.compile(
    r"(?P<given>.+?)\s+(?:becomes?|is|gets?|falls? under|into)\s+(?:exactly )?one of (?:these )?:?\s*"
    r"(?P<labels>.+?)(?:,?\s+for (?P<readers>(?:the|our|a) [^.,]+))?\.?$",
    re.I,
)


def _beginning(said: str) -> list[tuple[str, str, str]]:
    """The job's first sentence as part, text and reason; what it lists is a clause of its own."""
    if rows := _sorting(said.strip()):
        return rows
    found = re.match(r"(.+?) becomes? ([^:]+?)(?:, (?:with|of)\b (.+?)|: (.+?))?\.?$", said.strip())
    if found is None:
        return [("role", _role(said), "The job begins with it.")]
    given, made = (w[:1].lower() + w[1:] for w in found.group(1, 2))
    rows = [
        ("role", f"You turn {given} into {made}.", "This is the job."),
        ("limits", f"Use only what {given} says, and add nothing.", "Nothing may be made up."),
        ("format", "Write nothing before or after it.", "What comes out is used as it stands."),
    ]
    if listed := found.group(3) or found.group(4):
        rows.insert(1, ("task", f"See that it holds {listed}.", "The job lists it."))
    return rows


def _sorting(said: str) -> list[tuple[str, str, str]]:
    """A job that sorts: what, for whom, into which, what if none fits, and how it is answered."""
    found = _SORTING.match(said)
    labels = re.split(r"\s*,\s*(?:or |and )?|\s+(?:or|and)\s+", found["labels"]) if found else []
    if found is None or len(labels) < 2 or any(len(x.split()) > 4 for x in labels):
        return []
    given = found["given"][:1].lower() + found["given"][1:]
    readers = f" for {found['readers']}" if found["readers"] else ""
    rows = [
        ("role", f"You sort {_plural(given)}{readers}.", "This is the job."),
        ("task", f"Say which one of these it is: {', '.join(labels)}.", "The job lists them."),
    ]
    if last := next((x for x in labels if x.lower() in ("other", "none", "unknown")), ""):
        rows.append(
            ("limits", f"Where none of the others fits, it is {last}.", f"The job has {last}.")
        )
    rows += [
        ("limits", "Where two fit, take the one it is mostly about.", "One is asked for."),
        ("format", "Reply with one of these labels, as it is written here, and nothing else.",
         "What comes out is read by its label."),
    ]  # fmt: skip
    return rows


def _plural(given: str) -> str:
    """Several of what comes in: a guest's note, guests' notes."""
    words = re.sub(r"^(?:an?|each|every|the) ", "", given).split()
    return " ".join([*(re.sub(r"[’']s$", "s’", w) for w in words[:-1]), f"{words[-1]}s"])


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


# Words that no English job has: it is left as it is said.
_FOREIGN = re.compile(
    r"[äöüßñ¿]|\b(?:der|das|und|eine[rsmn]?|aus|wird|le|les|des|une|est|el|los|las|para|una|del)\b",
    re.I,
)


def _role(job: str) -> str:
    first = sentences(job)[0].strip().rstrip(".") if sentences(job) else job
    words = first.split()
    if _FOREIGN.search(first):
        return f"{first}."
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
