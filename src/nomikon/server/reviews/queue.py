"""What to read next."""

from __future__ import annotations

from typing import Any

import numpy as np

from nomikon.core.trials import FAILED
from nomikon.server.briefs.models import Brief
from nomikon.server.reviews.models import Mark
from nomikon.server.trials.models import COMPLETE, Output

# Longest queue handed out at once; a page asks again when it is read.
QUEUE = 300


def reading_queue(brief: Brief, *, reader: str) -> dict[str, Any]:
    """Outputs of the newest complete trial in a random order that its seed fixes.

    A random order is the default because only randomly drawn marks say
    anything about an arm as a whole. Failures hold nothing to read.
    """
    trial = brief.trials.filter(state=COMPLETE).order_by("-number").first()
    if trial is None:
        return {"trial": None, "trial_number": None, "queue": [], "marked": 0}
    ids = list(
        Output.objects.filter(arm__trial=trial)
        .exclude(outcome=FAILED)
        .order_by("id")
        .values_list("id", flat=True)
    )
    order = np.random.default_rng(trial.seed).permutation(len(ids))
    marks = dict(
        Mark.objects.filter(output__arm__trial=trial, reader=reader, current=True).values_list(
            "output_id", "judgement"
        )
    )
    rows = [{"output": ids[i], "judgement": marks.get(ids[i])} for i in order]
    unread = [r for r in rows if r["judgement"] is None]
    read = [r for r in rows if r["judgement"] is not None]
    return {
        "trial": trial.pk,
        "trial_number": trial.number,
        "queue": [*read, *unread][: len(read) + QUEUE],
        "marked": len(read),
    }
