"""A stored connection as plain data for the models layer."""

from __future__ import annotations

import ipaddress
from urllib.parse import urlsplit

from nomikon.models.types import MOST_ANSWER_MB, Connection, Limits
from nomikon.server.apps.connections.keys import key_name
from nomikon.server.apps.connections.models import Connection as StoredConnection
from nomikon.server.apps.connections.models import Model

# Where nobody set a limit: calls at a time at most, and to begin with on a machine of one's own.
UNSET_CONCURRENCY = 32
NARROW = 2


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
        limits=_limits(stored, UNSET_CONCURRENCY),
        model_limits=Limits() if model is None else _limits(model, None),
        begins=_begins(stored, model),
        headers=tuple(sorted(stored.headers.items())),
        body_fields=stored.body_fields,
        output_limit=stored.output_limit,
        most_answer_mb=stored.most_answer_mb or MOST_ANSWER_MB,
    )


def concurrency_of(stored: StoredConnection) -> int:
    """Calls at a time at most, set or not."""
    return stored.concurrency or UNSET_CONCURRENCY


def _begins(stored: StoredConnection, model: Model | None) -> int | None:
    """Calls at a time to begin with: what was found before, or few on a machine of one's own."""
    if stored.simulated or stored.concurrency is not None:
        return None
    if model is not None and (model.is_simulated or model.concurrency is not None):
        return None
    if model is not None and model.borne is not None:
        return None if model.borne >= UNSET_CONCURRENCY else max(1, model.borne)
    return NARROW if is_private(stored.base_url) else None


def is_private(base_url: str) -> bool:
    """Whether an address is this machine's or its own network's."""
    host = urlsplit(base_url).hostname or ""
    try:
        return ipaddress.ip_address(host).is_private
    except ValueError:
        return "." not in host or host.endswith((".local", ".lan", ".internal", ".home.arpa"))


def _limits(of: StoredConnection | Model, concurrency: int | None) -> Limits:
    return Limits(of.concurrency or concurrency, of.requests_per_minute, of.tokens_per_minute)
