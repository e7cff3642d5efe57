"""What a try would come to, told before it is asked."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from nomikon.core.errors import DomainError
from nomikon.core.prompts import Message, check_messages, render
from nomikon.core.prompts.messages import messages_of_step, steps_of
from nomikon.core.trials import cost_nano
from nomikon.core.trials.estimates import estimate_messages, estimate_output_tokens
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.drafts.reads import TryPriceShape


def price_of(jobs: Sequence[Mapping[str, Any]]) -> TryPriceShape:
    """About so much for these calls, real and simulated money apart.

    A text that cannot be sent costs nothing: its try says why.
    """
    models = {m.pk: m for m in Model.objects.filter(pk__in={j["model"] for j in jobs})}
    told: TryPriceShape = {
        "calls": 0, "cost": 0, "simulated": 0, "simulated_calls": 0, "unpriced": [], "gone": 0,
    }  # fmt: skip
    real = simulated = 0
    unpriced: dict[str, None] = {}
    for job in jobs:
        model = models.get(job["model"])
        if model is None:
            told["gone"] += 1
            continue
        for cost in _costs(job, model):
            told["calls"] += 1
            told["simulated_calls"] += model.is_simulated
            if cost is None:
                unpriced[model.name] = None
            elif model.is_simulated:
                simulated += cost
            else:
                real += cost
    told["cost"], told["simulated"], told["unpriced"] = real, simulated, list(unpriced)
    return told


def _costs(job: Mapping[str, Any], model: Model) -> Iterator[int | None]:
    """One for each step's call; what an earlier step answers is counted as its usual length."""
    try:
        messages = check_messages(job["messages"])
        filled = render(messages, job["inputs"]).messages
    except DomainError:
        return
    limit = job["settings"].get("max_tokens")
    limit = limit if isinstance(limit, int) and not isinstance(limit, bool) else None
    steps = steps_of(filled)
    for number, step in enumerate(steps, 1):
        own: Sequence[Message] = messages_of_step(filled, step)
        last = number == len(steps)
        out = estimate_output_tokens(job["reference"] if last else None, limit)
        tokens = estimate_messages([m.content for m in own])
        yield cost_nano(tokens, out, model.price_in_nano, model.price_out_nano)
