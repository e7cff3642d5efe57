"""What only a reader of the wording can tell, as a model told it twice in the prompt's own words."""

from __future__ import annotations

from collections.abc import Iterator

from nomikon.core.prompts.findings.base import WARNING, Check, Finding, Subject, rule
from nomikon.core.prompts.tenor.by_model import CLASHING, NO_TASK, UNTOLD, VAGUE

_TITLES = {
    VAGUE: "too vague to be checked",
    CLASHING: "two aims that clash",
    UNTOLD: "left untold",
    NO_TASK: "no task",
}


def _told(part: str) -> Check:
    def check(subject: Subject) -> Iterator[Finding]:
        for e in subject.remarks:
            if e.part == part:
                said = f"{_TITLES[part]}, as a model reads it: {e.why.rstrip('.')}"
                place = (e.message, e.clause, e.start, e.end)
                yield Finding(f"read-{part}", WARNING, said, *place)

    return check


for _part in _TITLES:
    rule(f"read-{_part}")(_told(_part))
