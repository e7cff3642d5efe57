"""A stored connection as plain data for the models layer."""

from __future__ import annotations

from nomikon.models.types import Connection
from nomikon.server.connections.models import Connection as StoredConnection


def connection_spec(stored: StoredConnection) -> Connection:
    """A stored connection as the models layer takes it; its key goes by name only."""
    return Connection(
        id=str(stored.pk),
        revision=stored.revision,
        protocol=stored.protocol,
        base_url=stored.base_url,
        key_env=stored.key_env or None,
        call_timeout_s=stored.call_timeout_s,
        stall_timeout_s=stored.stall_timeout_s,
        concurrency=stored.concurrency,
    )
