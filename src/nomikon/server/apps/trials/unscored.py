"""Answers of a trial that have no score: by which measure and why, how often, and one to look at."""

from __future__ import annotations

from nomikon.core.measures import read_scorecard
from nomikon.core.measures.base import NO_ANSWER, NOT_ASKED, WAITS
from nomikon.server.apps.trials.models import ScoreRow, Trial
from nomikon.server.apps.trials.packing import score_in
from nomikon.server.apps.trials.reads import UnscoredShape

# What a judge was not asked yet is told apart; what waits is told when it has come.
ELSEWHERE = (NO_ANSWER, NOT_ASKED)
# As many kinds are told; the count tells of all.
MOST_KINDS = 4


def unscored_of(trial: Trial) -> list[UnscoredShape]:
    """The commonest first."""
    rows = ScoreRow.objects.filter(
        output__arm__trial=trial,
        output__superseded_by=None,
        output__failure="",
        scorecard=trial.scorecard_id,
        total=None,
    )
    card = read_scorecard(trial.scorecard.document)
    counting = {e.name for e in card.entries if e.weight > 0 or e.gate}
    found: dict[tuple[str, str], UnscoredShape] = {}
    for output, packed in rows.order_by("output_id").values_list("output_id", "packed").iterator():
        for measure, row in packed.items():
            score = score_in(row)
            owed = score.code in ELSEWHERE or score.why == WAITS
            if score.value is None and measure in counting and not owed:
                told = found.setdefault(
                    (measure, score.why),
                    {"measure": measure, "why": score.why, "count": 0, "output": output},
                )
                told["count"] += 1
    return sorted(found.values(), key=lambda told: -told["count"])[:MOST_KINDS]
