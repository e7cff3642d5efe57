"""Trust by simulation: false winners among equal arms, and how often intervals hold the truth.

What fails is printed as it is: an honest 91 % is worth more than a tuned 95 %.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.compare import compare
from nomikon.core.stats.means import ScoreRow
from nomikon.core.stats.words import TEST_LEVEL

RUNS, RESAMPLES = 400, 1_000
SIZES = (20, 60, 200, 500)
Draw = Callable[[np.random.Generator, int], NDArray[np.float64]]


def _graded(rng: np.random.Generator, n: int) -> NDArray[np.float64]:
    """Graded scores of two equal arms that share the difficulty of a case, rounded to tenths."""
    case = rng.beta(4, 2, (n, 1))
    return np.round(np.clip(case + rng.normal(0, 0.15, (n, 2)), 0, 1), 1)


def _passing(rate: float) -> Draw:
    def draw(rng: np.random.Generator, n: int) -> NDArray[np.float64]:
        # Half of what passes is the case's doing, the rest each arm's own.
        shared = rng.random((n, 1)) < 0.5
        own = rng.random((n, 2)) < rate
        return np.where(shared, (rng.random((n, 1)) < rate), own).astype(float)

    return draw


KINDS: dict[str, tuple[Draw, float | None]] = {
    "graded": (_graded, None),
    "pass rate 0.03": (_passing(0.03), 0.03),
    "pass rate 0.5": (_passing(0.5), 0.5),
    "pass rate 0.97": (_passing(0.97), 0.97),
}


def measure() -> list[dict[str, Any]]:
    """A row for false winners and coverage of each kind of score; two Monte Carlo errors stand beside."""
    return [row for kind, (draw, truth) in KINDS.items() for row in _of(kind, draw, truth)]


def _of(kind: str, draw: Draw, truth: float | None) -> Iterator[dict[str, Any]]:
    if truth is None:
        truth = float(draw(np.random.default_rng(99), 400_000).mean())
    rng = np.random.default_rng(0)
    winners: dict[int, float] = {}
    arms: dict[int, float] = {}
    differences: dict[int, float] = {}
    for n in SIZES:
        false = held = zero = 0
        for run in range(RUNS):
            scores = draw(rng, n)
            rows = [
                ScoreRow(arm, str(c), 0, float(scores[c, i]))
                for i, arm in enumerate("ab")
                for c in range(n)
            ]
            found = compare(rows, against="b", seed=run, n_resamples=RESAMPLES)
            pair, arm = found.comparisons[0], found.arms[0]
            assert None not in (pair.p_holm, pair.low, pair.high, arm.low, arm.high)
            false += pair.p_holm <= TEST_LEVEL  # type: ignore[operator]
            zero += pair.low <= 0 <= pair.high  # type: ignore[operator]
            held += arm.low - 1e-9 <= truth <= arm.high + 1e-9  # type: ignore[operator]
        winners[n], arms[n], differences[n] = false / RUNS, held / RUNS, zero / RUNS
    wide = 2 * (0.05 * 0.95 / RUNS) ** 0.5
    for what, found_by, goal in (
        ("false winners of two equal arms", winners, f"at most 5 % (± {wide:.1%})"),
        ("interval of an arm holds the truth", arms, f"93 to 97 % (± {wide:.1%})"),
        ("interval of a difference holds 0", differences, f"at least 93 % (± {wide:.1%})"),
    ):
        worst = max(found_by.values()) if found_by is winners else min(found_by.values())
        yield {
            "what": f"{what}, {kind}, {'/'.join(map(str, SIZES))} cases",
            "ours": " / ".join(f"{v:.1%}" for v in found_by.values()),
            "floor": "5 %" if found_by is winners else "95 %",
            "ratio": worst / (0.05 if found_by is winners else 0.95),
            "goal": goal,
        }
