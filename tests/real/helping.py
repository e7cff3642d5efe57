"""Every helping role, a judge and a narrow lane on a real model: what came of each, as one JSON line.

Run by check_server in a process of its own: base URL, model name, data directory.
"""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

BASE, MODEL, FOLDER = sys.argv[1:4]
# A small model rambles: its replies are kept short, whatever a role asks for.
SHORT = {"max_tokens": 220}
WITHIN_S = 400
# A base model goes on with what it reads: worked examples say what is wanted.
SHOWN = [
    {"role": role, "content": text, "step": None}
    for role, text in (
        ("user", "Text: The sea is cold. Wet:"),
        ("assistant", "yes"),
        ("user", "Text: The desert is hot. Wet:"),
        ("assistant", "no"),
        ("user", "Text: {{sea}} Wet:"),
    )
]


def main() -> None:
    from nomikon.server.process.launch import set_up_django

    for line in set_up_django(Path(FOLDER)) or []:
        print(line, file=sys.stderr)
    from django.test.utils import setup_test_environment

    # The API is asked in this process, as tests do.
    setup_test_environment()
    worker = subprocess.Popen([sys.executable, "-m", "nomikon", "worker", "--data-dir", FOLDER])
    try:
        wait(lambda: (Path(FOLDER) / "worker-link.json").exists(), 60)
        print(json.dumps(asked()))
    finally:
        worker.terminate()
        worker.wait(20)


def wait(check: Any, within_s: float = WITHIN_S) -> None:
    deadline = time.monotonic() + within_s
    while not check():
        if time.monotonic() > deadline:
            raise TimeoutError(f"waited {within_s:g} s")
        time.sleep(0.2)


def asked() -> dict[str, Any]:
    from nomikon.server.apps.briefs.models import Version
    from nomikon.server.apps.connections.models import Connection, Model
    from nomikon.server.apps.trials.models import Output, ScoreRow, Trial
    from tests.server.base import Api, make_brief, start

    api = Api()
    brief = make_brief(6, "Real")
    Connection.objects.update(
        base_url=BASE, concurrency=None, body_fields=SHORT, key_env="", call_timeout_s=180
    )
    model = Model.objects.order_by("id").first()
    assert model is not None
    Model.objects.filter(pk=model.pk).update(name=MODEL)
    Version.objects.filter(brief=brief, number=1).update(
        messages=SHOWN, settings={"temperature": 0, "stop": ["\n"]}
    )
    # Nobody set a limit, so it has to be found out what this server bears.
    trial = start(brief, versions=[1], models=[model.pk])
    wait(lambda: Trial.objects.get(pk=trial.pk).state not in ("queued", "running"))
    outputs = Output.objects.filter(arm__trial=trial)
    told: dict[str, Any] = {
        "trial": Trial.objects.get(pk=trial.pk).state,
        "outcomes": sorted(outputs.values_list("outcome", flat=True)),
        "borne": Model.objects.get(pk=model.pk).borne,
        "judged": judged(brief, model),
        "scored": ScoreRow.objects.exclude(total=None).count(),
    }
    for role, about in subjects(api, brief, trial):
        body = {"role": role, "about": about, "model": model.pk}
        words = api.post("consultations/", body).json()["prepared"]["instruction"]
        came = api.post(
            "consultations/", {**body, "instruction": words, "again": False, "ask": True}
        )
        came = came.json()["consultation"]
        told.setdefault("roles", {})[role] = became(came)
    return told


def judged(brief: Any, model: Any) -> dict[str, int]:
    """One small trial judged by the same model: judgements read and refused."""
    from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
    from nomikon.server.apps.trials.models import ScoreRow, Trial
    from tests.server.base import start, who

    rubric = {
        "measure": "rubric", "model": MODEL,
        "criteria": [{"name": "clear", "asks": "Is it clear?", "levels": ["no", "partly", "yes"]}],
    }  # fmt: skip
    SaveScorecard(brief, {"nomikon": "scorecard/1", "measures": [rubric]}, **who()).execute()
    brief.refresh_from_db()
    trial = start(brief, versions=[1], models=[model.pk])
    wait(lambda: Trial.objects.get(pk=trial.pk).state not in ("queued", "running"))
    rows = ScoreRow.objects.filter(output__arm__trial=trial)
    return {"read": rows.exclude(total=None).count(), "refused": rows.filter(total=None).count()}


def subjects(api: Any, brief: Any, trial: Any) -> Iterator[tuple[str, dict[str, Any]]]:
    about = {"brief": brief.pk}
    yield "draft", about
    yield "questions", {**about, "messages": [{"role": "user", "content": "Is {{sea}} wet?"}]}
    yield (
        "cases",
        {"dataset": brief.datasets.first().pk, "how_many": 2, "dimensions": [], "hard": []},
    )
    yield "rubric", about
    yield (
        "alike",
        {
            "examples": [
                {"messages": [{"role": "system", "content": "You sort letters.", "step": None}]}
            ],
            "job": "Sort parcels by size.",
        },
    )
    found = api.get(f"trials/{trial.pk}/faults/1/").json()["faults"]
    faults = [f["key"] for f in found[:2]]
    version = {**about, "trial": trial.pk, "version": 1, "faults": faults, "model": None}
    yield "shorter", version
    if faults:
        yield "amendments", version
        yield "adapt", {**version, "model": trial.arms.first().model_id}


def became(came: dict[str, Any]) -> str:
    if "tries" not in came:
        return f"not asked: {came.get('detail', came)}"
    if came["tries"][0]["failure"]:
        return f"failed: {came['tries'][0]['failure']}"
    if came["problem"] or not came["reading"]["items"]:
        return f"refused: {came['problem'] or came['reading']['nothing']}"
    how = "read after repair" if came["reading"]["repaired"] else "read at once"
    return f"{how}: {came['text'][:200]!r}"


if __name__ == "__main__":
    main()
