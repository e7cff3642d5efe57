"""How the answers that are stored would fare by a check, before it is on any scorecard; no call is made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nomikon.core.measures import Answer
from nomikon.core.measures.registry import make_measure
from nomikon.core.trials import ANSWERED
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.drafts.reads import FareShape
from nomikon.server.apps.trials.models import Output

# The newest answers tell it; scoring all of a large brief would keep the reader waiting.
MOST_ANSWERS = 200


def fares_of(brief: Brief, checks: Sequence[Mapping[str, Any]]) -> list[FareShape]:
    """For each check, how many of the newest stored answers there are and how many keep it.

    Raises MeasureError for a check that is no measure.
    """
    measures = [
        make_measure(str(c.get("measure")), {k: v for k, v in c.items() if k != "measure"})
        for c in checks
    ]
    rows = (
        Output.objects.filter(arm__trial__brief=brief, outcome=ANSWERED, turns=[])
        .order_by("-id")
        .values_list("text", "revision__reference", "revision__inputs")[:MOST_ANSWERS]
    )
    answers = [Answer(text, reference, inputs) for text, reference, inputs in rows]
    found: list[FareShape] = []
    for measure in measures:
        # What may take its time over a text is not asked in passing.
        some = answers if measure.linear else []
        scores = [s.value for a in some if (s := measure.score(a)).value is not None]
        found.append({"n": len(scores), "kept": sum(v == 1 for v in scores)})
    return found
