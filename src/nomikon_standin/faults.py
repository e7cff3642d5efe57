"""Misbehaviour on request: shares of calls that fail, are slow or cut, and limits that hold."""

from __future__ import annotations

import json
import math
from collections import deque
from dataclasses import dataclass, field, fields
from pathlib import Path
from statistics import NormalDist
from typing import Any

from nomikon_standin.habits import HABITS
from nomikon_standin.words import chance

KINDS = (
    "http-429",
    "http-500",
    "http-503",
    "drop-connection",
    "drop-stream",
    "malformed",
    "wrong-type",
    "no-answer",
    "no-usage",
    "truncate",
    "break-off",
    "slow",
    "reasoning-field",
    *(f"habit-{name}" for name in HABITS),
)
# These answer all the same.
ANSWERING = (
    "no-usage",
    "truncate",
    "break-off",
    "slow",
    "reasoning-field",
    *(f"habit-{name}" for name in HABITS),
)
DISTRIBUTIONS = {
    "constant": ("ms",),
    "uniform": ("low_ms", "high_ms"),
    "exponential": ("mean_ms",),
    "lognormal": ("median_ms", "sigma"),
}


@dataclass(frozen=True)
class Delay:
    """How long a call is kept waiting, in milliseconds, drawn from a distribution."""

    distribution: str
    parameters: tuple[float, ...]

    def drawn(self, roll: float) -> float:
        """The delay for a number from 0 to 1."""
        p = self.parameters
        if self.distribution == "constant":
            return p[0]
        if self.distribution == "uniform":
            return p[0] + roll * (p[1] - p[0])
        inner = min(max(roll, 1e-9), 1 - 1e-9)
        if self.distribution == "exponential":
            return -p[0] * math.log(1 - inner)
        return p[0] * math.exp(p[1] * NormalDist().inv_cdf(inner))


@dataclass(frozen=True)
class Fault:
    """One kind of fault: which share of a model's calls it hits, and its details."""

    kind: str
    share: float
    model: str = "*"
    retry_after_s: float | None = None
    delay_ms: float = 0.0
    delay: Delay | None = None


@dataclass
class Limit:
    """What a model lets through; calls above it get 429. It never forgets a breach."""

    requests_per_minute: float | None = None
    concurrency: int | None = None
    refused: int = 0
    _passed: deque[float] = field(default_factory=deque)

    def retry_after_s(self, at_once: int, now: float) -> float | None:
        """None when the call may pass; else seconds until the next may."""
        if self.concurrency is not None and at_once > self.concurrency:
            self.refused += 1
            return 0.2
        if self.requests_per_minute is not None:
            while self._passed and self._passed[0] <= now - 60:
                self._passed.popleft()
            if len(self._passed) >= self.requests_per_minute:
                self.refused += 1
                return self._passed[0] + 60 - now
        self._passed.append(now)
        return None


class FaultPlan:
    """Decides call by call, from a count of its own, whether and how to misbehave."""

    def __init__(
        self,
        faults: list[Fault] | None = None,
        *,
        seed: int = 0,
        limits: dict[str, Limit] | None = None,
    ) -> None:
        self.faults = faults or []
        self.limits = limits or {}
        self.seed = seed
        self._count = 0

    def next_for(self, model: str) -> Fault | None:
        """The fault the next call of a model meets, or None."""
        self._count += 1
        roll, reached = chance("fault", self.seed, self._count), 0.0
        for fault in self.faults:
            if fault.model in ("*", model):
                reached += fault.share
                if roll < reached:
                    return fault
        return None

    def delay_ms(self, fault: Fault) -> float:
        """How long this call of the fault is kept waiting."""
        if fault.delay is None:
            return fault.delay_ms
        return fault.delay_ms + fault.delay.drawn(chance("delay", self.seed, self._count))


def read_faults(path: Path) -> FaultPlan:
    """A fault plan from a JSON file.

    {"seed": 0, "faults": [{"kind", "share", "model", "retry_after_s", "delay_ms",
    "delay": {"distribution", …}}], "limits": {"<model>": {"requests_per_minute",
    "concurrency"}}}. Raises ValueError naming what is wrong.
    """
    document = json.loads(path.read_text(encoding="utf-8"))
    if not isinstance(document, dict):
        raise ValueError("a fault plan is a JSON object")
    known = {"seed", "faults", "limits"}
    if unknown := set(document) - known:
        raise ValueError(f"unknown entry {min(unknown)!r}; known are {', '.join(sorted(known))}")
    faults = [_fault(row) for row in document.get("faults", [])]
    limits = {model: _limit(model, row) for model, row in document.get("limits", {}).items()}
    return FaultPlan(faults, seed=int(document.get("seed", 0)), limits=limits)


def _fault(row: dict[str, Any]) -> Fault:
    if row.get("kind") not in KINDS:
        raise ValueError(f"unknown fault {row.get('kind')!r}; known are {', '.join(KINDS)}")
    if not 0 <= float(row.get("share", -1)) <= 1:
        raise ValueError(f"the share of {row['kind']} must lie between 0 and 1")
    names = {f.name for f in fields(Fault)}
    if unknown := set(row) - names:
        raise ValueError(
            f"{row['kind']} has no {min(unknown)!r}; it has {', '.join(sorted(names))}"
        )
    delay = row.get("delay")
    return Fault(**{**row, "delay": None if delay is None else _delay(delay)})


def _delay(row: dict[str, Any]) -> Delay:
    kind = row.get("distribution")
    if kind not in DISTRIBUTIONS:
        raise ValueError(
            f"unknown distribution {kind!r}; known are {', '.join(sorted(DISTRIBUTIONS))}"
        )
    values = []
    for name in DISTRIBUTIONS[kind]:
        value = row.get(name)
        if isinstance(value, bool) or not isinstance(value, (int, float)) or value < 0:
            raise ValueError(f"{kind} needs {name}, a number from 0")
        values.append(float(value))
    return Delay(kind, tuple(values))


def _limit(model: str, row: dict[str, Any]) -> Limit:
    allowed = ("requests_per_minute", "concurrency")
    for name, value in row.items():
        if name not in allowed:
            raise ValueError(f"a limit has no {name!r}; it has {', '.join(allowed)}")
        if isinstance(value, bool) or not isinstance(value, (int, float)) or value <= 0:
            raise ValueError(f"{name} of {model} must be above 0")
    return Limit(**row)
