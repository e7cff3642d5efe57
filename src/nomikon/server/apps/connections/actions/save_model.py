"""Add or change a model of a connection."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal, InvalidOperation

from django.db import transaction

from nomikon.core.prompts.settings import PARAMETERS
from nomikon.core.replies.reasoning import AUTO, WHERE
from nomikon.core.trials import NANO
from nomikon.server.apps.connections.actions.save_connection import BadConnectionError, check_limit
from nomikon.server.apps.connections.models import Connection, Model
from nomikon.server.apps.ledger.write import write_ledger

_LIMITS = ("concurrency", "requests_per_minute", "tokens_per_minute")
HIGHEST_PRICE = 1_000_000


@dataclass
class SaveModel:
    """Prices are in the installation's currency per million tokens; None is unpriced."""

    connection: Connection
    model: Model | None
    name: str
    context_length: int | None
    price_in: Decimal | None
    price_out: Decimal | None
    actor: str
    now: datetime
    unsupported: Sequence[str] = ()
    concurrency: int | None = None
    requests_per_minute: int | None = None
    tokens_per_minute: int | None = None
    price_cached: Decimal | None = None
    price_reasoning: Decimal | None = None
    reasoning: str = AUTO
    simulated: bool = False

    def check(self) -> None:
        if not self.name.strip():
            raise BadConnectionError("a model needs the name the server knows it by", field="name")
        others = self.connection.models.filter(name=self.name.strip())
        if self.model is not None:
            others = others.exclude(pk=self.model.pk)
        if others.exists():
            raise BadConnectionError(f"the model {self.name!r} is there already", field="name")
        if self.context_length is not None and self.context_length < 1:
            raise BadConnectionError("the context length must be above 0", field="context_length")
        if (self.price_in is None) != (self.price_out is None):
            missing = "price_in" if self.price_in is None else "price_out"
            raise BadConnectionError("give both prices, or neither", field=missing)
        for name in ("price_cached", "price_reasoning"):
            if getattr(self, name) is not None and self.price_in is None:
                raise BadConnectionError("give the two prices first", field="price_in")
        if self.reasoning not in WHERE:
            raise BadConnectionError(
                f"reasoning is {self.reasoning!r}; allowed are {', '.join(WHERE)}",
                field="reasoning",
            )
        for name in self.unsupported:
            if name not in PARAMETERS:
                raise BadConnectionError(
                    f"there is no setting {name!r}; there are {', '.join(PARAMETERS)}",
                    field="unsupported",
                )
        for name in _LIMITS:
            check_limit(name, getattr(self, name))

    @transaction.atomic
    def execute(self) -> Model:
        self.check()
        model = self.model or Model(connection=self.connection, created_at=self.now)
        model.name = self.name.strip()
        model.context_length = self.context_length
        model.price_in_nano = _nano(self.price_in, "price_in")
        model.price_out_nano = _nano(self.price_out, "price_out")
        model.price_cached_nano = _nano(self.price_cached, "price_cached")
        model.price_reasoning_nano = _nano(self.price_reasoning, "price_reasoning")
        model.reasoning = self.reasoning
        model.simulated = model.simulated or self.simulated
        model.unsupported = sorted(set(self.unsupported))
        for name in _LIMITS:
            setattr(model, name, getattr(self, name))
        what = "model.changed" if model.pk else "model.added"
        model.save()
        write_ledger(
            what,
            model,
            actor=self.actor,
            now=self.now,
            facts={"name": model.name, "connection": self.connection.name},
        )
        return model


def _nano(price: Decimal | None, field: str) -> int | None:
    """A price per million tokens in billionths of the currency."""
    if price is None:
        return None
    try:
        if not 0 <= price <= HIGHEST_PRICE:
            raise BadConnectionError(
                f"a price of {price} is not possible; allowed is 0 to "
                f"{HIGHEST_PRICE} per million tokens",
                field=field,
            )
        return int((price * NANO).to_integral_value())
    except InvalidOperation as error:
        raise BadConnectionError("a price must be a number", field=field) from error
