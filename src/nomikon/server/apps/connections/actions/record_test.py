"""Write a test call into the ledger, with what it cost."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.trials import cost_nano
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class RecordTest:
    """came: what the worker's loopback gave for the call."""

    model: Model
    came: dict[str, Any]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        answer, failure = self.came.get("answer"), self.came.get("failure")
        cost = None
        if answer is not None:
            cost = cost_nano(
                answer["tokens_in"] or 0,
                answer["tokens_out"] or 0,
                self.model.price_in_nano,
                self.model.price_out_nano,
            )
        write_ledger(
            "model.tested",
            self.model,
            actor=self.actor,
            now=self.now,
            facts={"name": self.model.name, "failure": failure["code"] if failure else ""},
            cost_nano=cost,
            simulated_nano=self.model.simulated_part(cost),
        )
