"""`nomikon try`: one prompt file on one case against one model, for real."""

from __future__ import annotations

import asyncio
import json
import os
from pathlib import Path
from typing import Any

import click

from nomikon.cli.telling import (
    AMISS,
    FILE,
    Unusable,
    answer_with,
    ask_json,
    read_json,
    read_prompt,
    refuse,
)
from nomikon.core.errors import DomainError
from nomikon.core.prompts import merge_settings
from nomikon.core.prompts.settings import NUMBERS
from nomikon.core.trials.estimates import NANO
from nomikon.engine.run_unit import run_unit
from nomikon.engine.units import ArmSpec, CaseSpec, Unit, UnitResult
from nomikon.models import Connection
from nomikon.models.client import ModelClient
from nomikon.models.protocols import PROTOCOLS
from nomikon.models.types import CHAT_COMPLETIONS

# Nothing is scored here: a card that every answer meets.
_CARD = {"nomikon": "scorecard/1", "measures": [{"measure": "length", "unit": "words", "min": 0}]}


def _setting_options(command: Any) -> Any:
    """One option for every numeric setting: --set-temperature, --set-top-p …"""
    for name, (kind, _, _, help_text) in reversed(NUMBERS.items()):
        flag = "--set-" + name.replace("_", "-")
        command = click.option(flag, f"set_{name}", type=kind, help=help_text)(command)
    return command


@click.command("try")
@click.argument("file", type=FILE)
@click.option("--case", "case_file", type=FILE, help="a flat JSON object of values")
@click.option("--base-url", required=True)
@click.option("--model", required=True)
@click.option("--protocol", type=click.Choice(list(PROTOCOLS)), default=CHAT_COMPLETIONS)
@click.option("--key-env", help="environment variable that holds the key")
@click.option("--price-in", type=float, help="per million tokens")
@click.option("--price-out", type=float, help="per million tokens")
@_setting_options
@ask_json
@click.pass_context
def try_command(
    context: click.Context,
    /,
    file: Path,
    case_file: Path | None,
    base_url: str,
    model: str,
    protocol: str,
    key_env: str | None,
    price_in: float | None,
    price_out: float | None,
    as_json: bool,
    **chosen: Any,
) -> None:
    """Send a prompt file, filled from one case, and show what came back."""
    prompt = read_prompt(file)
    case = {} if case_file is None else read_json(case_file)
    if not isinstance(case, dict):
        refuse(case_file or file, "a case must be a flat JSON object")
    if not base_url.startswith(("http://", "https://")):
        raise Unusable(f"--base-url {base_url!r} must begin with http:// or https://")
    if key_env and not os.environ.get(key_env):
        raise Unusable(f"the environment variable {key_env} is not set")
    override = {name.removeprefix("set_"): value for name, value in chosen.items()}
    try:
        settings = merge_settings(
            prompt.settings, {n: v for n, v in override.items() if v is not None}
        )
    except DomainError as error:
        raise Unusable(error.message) from error
    arm = ArmSpec(
        "try",
        prompt.messages,
        settings,
        model,
        Connection("try", 1, protocol, base_url, key_env),
        None if price_in is None else round(price_in * NANO),
        None if price_out is None else round(price_out * NANO),
    )
    result = asyncio.run(_ask(Unit(arm, CaseSpec("try", case), 0, 0)))
    if result.failure == "unsendable":
        refuse(file, result.why)
    document = _plain(result)
    answer_with(document, as_json, [result.text or result.why])
    if result.outcome != "answered":
        context.exit(AMISS)


async def _ask(unit: Unit) -> UnitResult:
    async with ModelClient(keys=os.environ) as client:
        return await run_unit(unit, client, json.dumps(_CARD))


def _plain(result: UnitResult) -> dict[str, Any]:
    calls = [c for c in result.calls if c.tokens_out is not None]
    costs = [c.cost for c in calls]
    priced = bool(costs) and all(c is not None for c in costs)
    sent = [
        {"call": c.position, "step": c.step, **m}
        for c in result.calls
        for m in c.request.get("messages")
        or [{"role": "user", "content": c.request.get("text_input", "")}]
    ]
    reasons = [
        None if priced else "cost: give --price-in and --price-out",
        None if result.failure is None else f"{result.failure}: {result.why}",
    ]
    return {
        "messages": sent,
        "output": result.text,
        "outcome": result.outcome,
        "why": result.why,
        "suspected": result.suspected,
        "reasoning": result.reasoning,
        "finish_reason": result.finish_reason,
        "tokens_in": sum(c.tokens_in or 0 for c in calls) if calls else None,
        "tokens_out": sum(c.tokens_out or 0 for c in calls) if calls else None,
        "cost": sum(c or 0 for c in costs) / NANO if priced else None,
        "latency_ms": sum(c.latency_ms for c in calls) if calls else None,
        "request": json.loads(json.dumps(result.calls[-1].request)) if result.calls else None,
        "why_null": "; ".join(r for r in reasons if r) or None,
    }
