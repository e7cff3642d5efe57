"""Streamed calls at zero model latency, stored and scored, beside a bare client loop."""

from __future__ import annotations

import asyncio
import json
import time
from typing import Any

import aiohttp
import uvloop

from bench import setting_up
from nomikon.core.prompts import Message
from nomikon.models.protocols.chat import ChatCompletions

CALLS, CONCURRENCY = 5000, 64


def measure() -> list[dict[str, Any]]:
    """Calls per second of a whole trial, and of the bare loop against the same server."""
    with setting_up.fixed_server() as base:
        trial = setting_up.make_trial(base, CALLS, concurrency=CONCURRENCY)
        floor = uvloop.run(_bare(base))
        ours = CALLS / setting_up.run_worker()
        setting_up.check_complete(trial)
    return [
        {
            "what": f"dispatch of {CALLS} streamed calls, stored and scored",
            "ours": f"{ours:.0f} per s",
            "floor": f"{floor:.0f} per s",
            "ratio": ours / floor,
            "goal": "at least 0.6",
        }
    ]


async def _bare(base: str) -> float:
    """The floor: identical requests, every event parsed, nothing kept."""
    bodies = [
        ChatCompletions().body("fixed", [Message("user", f"Is sea {i} wet?")], {}, seed=0)
        for i in range(CALLS)
    ]
    places = asyncio.Semaphore(CONCURRENCY)
    connector = aiohttp.TCPConnector(limit=0)
    async with aiohttp.ClientSession(connector=connector) as session:

        async def one(body: dict[str, Any]) -> None:
            async with places, session.post(f"{base}/chat/completions", json=body) as response:
                async for line in response.content:
                    if line.startswith(b"data:") and b"[DONE]" not in line:
                        json.loads(line[5:])

        began = time.perf_counter()
        await asyncio.gather(*[one(b) for b in bodies])
        return CALLS / (time.perf_counter() - began)
