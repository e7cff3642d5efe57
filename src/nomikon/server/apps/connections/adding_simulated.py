"""Add the simulated models that run on this machine: a connection with all that its server offers."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any

from nomikon.models.types import CHAT_COMPLETIONS
from nomikon.server.apps.connections.actions.save_connection import SaveConnection
from nomikon.server.apps.connections.actions.save_model import SaveModel
from nomikon.server.apps.connections.models import Connection

NAME = "Simulated models"


@dataclass
class AddSimulated:
    """base_url: where they listen; a connection that is there already is pointed there."""

    base_url: str
    actor: str
    now: datetime
    name: str = NAME

    def execute(self) -> Connection:
        """The connection; its models are added by `add_offered`."""
        there = Connection.objects.filter(simulated=True).order_by("id")
        stored = there.filter(name=self.name).first() or there.first()
        if stored is not None and stored.base_url == self.base_url:
            return stored
        return SaveConnection(
            connection=stored,
            name=stored.name if stored else self.name,
            protocol=CHAT_COMPLETIONS,
            base_url=self.base_url,
            key_env="",
            concurrency=48,
            call_timeout_s=60.0,
            stall_timeout_s=20.0,
            simulated=True,
            actor=self.actor,
            now=self.now,
        ).execute()

    def add_offered(self, connection: Connection, offered: Sequence[Mapping[str, Any]]) -> None:
        """Those that are not there yet, free of charge."""
        there = set(connection.models.values_list("name", flat=True))
        for row in offered:
            if row["name"] not in there:
                SaveModel(
                    connection=connection,
                    model=None,
                    name=row["name"],
                    context_length=row["context_length"],
                    price_in=Decimal(0),
                    price_out=Decimal(0),
                    actor=self.actor,
                    now=self.now,
                ).execute()
