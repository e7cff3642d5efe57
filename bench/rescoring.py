"""Stored outputs scored anew by another scorecard: read, scored, written, in one process."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from typing import Any

from bench.scoring import ANSWERED, CARD, sentence
from bench.setting_up import make_trial
from nomikon.core.measures import Answer, read_scorecard, score_answer

OUTPUTS = 100_000


def measure() -> list[dict[str, Any]]:
    """100,000 stored outputs, five cheap measures; the floor is scoring them without storing."""
    trial = make_trial("http://127.0.0.1:9/v1", OUTPUTS // 10, repeats=10)
    texts = _store_outputs(trial)
    card = read_scorecard(CARD)
    began = time.perf_counter()
    for text in texts:
        score_answer(card, Answer(text, "delay"), ANSWERED)
    floor = time.perf_counter() - began
    from django.utils import timezone

    from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
    from nomikon.server.apps.trials.rescoring import rescore

    stored = SaveScorecard(trial.brief, CARD, "bench", timezone.now()).execute()
    began = time.perf_counter()
    assert rescore(trial, stored) == OUTPUTS
    ours = time.perf_counter() - began
    return [
        {
            "what": "100,000 outputs scored anew and stored, over scoring alone",
            "ours": f"{OUTPUTS / ours:,.0f} /s",
            "floor": f"{OUTPUTS / floor:,.0f} /s",
            "ratio": ours / floor,
            "goal": "at most 2.0; floor 20,000 /s",
        }
    ]


def _store_outputs(trial: Any) -> list[str]:
    """Outputs of every repeat, as the worker would have stored them; their texts."""
    from nomikon.server.apps.trials.models import Trial

    arm = trial.arms.get()
    dice = random.Random(0)
    texts: list[str] = []
    for repeat in range(trial.repeats):
        texts += stored_outputs(arm, lambda: sentence(dice, 20) + " Harrier.", repeat)
    Trial.objects.filter(pk=trial.pk).update(state="complete")
    return texts


def stored_outputs(arm: Any, said: Callable[[], str], repeat: int = 0) -> list[str]:
    """An arm's outputs for every case of its trial, stored without asking anybody; their texts."""
    from django.db import connection
    from django.utils import timezone

    from nomikon.core.rules import OUTCOME_RULE
    from nomikon.server.apps.trials.models import Output
    from nomikon.server.rows import insert_rows, stored_time

    at = stored_time(timezone.now())
    entries = arm.trial.dataset_version.entries
    defaults = {
        f.attname: f.get_db_prep_save(f.get_default(), connection)
        for f in Output._meta.concrete_fields
        if not f.primary_key
    }
    rows = [
        {
            **defaults,
            "arm_id": arm.pk,
            "revision_id": revision,
            "repeat": repeat,
            "outcome": "answered",
            "outcome_rule": OUTCOME_RULE,
            "text": said(),
            "turns": "[]",
            "tokens_in": 20,
            "tokens_out": 20,
            "latency_ms": 100.0,
            "created_at": at,
        }
        for revision in entries.values_list("revision_id", flat=True)
    ]
    insert_rows(Output, rows)
    return [row["text"] for row in rows]
