"""The first scorecard of a brief, proposed from what is there: the prompt's rules and the references."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nomikon.core.prompts.tenor import Tenor
from nomikon.core.prompts.tenor.checks import checks_of, is_measured
from nomikon.core.texts.numbers import numbers_in

# Fewer references tell nothing of their kind.
FEWEST = 3
MOST_LABELS, LONGEST_LABEL = 30, 40
# Words beyond which a reference is a text that may be worded otherwise.
LONGEST_VALUE = 6


@dataclass(frozen=True)
class ProposedMeasure:
    """An entry of a scorecard, and why it is proposed."""

    measure: Mapping[str, Any]
    why: str


def first_card(tenor: Tenor, references: Sequence[str]) -> list[ProposedMeasure]:
    """Measures from the references first, then from the rules that these do not hold already.

    >>> from nomikon.core.prompts.tenor import Tenor
    >>> [p.measure["measure"] for p in first_card(Tenor(), ["late", "lost", "late"])]
    ['normalised-match']
    """
    found = _of_references([r.strip() for r in references if r.strip()])
    for check in checks_of(tenor):
        if not is_measured(check, [p.measure for p in found]):
            found.append(ProposedMeasure(check.measure, f"the prompt asks for it: {check.says}"))
    return found


def _of_references(references: Sequence[str]) -> list[ProposedMeasure]:
    if len(references) < FEWEST:
        return []
    objects = [_object(r) for r in references]
    if all(o is not None for o in objects):
        fields = list(dict.fromkeys(k for o in objects if o for k in o))
        return [
            ProposedMeasure(
                {"measure": "json-fields"}, f"every reference is an object with {', '.join(fields)}"
            )
        ]
    different = set(references)
    if (
        len(different) <= MOST_LABELS
        and 2 * len(different) <= len(references) + 1
        and all(len(r) <= LONGEST_LABEL and "\n" not in r for r in different)
    ):
        why = f"the references are {len(different)} labels"
        return [ProposedMeasure({"measure": "normalised-match"}, why)]
    if all(len(numbers_in(r)) == 1 and len(r.split()) <= 2 for r in references):
        return [ProposedMeasure({"measure": "number"}, "every reference is a number")]
    if all(len(r.split()) <= LONGEST_VALUE and "\n" not in r for r in references):
        return [ProposedMeasure({"measure": "normalised-match"}, "the references are short values")]
    return [
        ProposedMeasure(
            {"measure": "rouge-l"},
            "the references are texts: this tells how much of one is found again, not whether it is true",
        )
    ]


def _object(text: str) -> dict[str, Any] | None:
    try:
        value = json.loads(text)
    except (ValueError, RecursionError):
        return None
    return value if isinstance(value, dict) else None
