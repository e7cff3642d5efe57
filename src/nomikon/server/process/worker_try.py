"""Trying a draft on one case, in the worker: pieces as they come, then the whole answer."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from typing import Any

from nomikon.core.errors import DomainError
from nomikon.core.measures.asked_form import check_form
from nomikon.core.prompts import check_messages, check_settings
from nomikon.core.prompts.tenor.facts import Fact, read_facts
from nomikon.core.trials.conversation import going_on, opening
from nomikon.engine.run_unit import run_unit
from nomikon.engine.scoring import card_of
from nomikon.engine.units import ANSWER, ArmSpec, Callee, CaseSpec, Unit, UnitResult
from nomikon.models import Answer, Connection
from nomikon.models.client import ModelClient
from nomikon.models.types import SINGLE

# Where a brief has no scorecard yet: a card that every answer meets.
_ANY = {"nomikon": "scorecard/1", "measures": [{"measure": "length", "unit": "words", "min": 0}]}


class _Heard:
    """A caller whose pieces somebody hears, and who goes before every trial."""

    def __init__(self, client: ModelClient, hear: Callable[[str], None]) -> None:
        self._client = client
        self._hear = hear

    async def call(
        self,
        connection: Connection,
        model: str,
        body: Mapping[str, Any],
        *,
        on_text: Callable[[str], None] | None = None,
        priority: int = SINGLE,
    ) -> Answer:
        return await self._client.call(connection, model, body, on_text=self._hear, priority=SINGLE)


async def try_once(
    client: ModelClient, arm: ArmSpec, asked: Mapping[str, Any], user: Callee | None = None
) -> AsyncIterator[dict[str, Any]]:
    """Yield {"text": piece} as pieces come, at the end {"result": …} or {"refused": …}.

    asked: inputs, reference, repeat, scorecard (its document, or None), facts (of how the text is
    read); talk and begun where it goes on from something. user: who plays the talk's user.
    """
    pieces: asyncio.Queue[str | None] = asyncio.Queue()
    try:
        document = json.dumps(asked.get("scorecard") or _ANY)
        facts = read_facts(asked.get("facts", []))
        card_of(document)
        talk = going_on(asked.get("talk"))
    except DomainError as error:
        yield {"refused": error.message}
        return
    case = CaseSpec("try", asked["inputs"], asked.get("reference"), conversation=talk)
    unit = Unit(arm, case, int(asked["repeat"]), 0, user=user, begun=asked.get("begun") or "")

    async def run() -> UnitResult:
        try:
            return await run_unit(unit, _Heard(client, pieces.put_nowait), document)
        finally:
            pieces.put_nowait(None)

    running = asyncio.create_task(run())
    try:
        while (piece := await pieces.get()) is not None:
            yield {"text": piece}
        result = await running
        told = plain(result, scored=bool(asked.get("scorecard")))
        if talk is not None and result.turns and opening(arm.messages, case.inputs).speaks_first:
            # The prompt's own opening is no part of what was said in the talk.
            told |= {"opening": result.turns[0].text, "turns": told["turns"][1:]}
        yield {"result": {**told, "form": _form(arm, result, unit.case.inputs, facts)}}
    finally:
        # Whoever asked may have gone away: then nobody pays for the rest.
        running.cancel()


def _form(
    arm: ArmSpec, result: UnitResult, inputs: Mapping[str, Any], facts: Sequence[Fact]
) -> list[dict[str, Any]]:
    """What the prompt's own words ask of the form, and whether this answer has it."""
    if result.outcome == "failed":
        return []
    return [c.__dict__ for c in check_form(arm.messages, result.text, inputs, facts)]


def arm_of(asked: Mapping[str, Any], model: Any, connection: Connection) -> ArmSpec:
    """The arm that is tried. Raises DomainError for messages or settings that cannot be sent."""
    return ArmSpec(
        "try",
        check_messages(asked["messages"]),
        check_settings(asked["settings"]),
        model.name,
        connection,
        model.price_in_nano,
        model.price_out_nano,
        tuple(model.unsupported),
        model.price_cached_nano,
        model.price_reasoning_nano,
        model.reasoning,
    )


def plain(result: UnitResult, *, scored: bool) -> dict[str, Any]:
    """A result as it is shown."""
    calls = [c for c in result.calls if c.tokens_out is not None]
    costs = [c.cost for c in calls]
    return {
        "text": result.text,
        "outcome": result.outcome,
        "why": result.why,
        "suspected": result.suspected,
        "reasoning": result.reasoning,
        "finish_reason": result.finish_reason,
        "tokens_in": sum(c.tokens_in or 0 for c in calls),
        "tokens_out": sum(c.tokens_out or 0 for c in calls),
        "cost": None if not costs or None in costs else sum(c or 0 for c in costs),
        "latency_ms": sum(c.latency_ms for c in calls),
        "first_ms": calls[0].first_ms if calls else None,
        "attempts": sum(c.attempts for c in result.calls),
        "scores": [
            {"measure": name, "score": score.value, "why": score.why}
            for name, score in (result.scores.items() if scored else ())
        ],
        "total": result.total if scored else None,
        "steps": [
            {"step": c.step, "text": c.text, "cost": c.cost}
            for c in result.calls
            if c.part == ANSWER and c.step is not None and c.tokens_out is not None
        ],
        "turns": [{"role": t.role, "content": t.text} for t in result.turns],
    }
