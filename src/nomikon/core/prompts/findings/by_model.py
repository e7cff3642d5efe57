"""What only a reader of the wording can tell, as a model told it twice in the prompt's own words."""

from __future__ import annotations

from collections.abc import Iterator

from nomikon.core.prompts.findings.base import WARNING, Finding, Subject, rule
from nomikon.core.prompts.tenor.by_model import CLASHING, NO_TASK, UNTOLD, VAGUE

_TITLES = {
    VAGUE: "too vague to be checked",
    CLASHING: "two aims that clash",
    UNTOLD: "left untold",
    NO_TASK: "no task",
}


def _said(subject: Subject, part: str) -> Iterator[Finding]:
    for entry in subject.remarks:
        if entry.part == part:
            told = entry.why.rstrip(".")
            yield Finding(
                f"read-{part}",
                WARNING,
                f"{_TITLES[part]}, as a model reads it: {told}",
                entry.message,
                entry.clause,
                entry.start,
                entry.end,
            )


@rule(f"read-{VAGUE}")
def vague(subject: Subject) -> Iterator[Finding]:
    """A wish that no check can tell to be kept."""
    yield from _said(subject, VAGUE)


@rule(f"read-{CLASHING}")
def clashing(subject: Subject) -> Iterator[Finding]:
    """Aims of which one is kept at the other's cost."""
    yield from _said(subject, CLASHING)


@rule(f"read-{UNTOLD}")
def untold(subject: Subject) -> Iterator[Finding]:
    """What the task needs and nothing says."""
    yield from _said(subject, UNTOLD)


@rule(f"read-{NO_TASK}")
def no_task(subject: Subject) -> Iterator[Finding]:
    """A prompt that tells much and asks for nothing."""
    yield from _said(subject, NO_TASK)
