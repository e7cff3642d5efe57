"""Rules about worked examples: their labels, their form, their balance."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterator

from nomikon.core.prompts.clauses import Clause
from nomikon.core.prompts.findings.base import NOTE, WARNING, Finding, Subject, rule

_LIST = re.compile(
    r"\b(?:labels?|categor(?:y|ies)|topics?|class(?:es)?|sentiments?)\b"
    r"(?:[^:\n.]{0,60}(?:\bone of|\bare|\binto)[^:\n]{0,20}|[^:\n.]{0,30}):[ \t]*([^.\n]+)",
    re.IGNORECASE,
)
_ITEM = re.compile(r"^[ \t]*(?:[-*•]|\d+[.)])\s+([\w /&-]{2,40}?)(?:\s*:|\s+[-–—]|\s*$)")
ENOUGH_FOR_BALANCE = 4
ONE_SIDED = 0.75


def listed_labels(subject: Subject) -> set[str]:
    """Labels that the prompt lists, lower case; empty where no list is found for sure."""
    labels: set[str] = set()
    for place, clause in enumerate(subject.clauses):
        if clause.kind == "example":
            continue
        if match := _LIST.search(clause.text):
            parts = re.split(r",\s*(?:or\s+|and\s+)?|\s+or\s+|\s*/\s*|;\s*", match.group(1))
            labels |= {p.strip(" \"'“”.").lower() for p in parts if p.strip()}
        elif re.search(r"\b(?:labels?|categor\w+|topics?)\b[^\n]{0,60}:\s*$", clause.text, re.I):
            for item in subject.clauses[place + 1 :]:
                found = _ITEM.match(item.text) if item.kind == "list-item" else None
                if found is None:
                    break
                labels.add(found.group(1).strip().lower())
    return labels if len(labels) >= 2 else set()


def _answers(subject: Subject) -> list[tuple[Clause, str]]:
    return [(turn, turn.text.strip()) for _, turn in subject.example_pairs]


@rule("example-label-unlisted")
def _example_label_unlisted(subject: Subject) -> Iterator[Finding]:
    labels = listed_labels(subject)
    if subject.task != "classify" or not labels:
        return
    for turn, answer in _answers(subject):
        if len(answer.split()) <= 4 and answer[:1] not in "{[" and answer.lower() not in labels:
            yield Finding(
                "example-label-unlisted",
                WARNING,
                f"“{answer}” is not on the list of labels ({', '.join(sorted(labels))})",
                **subject.at(turn),
            )


@rule("example-breaks-format")
def _example_breaks_format(subject: Subject) -> Iterator[Finding]:
    if not re.search(r"\bjson\b", subject.wording):
        return
    for turn, answer in _answers(subject):
        bare = re.sub(r"^```\w*\n|\n```$", "", answer)
        if "{{" in bare:
            continue
        try:
            json.loads(bare)
        except (ValueError, RecursionError):
            yield Finding(
                "example-breaks-format",
                WARNING,
                "JSON is asked for, and this example is none: models follow the example",
                **subject.at(turn),
            )


@rule("example-duplicated")
def _example_duplicated(subject: Subject) -> Iterator[Finding]:
    seen: dict[str, int] = {}
    for before, turn in subject.example_pairs:
        asked = " ".join(before.text.lower().split()) if before else ""
        if asked and asked in seen:
            yield Finding(
                "example-duplicated",
                WARNING,
                f"this example stands at § {seen[asked]} already",
                **subject.at(turn),
            )
        elif asked:
            seen[asked] = turn.number


@rule("examples-one-sided")
def _examples_one_sided(subject: Subject) -> Iterator[Finding]:
    answers = [a.lower() for _, a in _answers(subject) if len(a.split()) <= 4]
    if subject.task != "classify" or len(answers) < ENOUGH_FOR_BALANCE:
        return
    label, count = Counter(answers).most_common(1)[0]
    if count / len(answers) >= ONE_SIDED:
        turn = subject.example_pairs[0][1]
        yield Finding(
            "examples-one-sided",
            NOTE,
            f"{count} of {len(answers)} examples are “{label}”: models lean to what they see often",
            **subject.at(turn),
        )
