"""Connections and their models."""

from __future__ import annotations

import os
from decimal import Decimal
from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.trials import NANO
from nomikon.server.api import shapes
from nomikon.server.api.common import documented, given, taken
from nomikon.server.connections.actions.save_connection import SaveConnection
from nomikon.server.connections.actions.save_model import SaveModel
from nomikon.server.connections.models import Connection, Model
from nomikon.server.people import actor_of


def _model_row(m: Model) -> dict[str, Any]:
    def price(nano: int | None) -> Decimal | None:
        return None if nano is None else Decimal(nano) / NANO

    return {
        "id": m.pk,
        "connection": m.connection_id,
        "connection_name": m.connection.name,
        "name": m.name,
        "simulated": m.connection.simulated,
        "context_length": m.context_length,
        "price_in": price(m.price_in_nano),
        "price_out": price(m.price_out_nano),
    }


def _row(c: Connection) -> dict[str, Any]:
    return {
        "id": c.pk,
        "name": c.name,
        "protocol": c.protocol,
        "base_url": c.base_url,
        "key_env": c.key_env,
        "key_set": bool(c.key_env and os.environ.get(c.key_env)),
        "simulated": c.simulated,
        "concurrency": c.concurrency,
        "call_timeout_s": c.call_timeout_s,
        "stall_timeout_s": c.stall_timeout_s,
        "models": [_model_row(m) for m in c.models.select_related("connection")],
    }


@documented("connections", gives=shapes.ConnectionShape(many=True))
@api_view(["GET"])
def connections(request: Request) -> Response:
    """All connections with their models. A key's value is never part of it."""
    return given(shapes.ConnectionShape, [_row(c) for c in Connection.objects.all()], many=True)


@documented("add_connection", takes=shapes.ConnectionRequest, gives=shapes.ConnectionShape)
@api_view(["POST"])
def add_connection(request: Request) -> Response:
    """Add a connection."""
    data = taken(shapes.ConnectionRequest, request)
    saved = SaveConnection(
        connection=None, **data, actor=actor_of(request), now=timezone.now()
    ).execute()
    return given(shapes.ConnectionShape, _row(saved))


@documented("change_connection", takes=shapes.ConnectionRequest, gives=shapes.ConnectionShape)
@api_view(["PUT"])
def change_connection(request: Request, connection_id: int) -> Response:
    """Change a connection; answers of its former address are not reused."""
    found = get_object_or_404(Connection, pk=connection_id)
    data = taken(shapes.ConnectionRequest, request)
    saved = SaveConnection(
        connection=found,
        **data,
        simulated=found.simulated,
        actor=actor_of(request),
        now=timezone.now(),
    ).execute()
    return given(shapes.ConnectionShape, _row(saved))


@documented("add_model", takes=shapes.ModelRequest, gives=shapes.ModelShape)
@api_view(["POST"])
def add_model(request: Request, connection_id: int) -> Response:
    """Add a model to a connection."""
    found = get_object_or_404(Connection, pk=connection_id)
    data = taken(shapes.ModelRequest, request)
    saved = SaveModel(
        connection=found, model=None, **data, actor=actor_of(request), now=timezone.now()
    ).execute()
    return given(shapes.ModelShape, _model_row(saved))


@documented("change_model", takes=shapes.ModelRequest, gives=shapes.ModelShape)
@api_view(["PUT"])
def change_model(request: Request, model_id: int) -> Response:
    """Change a model's name, context length or prices; arms planned before keep theirs."""
    found = get_object_or_404(Model.objects.select_related("connection"), pk=model_id)
    data = taken(shapes.ModelRequest, request)
    saved = SaveModel(
        connection=found.connection,
        model=found,
        **data,
        actor=actor_of(request),
        now=timezone.now(),
    ).execute()
    return given(shapes.ModelShape, _model_row(saved))
