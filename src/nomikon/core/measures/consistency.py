"""Consistency: how alike the repeats of one arm on one case are."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from typing import Any

from rapidfuzz.distance import Indel

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, GroupMeasure, Score, only_known, parse_json
from nomikon.core.measures.declared import CHOICE, TEXT, Parameter
from nomikon.core.measures.parameters import given
from nomikon.core.texts.normal import normalised

EXACT, NORMALISED, EDITS = "exact", "normalised", "edits"


def _same(a: str, b: str) -> float:
    return float(a == b)


_ALIKE: dict[str, Callable[[str, str], float]] = {
    EXACT: _same,
    NORMALISED: lambda a, b: _same(normalised(a), normalised(b)),
    EDITS: Indel.normalized_similarity,
}


class Consistency(GroupMeasure):
    """The mean likeness of an answer to the other repeats of its case."""

    name = "consistency"
    description = (
        "How alike the repeats of one arm on one case are: the mean likeness of this answer to the "
        "others, by exact or normalised equality, or by edits. With `field` only that key of "
        "JSON answers is compared. One repeat alone gives no score."
    )
    parameters = {
        "by": Parameter(
            "normalised (the default), exact or edits", CHOICE, ("normalised", "exact", "edits")
        ),
        "field": Parameter("key of JSON answers to compare (optional)", TEXT),
    }
    worked = ({"by": "normalised"}, "Delay.", None, None)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.by = given(self, parameters, "by")
        self.field = parameters.get("field")
        if self.field is not None and (not isinstance(self.field, str) or not self.field):
            raise MeasureError("field must name a key of the answers", field="field")

    def score_group(self, answers: Sequence[Answer]) -> list[Score]:
        if len(answers) < 2:
            return [Score(None, "there is one repeat only, nothing to compare with")] * len(answers)
        texts = [self._compared(a.output) for a in answers]
        alike = _ALIKE[self.by]
        scores = []
        for place, text in enumerate(texts):
            others = [t for at, t in enumerate(texts) if at != place]
            if text is None:
                scores.append(Score(0.0, f"the answer has no {self.field!r} to compare"))
                continue
            each = [0.0 if t is None else alike(text, t) for t in others]
            value = sum(each) / len(each)
            same = sum(1 for x in each if x >= 1.0)
            scores.append(Score(value, f"the same as {same} of {len(each)} other repeats"))
        return scores

    def _compared(self, text: str) -> str | None:
        if self.field is None:
            return text
        try:
            value = parse_json(text)
        except ValueError:
            return None
        if not isinstance(value, dict) or self.field not in value:
            return None
        return json.dumps(value[self.field], sort_keys=True, ensure_ascii=False)
