"""The prompt without clauses that do nothing, as a version to be saved with its evidence."""

from __future__ import annotations

from datetime import datetime

from nomikon.core.errors import PlanError
from nomikon.core.prompts import as_rows
from nomikon.core.prompts.reasons import Answered, reason_of
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.trials.models import COMPLETE
from nomikon.server.apps.weights.models import Strike
from nomikon.server.apps.weights.reading import weights_in


def trimmed_version(strike: Strike, actor: str, now: datetime) -> SaveVersion:
    """strike: the complete test that speaks for it. Raises PlanError before it is complete."""
    weighing = strike.weighing
    if strike.trial.state != COMPLETE:
        raise PlanError(
            f"trial {strike.trial.number} is {strike.trial.state}: wait for what it says",
            field="strike",
        )
    parent = weighing.version
    told = weights_in(weighing)
    weights = {n: w for w in (told.weights if told else []) for n in weighing.units[w.unit]}
    texts = {line["number"]: line["text"] for line in weighing.lines}
    # What was tested is what is saved: the very text that the arm sent.
    tested = next(a for a in strike.trial.arms.all() if a.without == strike.clauses)
    reasons = [
        reason_of(
            "strike",
            n,
            texts[n],
            f"weight {weights[n].weight:+.3f} ({weights[n].low:+.3f} to {weights[n].high:+.3f}) in "
            f"trial {weighing.trial.number}; struck together in trial {strike.trial.number}",
            Answered(cases=strike.trial.n_cases),
        )
        for n in strike.clauses
        if n in weights
    ]
    return SaveVersion(
        weighing.brief,
        as_rows(tested.sends),
        dict(parent.settings),
        parent,
        f"v{parent.number} without what does nothing",
        actor,
        now,
        origin="trimmed",
        reasons=reasons,
    )
