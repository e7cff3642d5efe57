"""Clause weights by simulation: as precise as leaving out one at a time, in how many calls.

What it assumes is printed: twelve clauses whose weights differ from case to case, answers that
pass or fail, and, for the second part, two clauses of which one alone is as good as both.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.clause_weights import NOTHING, REDUNDANT, clause_weights
from nomikon.core.stats.intervals import difference_interval
from nomikon.core.stats.resampling import resampled_means
from nomikon.core.stats.screening import screening_rows
from nomikon.core.stats.signflip import sign_flip

WEIGHTS = np.array([0.15, 0.12, 0.1, 0.1, 0.08, 0.05, 0, 0, 0, 0, -0.05, 0])
PAIR, LOST_TOGETHER = (6, 7), 0.3
TRIALS, CASES, PAIR_CASES, PAIR_TRIALS = 400, 40, 100, 60
MARGIN = 0.05
Rows = list[frozenset[int]]


def measure() -> list[dict[str, Any]]:
    """Both designs estimate the same weights; calls are set to the same variance."""
    n = len(WEIGHTS)
    screening = screening_rows(n)
    one_by_one: Rows = [frozenset(), *(frozenset([u]) for u in range(n))]
    rng = np.random.default_rng(0)
    ours = np.array([_estimates(screening, _draw(rng, screening)) for _ in range(TRIALS)])
    theirs = np.array([_estimates(one_by_one, _draw(rng, one_by_one)) for _ in range(TRIALS)])
    # Variance falls as one over the cases, so calls at one variance compare as calls × variance.
    ratio = ours.var(axis=0).mean() * len(screening) / (theirs.var(axis=0).mean() * len(one_by_one))
    bias = float(np.abs(ours.mean(axis=0) - WEIGHTS).max())
    held = named = false = struck = 0
    for run in range(PAIR_TRIALS):
        alone = clause_weights(
            screening, _draw(rng, screening, PAIR_CASES), n, n_resamples=1_000, seed=run
        )
        low, high = (np.array([getattr(w, k) for w in alone.weights]) for k in ("low", "high"))
        held += int(((low <= WEIGHTS) & (high >= WEIGHTS)).sum())
        false += bool(alone.pairs)
        paired = clause_weights(
            screening, _draw(rng, screening, PAIR_CASES, True), n, n_resamples=1_000, seed=run
        )
        found = any(PAIR in p.candidates and p.kind == REDUNDANT for p in paired.pairs)
        named += found
        idle = frozenset(w.unit for w in paired.weights if w.verdict == NOTHING)
        # What seems to do nothing is struck together and tested on fresh answers.
        both = _draw(rng, [frozenset(), idle], PAIR_CASES, True)
        differences = both[:, 1] - both[:, 0]
        drawn = resampled_means(differences[:, None], n_resamples=1_000, seed=run)[:, 0]
        p = sign_flip(differences, n_resamples=1_000, seed=run).p
        apart = difference_interval(differences, drawn, p)
        struck += set(PAIR) <= idle and apart.low > -MARGIN
    error = 2 * (0.05 * 0.95 / PAIR_TRIALS) ** 0.5
    return [
        {
            "what": f"calls for the same precision, {n} clauses, against one at a time",
            "ours": f"{ratio:.0%}",
            "floor": "100 %",
            "ratio": ratio,
            "goal": "clearly fewer",
        },
        {
            "what": f"largest bias of a weight over {TRIALS} trials of {CASES} cases",
            "ours": f"{bias:.3f}",
            "floor": "0",
            "ratio": bias,
            "goal": "0 within simulation error",
        },
        {
            "what": f"intervals that hold the true weight, {PAIR_CASES} cases",
            "ours": f"{held / (PAIR_TRIALS * n):.1%}",
            "floor": "95 %",
            "ratio": held / (PAIR_TRIALS * n),
            "goal": f"93 to 97 % (± {error:.1%})",
        },
        {
            "what": f"redundant pair ({LOST_TOGETHER} lost together) found by the screening",
            "ours": f"{named / PAIR_TRIALS:.0%}",
            "floor": "100 %",
            "ratio": named / PAIR_TRIALS,
            "goal": "the strike test catches the rest",
        },
        {
            "what": "that pair struck together as no worse, after the strike test",
            "ours": f"{struck / PAIR_TRIALS:.1%}",
            "floor": "0 %",
            "ratio": struck / PAIR_TRIALS,
            "goal": "at most 2.5 %",
        },
        {
            "what": "a pair named where there is none",
            "ours": f"{false / PAIR_TRIALS:.1%}",
            "floor": "0 %",
            "ratio": false / PAIR_TRIALS,
            "goal": f"at most 5 % (± {error:.1%})",
        },
    ]


def _draw(
    rng: np.random.Generator, rows: Rows, cases: int = CASES, pair: bool = False
) -> NDArray[np.float64]:
    out = np.array([[u in row for u in range(len(WEIGHTS))] for row in rows], dtype=float)
    by_case = rng.normal(0, 0.1, (cases, len(WEIGHTS))) * (WEIGHTS != 0)
    means = 0.8 - out @ WEIGHTS - LOST_TOGETHER * pair * out[:, PAIR[0]] * out[:, PAIR[1]]
    chance = means + rng.normal(0, 0.1, (cases, 1)) - by_case @ out.T
    return (rng.random(chance.shape) < np.clip(chance, 0, 1)).astype(float)


def _estimates(rows: Rows, scores: NDArray[np.float64]) -> NDArray[np.float64]:
    out = np.array([[u in row for u in range(len(WEIGHTS))] for row in rows], dtype=float)
    design = np.column_stack([np.ones(len(rows)), -out])
    found: NDArray[np.float64] = (scores @ np.linalg.pinv(design).T).mean(axis=0)[1:]
    return found
