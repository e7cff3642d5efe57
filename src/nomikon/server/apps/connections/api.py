"""Connections and their models."""

from __future__ import annotations

import contextlib
import os
import time
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.trials import NANO, cost_nano
from nomikon.models.breaker import CLOSED
from nomikon.models.protocols import PROTOCOLS
from nomikon.server.apps.connections.actions.record_test import RecordTest
from nomikon.server.apps.connections.actions.save_connection import (
    BadConnectionError,
    SaveConnection,
)
from nomikon.server.apps.connections.actions.save_model import SaveModel
from nomikon.server.apps.connections.adding_simulated import AddSimulated
from nomikon.server.apps.connections.calibrations import calibrations_of
from nomikon.server.apps.connections.keys import may_hold_key
from nomikon.server.apps.connections.models import Connection, Health, Model, Standing
from nomikon.server.apps.connections.reads import (
    AddressChecked,
    ConnectionShape,
    HealthHour,
    ModelShape,
    OfferedModelShape,
    OfferedShape,
    ProtocolShape,
    StandingShape,
    TestedShape,
)
from nomikon.server.apps.connections.takes import (
    ConnectionChangeRequest,
    ConnectionRequest,
    ModelChangeRequest,
    ModelRequest,
    ModelsRequest,
    TestRequest,
)
from nomikon.server.link import WorkerAwayError, ask_worker
from nomikon.server.people import actor_of
from nomikon.server.seen import check_seen
from nomikon.server.simulated import NoSimulatedModelsError, have_it_run
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


def _model_row(m: Model) -> ModelShape:
    def price(nano: int | None) -> Decimal | None:
        return None if nano is None else Decimal(nano) / NANO

    learnt = calibrations_of(m.pk)
    return {
        "id": m.pk,
        "connection": m.connection_id,
        "connection_name": m.connection.name,
        "name": m.name,
        "simulated": m.is_simulated,
        "context_length": m.context_length,
        "price_in": price(m.price_in_nano),
        "price_out": price(m.price_out_nano),
        "price_cached": price(m.price_cached_nano),
        "price_reasoning": price(m.price_reasoning_nano),
        "reasoning": m.reasoning,
        "borne": m.borne,
        "unsupported": m.unsupported,
        "never_sent": list(PROTOCOLS[m.connection.protocol].never_sent),
        "concurrency": m.concurrency,
        "requests_per_minute": m.requests_per_minute,
        "tokens_per_minute": m.tokens_per_minute,
        "calls_seen": round(learnt["in"].n),
        "error_in": learnt["in"].error,
        "error_out": learnt["out"].error,
    }


def _row(c: Connection) -> ConnectionShape:
    return {
        "id": c.pk,
        "name": c.name,
        "protocol": c.protocol,
        "base_url": c.base_url,
        "key_env": c.key_env,
        "key_kept": bool(c.key_cipher),
        "key_set": bool(
            c.key_env and may_hold_key(c.key_env, os.environ) and os.environ.get(c.key_env)
        ),
        "standing": _standing(c),
        "requests_per_minute": c.requests_per_minute,
        "tokens_per_minute": c.tokens_per_minute,
        "simulated": c.simulated,
        "concurrency": c.concurrency,
        "headers": c.headers,
        "body_fields": c.body_fields,
        "output_limit": c.output_limit,
        "most_answer_mb": c.most_answer_mb,
        "call_timeout_s": c.call_timeout_s,
        "stall_timeout_s": c.stall_timeout_s,
        "models": [_model_row(m) for m in c.models.select_related("connection")],
    }


def _standing(c: Connection) -> StandingShape:
    row = Standing.objects.filter(connection=c).first()
    if row is None:
        return {"state": CLOSED, "reason": "", "lanes": {}, "since": None, "next_look_at": None}
    return {
        "state": row.state,
        "reason": row.reason,
        "lanes": row.lanes,
        "since": row.since,
        "next_look_at": row.next_look_at,
    }


@documented("protocols", gives=list[ProtocolShape])
@api_view(["GET"])
def protocols(request: Request) -> Response:
    """The protocols that a server may speak."""
    return given(list[ProtocolShape])(
        [{"name": p.name, "title": p.title, "address": p.address} for p in PROTOCOLS.values()]
    )


@documented("connections", gives=list[ConnectionShape])
@api_view(["GET"])
def connections(request: Request) -> Response:
    """All connections with their models. A key's value is never part of it."""
    return given(list[ConnectionShape])([_row(c) for c in Connection.objects.all()])


@documented("add_connection", takes=ConnectionRequest, gives=ConnectionShape)
@api_view(["POST"])
def add_connection(request: Request) -> Response:
    """Add a connection."""
    data = taken(ConnectionRequest, request)
    saved = SaveConnection(
        connection=None, **data, actor=actor_of(request), now=timezone.now()
    ).execute()
    return given(ConnectionShape)(_row(saved))


# What a form shows of a connection, and may change.
_SHOWN = (
    "name",
    "protocol",
    "base_url",
    "key_env",
    "concurrency",
    "requests_per_minute",
    "tokens_per_minute",
    "headers",
    "body_fields",
    "output_limit",
    "most_answer_mb",
    "call_timeout_s",
    "stall_timeout_s",
)


@documented("change_connection", takes=ConnectionChangeRequest, gives=ConnectionShape)
@api_view(["PUT"])
def change_connection(request: Request, connection_id: int) -> Response:
    """Change a connection; answers of its former address are not reused."""
    found = get_object_or_404(Connection, pk=connection_id)
    data: dict[str, Any] = dict(taken(ConnectionChangeRequest, request))
    seen = data.pop("seen", None)
    check_seen(seen, {name: getattr(found, name) for name in _SHOWN})
    saved = SaveConnection(
        connection=found,
        **data,
        simulated=found.simulated,
        actor=actor_of(request),
        now=timezone.now(),
    ).execute()
    return given(ConnectionShape)(_row(saved))


@documented("check_connection", gives=AddressChecked)
@api_view(["POST"])
def check_connection(request: Request, connection_id: int) -> Response:
    """Ask the server for its models at once; an address without its usual end is completed and kept."""
    found = get_object_or_404(Connection, pk=connection_id)
    came = _offered_once_the_worker_is_up(found)
    failure = came.get("failure")
    base = found.base_url.rstrip("/")
    completion = PROTOCOLS[found.protocol].completion
    if failure and completion and not base.endswith(completion):
        completed = Connection.objects.get(pk=found.pk)
        completed.base_url = f"{base}{completion}"
        other = _offered(found, base_url=completed.base_url)
        if not other.get("failure"):
            completed.revision += 1
            completed.save()
            found, came, failure = completed, other, None
    return given(AddressChecked)(
        {
            "base_url": found.base_url,
            "models": None if failure else len(came["models"]),
            "failure": failure["text"] if failure else "",
        },
    )


@documented("simulated_models", gives=ConnectionShape)
@api_view(["POST"])
def simulated(request: Request) -> Response:
    """Have the simulated models run on this machine, and add them with all that they offer."""
    adding = AddSimulated(have_it_run(Path(settings.DATA_DIR)), actor_of(request), timezone.now())
    connection = adding.execute()
    came = _offered_once_the_worker_is_up(connection)
    if failure := came.get("failure"):
        raise NoSimulatedModelsError(f"the simulated models do not answer: {failure['text']}")
    adding.add_offered(connection, came["models"])
    return given(ConnectionShape)(_row(Connection.objects.get(pk=connection.pk)))


def _offered_once_the_worker_is_up(connection: Connection) -> dict[str, Any]:
    """As `_offered`; the page may be there before the worker is, when the program has just started."""
    deadline = time.monotonic() + WORKER_STARTS_WITHIN_S
    while True:
        try:
            return _offered(connection)
        except WorkerAwayError:
            if time.monotonic() > deadline:
                raise
            time.sleep(0.2)


@documented("try_connection_now", gives=ConnectionShape)
@api_view(["POST"])
def try_now(request: Request, connection_id: int) -> Response:
    """Let one call look at once whether what rests answers again."""
    found = get_object_or_404(Connection, pk=connection_id)
    ask_worker("/try-now", {"connection": found.pk}, within_s=5.0)
    return given(ConnectionShape)(_row(found))


@documented("add_models", takes=ModelsRequest, gives=ConnectionShape)
@api_view(["POST"])
def add_models(request: Request, connection_id: int) -> Response:
    """Add several of the models that the server offers, with what its list says of them."""
    found = get_object_or_404(Connection, pk=connection_id)
    names = list(dict.fromkeys(taken(ModelsRequest, request)["names"]))
    came = _offered(found)
    told = {m["name"]: m for m in came.get("models", [])}
    if missing := [n for n in names if n not in told]:
        why = came["failure"]["text"] if came.get("failure") else "its list does not hold it"
        raise BadConnectionError(f"{missing[0]} cannot be added: {why}", field="names")
    with transaction.atomic():
        for name in names:
            SaveModel(
                connection=found,
                model=None,
                name=name,
                context_length=told[name]["context_length"],
                price_in=None,
                price_out=None,
                simulated=told[name]["simulated"],
                actor=actor_of(request),
                now=timezone.now(),
            ).execute()
    return given(ConnectionShape)(_row(found))


WORKER_STARTS_WITHIN_S = 30.0
# A person waits for it: a server that takes longer to list its models is told as one that does not.
LIST_WITHIN_S = 20.0


def _offered(connection: Connection, **other: str) -> dict[str, Any]:
    """What the server lists, asked through the worker; `failure` in place of it where it does not."""
    came: dict[str, Any] = ask_worker(
        "/models",
        {"connection": connection.pk, "within_s": LIST_WITHIN_S, **other},
        within_s=LIST_WITHIN_S,
    )
    # What the server says of itself holds for models that were added by name, too.
    simulated = [m["name"] for m in came.get("models", []) if m["simulated"]]
    connection.models.filter(name__in=simulated, simulated=False).update(simulated=True)
    return came


@documented("add_model", takes=ModelRequest, gives=ModelShape)
@api_view(["POST"])
def add_model(request: Request, connection_id: int) -> Response:
    """Add a model to a connection."""
    found = get_object_or_404(Connection, pk=connection_id)
    data = taken(ModelRequest, request)
    saved = SaveModel(
        connection=found, model=None, **data, actor=actor_of(request), now=timezone.now()
    ).execute()
    # Only a look: a worker that is away, or a server without a list, says nothing of the model.
    with contextlib.suppress(WorkerAwayError):
        _offered(found)
        saved.refresh_from_db()
    return given(ModelShape)(_model_row(saved))


# What a form shows of a model, and may change.
_SHOWN_OF_MODEL = (
    "name",
    "context_length",
    "price_in",
    "price_out",
    "price_cached",
    "price_reasoning",
    "reasoning",
    "unsupported",
    "concurrency",
    "requests_per_minute",
    "tokens_per_minute",
)


@documented("change_model", takes=ModelChangeRequest, gives=ModelShape)
@api_view(["PUT"])
def change_model(request: Request, model_id: int) -> Response:
    """Change a model's name, context length or prices; arms planned before keep theirs."""
    found = get_object_or_404(Model.objects.select_related("connection"), pk=model_id)
    data: dict[str, Any] = dict(taken(ModelChangeRequest, request))
    row: dict[str, Any] = dict(_model_row(found))
    shown = {name: row[name] for name in _SHOWN_OF_MODEL}
    # A price goes out as a number, and that is what comes back as seen.
    now = {n: float(v) if isinstance(v, Decimal) else v for n, v in shown.items()}
    check_seen(data.pop("seen", None), now)
    saved = SaveModel(
        connection=found.connection,
        model=found,
        **data,
        actor=actor_of(request),
        now=timezone.now(),
    ).execute()
    return given(ModelShape)(_model_row(saved))


@documented("test_call", takes=TestRequest, gives=TestedShape)
@api_view(["POST"])
def test_call(request: Request, model_id: int) -> Response:
    """Make one real call and show what came back; it goes before the trials' calls."""
    found = get_object_or_404(Model.objects.select_related("connection"), pk=model_id)
    text = taken(TestRequest, request)["text"]
    came = ask_worker(
        "/call",
        {
            "model": found.pk,
            "messages": [{"role": "user", "content": text}],
            "settings": {"temperature": 0.0, "max_tokens": 200},
        },
        within_s=found.connection.call_timeout_s * 4,
    )
    answer = came.get("answer")
    RecordTest(found, came, actor_of(request), timezone.now()).execute()
    if answer is not None:
        tokens = (answer["tokens_in"] or 0, answer["tokens_out"] or 0)
        answer["cost"] = cost_nano(*tokens, found.price_in_nano, found.price_out_nano)
    return given(TestedShape)(
        {"request": came["request"], "answer": answer, "failure": came.get("failure")},
    )


@documented("offered_models", gives=OfferedShape)
@api_view(["GET"])
def offered(request: Request, connection_id: int) -> Response:
    """The models that the server says it has."""
    found = get_object_or_404(Connection, pk=connection_id)
    came = _offered(found)
    there = set(found.models.values_list("name", flat=True))
    return given(OfferedShape)(
        {
            "models": [
                copied(OfferedModelShape, m, added=m["name"] in there)
                for m in came.get("models", [])
            ],
            "failure": came.get("failure"),
        },
    )


HOURS = 24


@documented("connection_health", gives=list[HealthHour])
@api_view(["GET"])
def health(request: Request, connection_id: int) -> Response:
    """What came of the attempts of the last 24 hours, hour by hour, the oldest first."""
    found = get_object_or_404(Connection, pk=connection_id)
    this_hour = timezone.now().replace(minute=0, second=0, microsecond=0)
    hours = [this_hour - timedelta(hours=n) for n in reversed(range(HOURS))]
    rows: dict[datetime, HealthHour] = {
        h: {"hour": h, "answered": 0, "failures": {}, "latency_ms": 0.0} for h in hours
    }
    for minute in Health.objects.filter(connection=found, minute__gte=hours[0]):
        row = rows[minute.minute.replace(minute=0)]
        row["answered"] += minute.answered
        row["latency_ms"] = (row["latency_ms"] or 0.0) + minute.latency_ms
        for code, count in minute.failures.items():
            row["failures"][code] = row["failures"].get(code, 0) + count
    for row in rows.values():
        spent = row["latency_ms"] or 0.0
        row["latency_ms"] = spent / row["answered"] if row["answered"] else None
    return given(list[HealthHour])(list(rows.values()))
