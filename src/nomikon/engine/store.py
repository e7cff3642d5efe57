"""What the engine needs of whoever keeps its results; the server implements it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Protocol

from nomikon.engine.race import Left
from nomikon.engine.units import CellKey, HadOutput, StoredAnswer, TrialSpec, UnitResult

# What a person may ask of a running trial.
STOP, PAUSE = "stop", "pause"


class StoreBusyError(Exception):
    """The store cannot take anything just now (locked, full, read-only); later it may.

    Its text is the reason in plain words.
    """


class TrialStore(Protocol):
    """Storage for one trial. Called from one thread at a time; only the coordinator writes.

    Every method may raise StoreBusyError; it then has changed nothing.
    """

    def load(self) -> TrialSpec:
        """The trial as it was planned."""

    def done(self) -> set[CellKey]:
        """Keys of the outputs already stored."""

    def generations(self) -> Mapping[CellKey, int]:
        """Outputs to be asked for afresh, with the generation to ask in."""

    def unjudged(self) -> Mapping[CellKey, HadOutput]:
        """Stored answers that the scorecard's judges have still to be asked about."""

    def known(self, keys: Sequence[str]) -> dict[str, StoredAnswer]:
        """Answers had before to these requests, by key; failures are never among them."""

    def save(self, results: Sequence[UnitResult]) -> None:
        """Store results and announce them, in one transaction; what is stored already stays.

        A result of an output that was only judged adds its judgements and scores.
        """

    def totals(self, cases: Sequence[str]) -> Mapping[CellKey, float | None]:
        """Totals of the stored outputs of these cases; None for a missing one."""

    def drop(self, left: Sequence[Left]) -> None:
        """Record which arms left the race and why; they are not loaded any more."""

    def asked(self) -> str | None:
        """What somebody asked of the trial meanwhile: STOP, PAUSE or nothing."""

    def finish(self, state: str) -> str:
        """Record that the trial ended: complete, cancelled or paused.

        Returns the state it is in now: a wish that came after the last answer
        changes nothing.
        """
