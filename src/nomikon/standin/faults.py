"""Misbehaviour on request: shares of calls that fail in a named way."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

from nomikon.standin.words import chance

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
)


@dataclass(frozen=True)
class Fault:
    """One kind of fault: which share of a model's calls it hits, and its details."""

    kind: str
    share: float
    model: str = "*"
    retry_after_s: float | None = None
    delay_ms: float = 0.0


class FaultPlan:
    """Decides call by call, from a count of its own, whether and how to misbehave."""

    def __init__(self, faults: list[Fault] | None = None, *, seed: int = 0) -> None:
        self.faults = faults or []
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


def read_faults(path: Path) -> FaultPlan:
    """A fault plan from a JSON file: {"seed": 0, "faults": [{"kind", "share", …}]}.

    Raises ValueError naming what is wrong.
    """
    document = json.loads(path.read_text(encoding="utf-8"))
    faults = []
    for row in document.get("faults", []):
        if row.get("kind") not in KINDS:
            raise ValueError(f"unknown fault {row.get('kind')!r}; known are {', '.join(KINDS)}")
        if not 0 <= float(row.get("share", -1)) <= 1:
            raise ValueError(f"the share of {row['kind']} must lie between 0 and 1")
        faults.append(Fault(**row))
    return FaultPlan(faults, seed=int(document.get("seed", 0)))
