"""Racing by simulation: what it saves, how often it ends with the same winner, how often it errs.

The spread of arms is what it assumes, so it is printed: equal arms cannot save calls.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from nomikon.core.trials.racing import look_points, losers

TRIALS, CASES = 300, 200
# Eight arms, the best at 0.85 and the others 0.08 apart from each other, down to 0.29.
MEANS = [0.85 - 0.08 * i for i in range(8)]


def measure() -> list[dict[str, Any]]:
    """Pass-or-fail scores with a difficulty that the arms of a case share."""
    rng = np.random.default_rng(0)
    calls = same = wrong = 0
    for _ in range(TRIALS):
        hard = rng.normal(0, 0.15, (CASES, 1))
        scores = (rng.random((CASES, 8)) < np.clip(np.array(MEANS) + hard, 0, 1)).astype(float)
        order = rng.permutation(8)
        asked, left = _race(scores[:, order])
        calls += asked
        winner = left[int(np.argmax(scores[:, order][:, left].mean(axis=0)))]
        same += order[winner] == int(np.argmax(scores.mean(axis=0)))
        wrong += 0 not in order[left]
    error = 2 * (0.05 * 0.95 / TRIALS) ** 0.5
    whole = TRIALS * CASES * len(MEANS)
    return [
        {
            "what": f"share of the calls a race asks for, 8 arms 0.08 apart, {CASES} cases",
            "ours": f"{calls / whole:.0%}",
            "floor": "100 %",
            "ratio": calls / whole,
            "goal": "at most 55 %",
        },
        {
            "what": f"the same winner as without a race, {TRIALS} simulated trials",
            "ours": f"{same / TRIALS:.1%}",
            "floor": "100 %",
            "ratio": same / TRIALS,
            "goal": f"at least 95 % (± {error:.1%})",
        },
        {
            "what": "the truly best arm dropped",
            "ours": f"{wrong / TRIALS:.1%}",
            "floor": "0 %",
            "ratio": wrong / TRIALS,
            "goal": f"at most 5 % (± {error:.1%})",
        },
    ]


def _race(scores: np.ndarray) -> tuple[int, list[int]]:
    """Calls asked for and the arms that are left; scores: shape (cases, arms)."""
    left = list(range(scores.shape[1]))
    asked = former = 0
    for point in [*look_points(len(scores)), len(scores)]:
        asked += (point - former) * len(left)
        former = point
        if point < len(scores):
            gone = {d.arm for d in losers(scores[:point, left], scores.shape[1])}
            left = [arm for place, arm in enumerate(left) if place not in gone]
    return asked, left
