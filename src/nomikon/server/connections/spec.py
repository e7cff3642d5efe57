"""A stored connection as plain data for the models layer."""

from __future__ import annotations

from nomikon.models.types import Connection, Limits
from nomikon.server.connections.keys import key_name
from nomikon.server.connections.models import Connection as StoredConnection
from nomikon.server.connections.models import Model


def connection_spec(stored: StoredConnection, model: Model | None = None) -> Connection:
    """A stored connection as the models layer takes it; its key goes by name only.

    model: the one to be called, for its own limits.
    """
    return Connection(
        id=str(stored.pk),
        revision=stored.revision,
        protocol=stored.protocol,
        base_url=stored.base_url,
        key_name=key_name(stored),
        call_timeout_s=stored.call_timeout_s,
        stall_timeout_s=stored.stall_timeout_s,
        limits=_limits(stored),
        model_limits=Limits() if model is None else _limits(model),
    )


def _limits(of: StoredConnection | Model) -> Limits:
    return Limits(of.concurrency, of.requests_per_minute, of.tokens_per_minute)
