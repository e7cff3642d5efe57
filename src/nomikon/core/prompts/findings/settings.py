"""Rules about settings: temperature by kind of task, room for the answer, the model's context."""

from __future__ import annotations

import math
from collections.abc import Iterator

from nomikon.core.prompts.findings.base import ERROR, WARNING, Finding, Subject, rule

WARM = 0.5
# Rough tokens of a unit of length, with room to spare for none.
_TOKENS = {"characters": 0.25, "words": 1.3, "sentences": 12.0, "paragraphs": 40.0}
# How many more a text of the same length takes than in English.
_MORE = {"de": 1.3, "fr": 1.15, "es": 1.1}


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
    language = subject.tenor.language
    for asked in subject.tenor.limits:
        number = asked.high if asked.high is not None else asked.low
        if asked.per or not number:
            continue
        needed = math.ceil(number * _tokens_of(asked.what, language))
        if needed > limit:
            yield Finding(
                "output-limit-too-small",
                WARNING,
                f"{number} {asked.what} take about {needed} tokens, but the output limit is {limit}: "
                "answers would be cut",
                **subject.words(asked.words),
            )


def _tokens_of(unit: str, language: str) -> float:
    return _TOKENS.get(unit, 0.0) * _MORE.get(language, 1.0)


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
