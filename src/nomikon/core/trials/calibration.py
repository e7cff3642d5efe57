"""Learning from the token counts a model reports how far estimates are off."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

# Older calls count less once there are this many: models and prompts change.
REMEMBERED = 4000.0
# The estimate is trusted as it is until this many calls have been seen.
ENOUGH = 5


@dataclass(frozen=True)
class Calibration:
    """What has been learnt of one model, in one direction (in or out).

    n: calls seen. estimated, reported: sums of tokens. missed: sum of how far
    the calibrated estimate of each call was off, told before it was learnt from.
    """

    n: float = 0.0
    estimated: float = 0.0
    reported: float = 0.0
    missed: float = 0.0

    @property
    def factor(self) -> float:
        """What an estimate is to be multiplied by."""
        if self.n < ENOUGH or self.estimated <= 0:
            return 1.0
        return self.reported / self.estimated

    @property
    def error(self) -> float | None:
        """Mean share by which estimates of single calls were off; None while too few are known."""
        if self.n < ENOUGH or self.reported <= 0:
            return None
        return self.missed / self.reported

    def learn(self, pairs: Iterable[tuple[float, float]]) -> Calibration:
        """With more calls: pairs of (estimated, reported) tokens, in the order they came."""
        now = self
        for estimated, reported in pairs:
            keep = 1.0 if now.n < REMEMBERED else (REMEMBERED - 1) / REMEMBERED
            now = replace(
                now,
                n=now.n * keep + 1,
                estimated=now.estimated * keep + estimated,
                reported=now.reported * keep + reported,
                missed=now.missed * keep + abs(estimated * now.factor - reported),
            )
        return now

    def calibrated(self, tokens: float) -> int:
        """An estimate set right by what was learnt."""
        return round(tokens * self.factor)


UNLEARNT = Calibration()
