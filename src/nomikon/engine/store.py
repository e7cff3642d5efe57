"""What the engine needs of whoever keeps its results; the server implements it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from nomikon.engine.units import CellKey, StoredAnswer, TrialSpec, UnitResult


class TrialStore(Protocol):
    """Storage for one trial. Called from one thread at a time; only the coordinator writes."""

    def load(self) -> TrialSpec:
        """The trial as it was planned."""

    def done(self) -> set[CellKey]:
        """Keys of the outputs already stored."""

    def known(self, keys: Sequence[str]) -> dict[str, StoredAnswer]:
        """Answers had before to these requests, by key; failures are never among them."""

    def save(self, results: Sequence[UnitResult]) -> None:
        """Store results and announce them, in one transaction; what is stored already stays."""

    def cancelled(self) -> bool:
        """Whether somebody asked to stop."""

    def finish(self, state: str) -> None:
        """Record that the trial ended: complete, cancelled or paused."""
