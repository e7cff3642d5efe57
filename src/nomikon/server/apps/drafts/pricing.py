"""What a try would come to and about how long it takes, told before it is asked."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from statistics import median
from typing import Any

from nomikon.core.errors import DomainError
from nomikon.core.prompts import Message, check_messages, render
from nomikon.core.prompts.messages import messages_of_step, steps_of
from nomikon.core.trials import cost_nano
from nomikon.core.trials.estimates import (
    estimate_messages,
    estimate_output_tokens,
    estimate_tokens,
)
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.connections.spec import concurrency_of
from nomikon.server.apps.drafts.reads import TryPriceShape

# So many of a brief's newest tries tell how long its answers take.
LOOKED_AT = 20
PLAYED_TURN_TOKENS = 60


def price_of(
    brief: Brief, jobs: Sequence[Mapping[str, Any]], shared: Sequence[Mapping[str, Any]]
) -> TryPriceShape:
    """About so much for these calls, real and simulated money apart, and about how long they take.

    shared: the messages of jobs that have none of their own. A text that cannot be sent costs
    nothing: its try says why.
    """
    rows = Model.objects.select_related("connection")
    players = (_player(j) for j in jobs)
    asked = {j["model"] for j in jobs} | {p for p in players if p is not None}
    models = {m.pk: m for m in rows.filter(pk__in=asked)}
    told: TryPriceShape = {
        "calls": 0, "cost": 0, "simulated": 0, "simulated_calls": 0, "unpriced": [], "gone": 0,
        "seconds": None,
    }  # fmt: skip
    real = simulated = 0
    unpriced: dict[str, None] = {}
    calls: dict[Model, int] = defaultdict(int)
    for job in jobs:
        own = models.get(job["model"])
        if own is None:
            told["gone"] += 1
            continue
        player = models.get(_player(job) or 0)
        for model, cost in _costs(job, job["messages"] or shared, own, player):
            told["calls"] += 1
            calls[model] += 1
            told["simulated_calls"] += model.is_simulated
            if cost is None:
                unpriced[model.name] = None
            elif model.is_simulated:
                simulated += cost
            else:
                real += cost
    told["cost"], told["simulated"], told["unpriced"] = real, simulated, list(unpriced)
    told["seconds"] = _seconds(brief, calls)
    return told


def _costs(
    job: Mapping[str, Any],
    messages: Sequence[Mapping[str, Any]],
    model: Model,
    player: Model | None,
) -> Iterator[tuple[Model, int | None]]:
    """Who is asked and what it costs, call by call; what an earlier step answers is counted as its
    usual length."""
    try:
        filled = render(check_messages(messages), job["inputs"]).messages
    except DomainError:
        return
    limit = job["settings"].get("max_tokens")
    limit = limit if isinstance(limit, int) and not isinstance(limit, bool) else None
    steps = steps_of(filled)
    talk = job.get("talk") or {}
    before = sum(estimate_tokens(t["content"]) for t in talk.get("said", ()))
    before += estimate_tokens(talk.get("turn", "")) + estimate_tokens(job.get("begun") or "")
    for number, step in enumerate(steps, 1):
        own: Sequence[Message] = messages_of_step(filled, step)
        last = number == len(steps)
        out = estimate_output_tokens(job["reference"] if last else None, limit)
        tokens = estimate_messages([m.content for m in own]) + before
        turns = int(talk.get("most", 1)) if talk.get("user") else 1
        for turn in range(turns):
            grown = tokens + turn * (out + PLAYED_TURN_TOKENS)
            yield model, cost_nano(grown, out, model.price_in_nano, model.price_out_nano)
            if player is not None:
                # It reads all that was said and says a little, before every answer.
                prices = player.price_in_nano, player.price_out_nano
                yield player, cost_nano(grown, PLAYED_TURN_TOKENS, *prices)


def _player(job: Mapping[str, Any]) -> int | None:
    """Who plays the talk's user, where somebody does."""
    talk = job.get("talk") or {}
    return talk.get("model") if talk.get("user") else None


def _seconds(brief: Brief, calls: Mapping[Model, int]) -> float | None:
    """The slowest connection decides; None where a model has answered no try of this brief yet."""
    took: dict[int, list[float]] = defaultdict(list)
    for answers in brief.tries.order_by("-number").values_list("answers", flat=True)[:LOOKED_AT]:
        for answer in answers:
            if (answer["result"] or {}).get("latency_ms"):
                took[answer["model"]].append(answer["result"]["latency_ms"] / 1000)
    busy: dict[int, float] = defaultdict(float)
    for model, n in calls.items():
        if not took[model.pk]:
            return None
        busy[model.connection_id] += n * median(took[model.pk]) / concurrency_of(model.connection)
    return max(busy.values(), default=None)
