"""Rules about settings: temperature by kind of task, room for the answer, the model's context."""

from __future__ import annotations

import math
from collections.abc import Iterator

from nomikon.core.prompts.findings.base import ERROR, WARNING, Finding, Subject, rule
from nomikon.core.prompts.findings.form import limits_in

WARM = 0.5
# Rough tokens of a unit of length, with room to spare for none.
_TOKENS = {"character": 0.25, "word": 1.3, "sentence": 12.0, "paragraph": 40.0}


@rule("temperature-does-not-suit")
def _temperature(subject: Subject) -> Iterator[Finding]:
    given = subject.settings.get("temperature")
    if given is not None and given > WARM and subject.task in ("classify", "extract"):
        yield Finding(
            "temperature-does-not-suit",
            WARNING,
            f"temperature {given:g} makes the same message come out differently each time; to "
            f"{subject.task}, 0 is the usual choice",
        )


@rule("output-limit-too-small")
def _output_limit(subject: Subject) -> Iterator[Finding]:
    limit = subject.settings.get("max_tokens")
    if limit is None:
        return
    for clause in subject.instructions:
        for match, number, unit in limits_in(clause.text):
            needed = math.ceil(number * _TOKENS.get(unit, 0.0))
            if needed > limit:
                yield Finding(
                    "output-limit-too-small",
                    WARNING,
                    f"{number} {unit}s take about {needed} tokens, but the output limit is {limit}: "
                    "answers would be cut",
                    **subject.at(clause, match),
                )


@rule("too-long-for-context")
def _context(subject: Subject) -> Iterator[Finding]:
    if subject.prompt_tokens is None:
        return
    wanted = int(subject.settings.get("max_tokens") or 1)
    needed = subject.prompt_tokens + wanted
    told = (
        f"with its longest case the prompt takes about {subject.prompt_tokens} tokens, and "
        f"{wanted} are kept for the answer"
    )
    if subject.context is not None and subject.context < needed:
        yield Finding("too-long-for-context", ERROR, f"{told}; the model holds {subject.context}")
    small = {name: size for name, size in subject.contexts.items() if size < needed}
    if small:
        sizes = ", ".join(f"{name} holds {size}" for name, size in sorted(small.items()))
        severity = ERROR if len(small) == len(subject.contexts) else WARNING
        yield Finding("too-long-for-context", severity, f"{told}; {sizes}")
