"""What an arm's total is made of, arm by arm, as the board shows it."""

from __future__ import annotations

from collections import Counter, defaultdict

from django.db.models import Count

from nomikon.core.results import arm_figures, differences
from nomikon.core.results.table import ResultTable
from nomikon.core.stats import ArmSummary
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.reviews.precedents import BROKEN, HELD, board_of
from nomikon.server.apps.reviews.reads import ArmInFull, ArmMarks, ArmsInFull, MeasureFigure
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.trials.results import results_of

# Scores that lie no further apart are alike.
ALIKE = 1e-9


def arms_in_full(trial: Trial) -> ArmsInFull:
    """Means of every measure with intervals, marks, precedents, and cases won and lost."""
    table = results_of(trial)
    figures = {name: arm_figures(table, name) for name in table.card.names}
    marks: dict[int, Counter[str]] = defaultdict(Counter)
    rows = Mark.objects.filter(output__arm__trial=trial, current=True, taken_back=False)
    for arm, judgement, n in rows.values_list("output__arm", "judgement").annotate(n=Count("id")):
        marks[arm][judgement] = n
    precedents = board_of(trial)
    held = {row["arm"]["id"]: row for row in precedents["arms"]}
    reference = None if trial.reference_id is None else str(trial.reference_id)
    found: list[ArmInFull] = []
    for name in table.arms:
        arm = int(name)
        won, lost = _against(table, name, reference)
        found.append(
            {
                "arm": arm,
                "measures": [_figure(m, figures[m][name]) for m in table.card.names],
                "marks": ArmMarks(
                    good=marks[arm]["good"], usable=marks[arm]["usable"], bad=marks[arm]["bad"]
                ),
                "held": held[arm][HELD] if arm in held else 0,
                "broken": held[arm][BROKEN] if arm in held else 0,
                "won": won,
                "lost": lost,
            }
        )
    return {
        "measures": list(table.card.names),
        "precedents": precedents["n"],
        "reference": trial.reference_id,
        "arms": found,
    }


def _figure(measure: str, summary: ArmSummary) -> MeasureFigure:
    return {
        "measure": measure,
        "mean": summary.mean,
        "low": summary.low,
        "high": summary.high,
        "n_cases": summary.n_cases,
    }


def _against(table: ResultTable, arm: str, reference: str | None) -> tuple[int | None, int | None]:
    """On how many cases an arm scores more, and less, than the arm others are held against."""
    if reference is None or arm == reference or reference not in table.arms:
        return None, None
    apart = differences(table, arm, reference).values()
    return sum(d > ALIKE for d in apart), sum(d < -ALIKE for d in apart)
