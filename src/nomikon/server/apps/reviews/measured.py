"""A trial's measures held against people's marks: does what is counted say what readers say?"""

from __future__ import annotations

from typing import Any

import numpy as np

from nomikon.core.measures import TOTAL
from nomikon.core.stats.judges import relation
from nomikon.server.apps.reviews.models import PLACES, Mark
from nomikon.server.apps.trials.models import ScoreRow, Trial

MOST = 20
# A score and a mark this far from each other, both from 0 to 1, say different things.
APART = 0.5


def measures_against_marks(trial: Trial) -> list[dict[str, Any]]:
    """For the total and every measure: its rank correlation with marks, and where the two part most.

    A mark counts as 0, a half or 1, several of one answer as their mean. The
    correlation rests on marks that came up by chance; where the two part, every
    mark is looked at.
    """
    marks: dict[int, list[float]] = {}
    drawn: set[int] = set()
    for output, judgement, by_chance in Mark.objects.filter(
        output__arm__trial=trial, current=True
    ).values_list("output_id", "judgement", "drawn"):
        marks.setdefault(output, []).append(PLACES[judgement] / 2)
        if by_chance:
            drawn.add(output)
    said = {pk: float(np.mean(values)) for pk, values in marks.items()}
    rows = list(
        ScoreRow.objects.filter(output__in=list(said), scorecard=trial.scorecard_id).values_list(
            "output_id", "output__revision_id", "output__revision__case__number", "total", "packed"
        )
    )
    names = [m.get("name", m["measure"]) for m in trial.scorecard.document["measures"]]
    found = []
    for name in [TOTAL, *names]:
        scored = [
            (output, str(revision), case, total if name == TOTAL else packed.get(name, (None,))[0])
            for output, revision, case, total, packed in rows
        ]
        known = [(o, r, c, float(value)) for o, r, c, value in scored if value is not None]
        chance = [row for row in known if row[0] in drawn]
        apart = [
            {"output": output, "case": case, "score": value, "mark": said[output]}
            for output, _, case, value in known
            if abs(value - said[output]) >= APART
        ]
        apart.sort(key=lambda row: (-abs(row["score"] - row["mark"]), row["output"]))
        told = relation(
            [row[3] for row in chance], [said[row[0]] for row in chance], [row[1] for row in chance]
        )
        found.append(
            {"measure": name, **told.__dict__, "n_apart": len(apart), "apart": apart[:MOST]}
        )
    return found
