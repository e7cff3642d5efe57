"""The race of a trial's arms: when a look is due, and who leaves at it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from nomikon.core.trials import case_order
from nomikon.core.trials.racing import look_points, losers
from nomikon.engine.units import CellKey, TrialSpec


@dataclass(frozen=True)
class Left:
    """An arm that left a race: after how many cases, beaten by which arm, with which p."""

    arm: str
    cases: int
    against: str
    p: float


class Race:
    """Follows what comes in. Looks are made case by case in the trial's own order.

    done: outputs stored before. A look that was due before a kill is not made up
    for: the next one sees all that it would have seen.
    """

    def __init__(self, spec: TrialSpec, done: Iterable[CellKey]) -> None:
        self._spec = spec
        order = case_order([c.stratum for c in spec.cases], seed=spec.seed)
        self._order = [spec.cases[place].key for place in order]
        self._points = list(look_points(len(self._order)))
        # An arm that shows a case as a worked example has seen its answer.
        self._shown = spec.examples
        self._done = set(done)
        self._complete = 0
        self.left: set[str] = set()

    @property
    def running(self) -> list[str]:
        """Arms that are still in, in the trial's order."""
        return [a.key for a in self._spec.arms if a.key not in self.left]

    def came_in(self, keys: Iterable[CellKey]) -> list[str] | None:
        """Take note of outputs; the cases to look at where a look is due, else None."""
        self._done.update(keys)
        while self._complete < len(self._order) and self._whole(self._order[self._complete]):
            self._complete += 1
        due = [p for p in self._points if p <= self._complete]
        if not due:
            return None
        self._points = self._points[len(due) :]
        return self._order[: due[-1]]

    def _whole(self, case: str) -> bool:
        repeats = range(self._spec.repeats)
        return all((arm, case, n) in self._done for arm in self.running for n in repeats)

    def look(self, cases: list[str], totals: Mapping[CellKey, float | None]) -> list[Left]:
        """Who leaves, from the totals of these cases.

        A case with a missing total is left out, and so is one that an arm shows as an example.
        """
        running, repeats = self.running, range(self._spec.repeats)
        rows = []
        for case in cases:
            if case in self._shown:
                continue
            cells = [[totals.get((arm, case, n)) for n in repeats] for arm in running]
            known = [[v for v in row if v is not None] for row in cells]
            if all(len(row) == len(repeats) for row in known):
                rows.append([sum(row) / len(row) for row in known])
        table = np.array(rows, dtype=np.float64).reshape(len(rows), len(running))
        n_arms = self._spec.racing or len(running)
        held = self._spec.reference
        place = running.index(held) if held in running else None
        gone = losers(table, n_arms, seed=self._spec.seed, reference=place)
        found = [Left(running[d.arm], len(rows), running[d.against], d.p) for d in gone]
        self.left.update(f.arm for f in found)
        return found
