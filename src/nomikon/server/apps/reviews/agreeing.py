"""How far the readers of a trial agree, and on which answers they do not."""

from __future__ import annotations

from collections.abc import Sequence

from nomikon.core.stats.agreement import ORDINAL, Rating, agreement
from nomikon.server.apps.reviews.models import PLACES, Mark
from nomikon.server.apps.reviews.reads import DisagreementShape, KappaShape, ReadersShape
from nomikon.server.apps.trials.models import Trial
from nomikon.server.typed import copied

MOST = 50
RESAMPLES = 2000


def readers_of(trial: Trial) -> ReadersShape:
    """Readers with their counts, agreement on answers drawn by chance, and what is to be settled.

    Disagreements are told for every answer that two read, the widest first.
    """
    marks = list(
        Mark.objects.filter(output__arm__trial=trial, current=True)
        .select_related("output__revision__case")
        .order_by("id")
    )
    counts: dict[str, int] = {}
    by_output: dict[int, list[Mark]] = {}
    for mark in marks:
        counts[mark.reader] = counts.get(mark.reader, 0) + 1
        by_output.setdefault(mark.output_id, []).append(mark)
    ratings = [Rating(str(m.output_id), m.reader, PLACES[m.judgement]) for m in marks if m.drawn]
    found = agreement(ratings, ORDINAL, n_resamples=RESAMPLES)
    apart: list[DisagreementShape] = [
        {
            "output": pk,
            "case": rows[0].output.revision.case.number,
            "marks": [
                {"reader": m.reader, "judgement": m.judgement, "comment": m.comment} for m in rows
            ],
        }
        for pk, rows in by_output.items()
        if len(rows) > 1 and _gap(rows) > 0
    ]
    apart.sort(key=lambda row: -_gap(by_output[row["output"]]))
    return {
        "readers": [{"name": name, "n": n} for name, n in counts.items()],
        "n_units": found.n_units,
        "alpha": found.alpha,
        "low": found.low,
        "high": found.high,
        "why_null": found.why_null or "",
        "kappa": [copied(KappaShape, k) for k in found.kappa],
        "n_apart": len(apart),
        "apart": apart[:MOST],
    }


def _gap(marks: Sequence[Mark]) -> int:
    """How far apart readers of one answer stand."""
    places = [PLACES[m.judgement] for m in marks]
    return max(places) - min(places)
