"""The prompt without clauses that do nothing, as a version to be saved with its evidence."""

from __future__ import annotations

from datetime import datetime

from nomikon.core.errors import PlanError
from nomikon.core.prompts import as_rows, check_messages, clauses_of
from nomikon.core.prompts.leaving_out import leave_out
from nomikon.server.briefs.actions.save_version import SaveVersion
from nomikon.server.trials.models import COMPLETE
from nomikon.server.weights.models import Strike
from nomikon.server.weights.reading import weights_in


def trimmed_version(strike: Strike, actor: str, now: datetime) -> SaveVersion:
    """strike: the complete test that speaks for it. Raises PlanError before it is complete."""
    weighing = strike.weighing
    if strike.trial.state != COMPLETE:
        raise PlanError(
            f"trial {strike.trial.number} is {strike.trial.state}: wait for what it says",
            field="strike",
        )
    parent = weighing.version
    messages = check_messages(parent.messages)
    told = weights_in(weighing)
    weights = {n: w for w in (told.weights if told else []) for n in weighing.units[w.unit]}
    texts = {c.number: c.text for c in clauses_of(messages)}
    reasons = [
        {
            "kind": "strike",
            "clause": n,
            "text": texts[n],
            "reason": (
                f"weight {weights[n].weight:+.3f} ({weights[n].low:+.3f} to "
                f"{weights[n].high:+.3f}) in trial {weighing.trial.number}; struck together in "
                f"trial {strike.trial.number}"
            ),
            "fault": "",
            "cases": strike.trial.n_cases,
            "outputs": [],
        }
        for n in strike.clauses
        if n in weights
    ]
    return SaveVersion(
        weighing.brief,
        as_rows(leave_out(messages, strike.clauses)),
        dict(parent.settings),
        parent,
        f"v{parent.number} without what does nothing",
        actor,
        now,
        origin="trimmed",
        reasons=reasons,
    )
