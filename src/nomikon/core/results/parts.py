"""The parts of a trial's cases that a comparison is told on, by what the cases are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

# A reference as short as this is a label.
LONGEST_LABEL = 40
MOST_PARTS = 40


class CaseFacts(NamedTuple):
    """What a case is known by."""

    case: str
    tags: tuple[str, ...]
    reference: str | None
    inputs: Mapping[str, Any]


def parts_of(cases: Sequence[CaseFacts]) -> list[tuple[str, list[str]]]:
    """Names and cases: by tag, by label of the reference, the shortest and longest third of inputs.

    >>> [name for name, _ in parts_of([CaseFacts("1", ("hard",), "yes", {"text": "a"})])]
    ['tag hard', 'reference yes', 'the shortest third of inputs', 'the longest third of inputs']
    """
    tags: dict[str, list[str]] = {}
    labels: dict[str, list[str]] = {}
    lengths: list[tuple[int, str]] = []
    for case, own, reference, inputs in cases:
        for tag in own:
            tags.setdefault(f"tag {tag}", []).append(case)
        if reference and len(reference) <= LONGEST_LABEL and "\n" not in reference:
            labels.setdefault(f"reference {reference}", []).append(case)
        lengths.append((sum(len(str(v)) for v in inputs.values() if v is not None), case))
    lengths.sort()
    third = len(lengths) // 3
    by_length = [
        ("the shortest third of inputs", [c for _, c in lengths[:third]]),
        ("the longest third of inputs", [c for _, c in lengths[-third:]] if third else []),
    ]
    known = [*tags.items(), *(labels.items() if len(labels) <= MOST_PARTS else ())]
    return [*known[:MOST_PARTS], *by_length]
