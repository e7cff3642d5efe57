"""Helpers shared by the server's tests: a brief with cases, and trials run in this process."""

from __future__ import annotations

import asyncio
import json
import warnings
from decimal import Decimal
from typing import Any

from django.test import Client
from django.utils import timezone

from nomikon.core.cases import read_csv
from nomikon.engine.coordinator import run_trial
from nomikon.engine.executors import LocalExecutor
from nomikon.models import Answer, CallFailure, Usage
from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.connections.actions.save_connection import SaveConnection
from nomikon.server.apps.connections.actions.save_model import SaveModel
from nomikon.server.apps.datasets.actions.create_dataset import CreateDataset
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.planning import make_plan
from nomikon.server.apps.trials.store import DatabaseStore

CARD = {"nomikon": "scorecard/1", "measures": [{"measure": "normalised-match"}]}


def who() -> dict[str, Any]:
    return {"actor": "tester", "now": timezone.now()}


def make_brief(n_cases: int = 6, name: str = "Tides") -> Any:
    """A brief with two versions, two models, n cases (a third held out) and a scorecard."""
    brief = CreateBrief(name, "Say whether it is wet.", "classify", **who()).execute()
    dataset = CreateDataset(brief, "Seas", **who()).execute()
    lines = ["sea,reference,split"] + [
        f"sea {i},yes,{'held-out' if i % 3 == 2 else 'working'}" for i in range(n_cases)
    ]
    uses = {"reference": {"as": "reference"}, "split": {"as": "split"}}
    if n_cases:
        ImportCases(
            dataset, read_csv("\n".join(lines).encode()), uses, "working", **who()
        ).execute()
    SaveScorecard(brief, CARD, **who()).execute()
    first = SaveVersion(
        brief,
        [{"role": "user", "content": "Is {{sea}} wet?"}],
        {"temperature": 0},
        None,
        "first",
        **who(),
    ).execute()
    SaveVersion(
        brief,
        [{"role": "user", "content": "Is {{sea}} wet? Say yes or no."}],
        {"temperature": 0},
        first,
        "second",
        **who(),
    ).execute()
    connection = SaveConnection(
        connection=None,
        name=f"Here {name}",
        protocol="chat-completions",
        base_url="http://127.0.0.1:9/v1",
        key_env="",
        concurrency=4,
        call_timeout_s=5,
        stall_timeout_s=5,
        **who(),
    ).execute()
    for model in ("small", "large"):
        SaveModel(connection, None, model, 4096, Decimal(1), Decimal(2), **who()).execute()
    return brief


def plan_of(brief: Any, **more: Any) -> Any:
    from nomikon.server.apps.connections.models import Model

    choice = {
        "versions": [1, 2],
        "models": list(Model.objects.order_by("id").values_list("id", flat=True)),
        "settings": [],
        "split": "working",
        "repeats": 1,
        "dataset_version": brief.datasets.first().versions.order_by("-number").first().pk,
    }
    return make_plan(brief, **{**choice, **more})


def start(brief: Any, **more: Any) -> Any:
    plan = plan_of(brief, **more)
    return StartTrial(plan, "Is it better?", unscored=True, **who()).execute()


class Scripted:
    """A caller that answers by rule; used in place of the network."""

    def __init__(self, reply: Any = None) -> None:
        self.reply = reply
        self.calls = 0

    async def call(
        self, connection: Any, model: str, body: Any, *, on_text: Any = None, priority: int = 1
    ) -> Answer:
        self.calls += 1
        found = self.reply(body) if self.reply else "yes"
        if isinstance(found, CallFailure):
            raise found
        if isinstance(found, Answer):
            return found
        return Answer(found, "stop", Usage(10, 2), 20.0, 5.0, "small v1")


def better_second(body: Any) -> str:
    """The second version is right, the first is right on every other case."""
    text = body["messages"][0]["content"]
    if "Say yes" in text:
        return "yes"
    return "yes" if int(text.split()[2]) % 2 else "no"


def run(trial: Any, caller: Any = None) -> str:
    """Run a trial in this process, on the database of the test."""
    store = DatabaseStore(trial.pk, clock=timezone.now)
    return asyncio.run(run_trial(store, LocalExecutor(caller or Scripted(better_second))))


class Api:
    """The API as the page uses it: JSON, with the token that writes need."""

    def __init__(self) -> None:
        self.client = Client(enforce_csrf_checks=True)
        self.token = self.client.get("/api/session/").json()["csrf"]

    def get(self, path: str) -> Any:
        return self.client.get(f"/api/{path}")

    def send(self, method: str, path: str, body: Any) -> Any:
        text = body if isinstance(body, (str, bytes)) else json.dumps(body)
        return self.client.generic(
            method, f"/api/{path}", text, "application/json", headers={"X-CSRFToken": self.token}
        )

    def post(self, path: str, body: Any = None) -> Any:
        return self.send("POST", path, {} if body is None else body)

    def patch(self, path: str, body: Any) -> Any:
        return self.send("PATCH", path, body)

    def put(self, path: str, body: Any) -> Any:
        return self.send("PUT", path, body)

    def upload(self, path: str, /, **fields: Any) -> Any:
        return self.client.post(f"/api/{path}", fields, headers={"X-CSRFToken": self.token})

    @staticmethod
    def lines(got: Any) -> list[Any]:
        """What a streamed answer tells, line by line."""
        with warnings.catch_warnings():
            # The test client has no event loop and takes the lines together.
            warnings.simplefilter("ignore")
            return [json.loads(line) for line in b"".join(got).decode().splitlines()]
