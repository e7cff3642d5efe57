"""Playing the writer of prompts: a job, and maybe examples to write it like, become a new prompt."""

from __future__ import annotations

import re

from nomikon.standin.models import Persona
from nomikon.standin.words import chance, sentences

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
