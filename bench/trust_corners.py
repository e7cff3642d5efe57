"""Trust in the corners: few cases, rare losses, sources, a picked reference, repeats, held-out gaps.

Each row with two Monte Carlo errors; what fails is printed as it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.compare import PAIRS, PairComparison, compare
from nomikon.core.stats.credible import credible_set
from nomikon.core.stats.gap import TOO_CLOSELY, gap_of_gains
from nomikon.core.stats.means import ScoreRow
from nomikon.core.stats.words import TEST_LEVEL, level_after, verdict_in_words

Floats = NDArray[np.float64]
RUNS, RESAMPLES = 300, 500


def measure() -> list[dict[str, Any]]:
    """A row for each corner."""
    return [*_few(), *_rare(), *_sources(), *_picked(), *_gaps(), *_left_out()]


def _row(what: str, found: dict[Any, float], goal: float, most: bool) -> dict[str, Any]:
    wide = 2 * (goal * (1 - goal) / RUNS) ** 0.5
    worst = max(found.values()) if most else min(found.values())
    return {
        "what": f"{what}, {' / '.join(map(str, found))}",
        "ours": " / ".join(f"{v:.1%}" for v in found.values()),
        "floor": f"{goal:.1%}",
        "ratio": worst / goal,
        "goal": f"at {'most' if most else 'least'} {goal:.1%} (± {wide:.1%})",
    }


def _graded(rng: np.random.Generator, n: int, arms: int = 2) -> Floats:
    case = rng.beta(4, 2, (n, 1))
    return np.round(np.clip(case + rng.normal(0, 0.15, (n, arms)), 0, 1), 1)


def _movers(rng: np.random.Generator, n: int) -> Floats:
    base = np.full(n, 0.8)
    return np.column_stack([np.where(rng.random(n) < 0.06, 0.2, base), base])


def _pair(scores: Floats, seed: int, **more: Any) -> PairComparison:
    rows = [
        ScoreRow("abcdefgh"[a], str(c), 0, float(scores[c, a]))
        for a in range(scores.shape[1])
        for c in range(len(scores))
    ]
    found = compare(rows, against="b", seed=seed, n_resamples=RESAMPLES, **more)
    return found.comparisons[0]


def _few() -> Iterator[dict[str, Any]]:
    kinds: dict[str, tuple[Callable[..., Floats], float]] = {
        "graded": (_graded, 0.0),
        "few movers": (_movers, -0.036),
    }
    for kind, (draw, truth) in kinds.items():
        rng = np.random.default_rng(1)
        held: dict[int, float] = {}
        agree: dict[int, float] = {}
        for n in (10, 20, 29):
            inside = apart = 0
            for run in range(RUNS):
                found = _pair(draw(rng, n), run)
                assert found.low is not None and found.high is not None and found.p is not None
                inside += found.low - 1e-9 <= truth <= found.high + 1e-9
                apart += (found.low > 0 or found.high < 0) != (found.p <= 0.05)
            held[n], agree[n] = inside / RUNS, 1 - apart / RUNS
        yield _row(f"interval of a difference, {kind}, cases", held, 0.93, False)
        yield _row(f"interval and test say the same, {kind}, cases", agree, 1.0, False)


def _rare() -> Iterator[dict[str, Any]]:
    rng = np.random.default_rng(2)
    found: dict[int, float] = {}
    for n in (30, 45, 60):
        bare = 0
        for run in range(RUNS):
            base = 0.7 + 0.2 * rng.random(n)
            a = np.where(rng.random(n) < 0.04, 0.0, np.clip(base + 0.05 * rng.random(n), 0, 1))
            told = verdict_in_words(
                _pair(np.column_stack([a, base - 0.0083]), run, alpha=TEST_LEVEL),
                "a",
                "b",
                complete=True,
            )
            bare += told.startswith("Yes") and "unless" not in told
        found[n] = bare / RUNS
    yield _row("yes without unless, equal in truth, 4 % lost whole, cases", found, 0.05, True)


def _sources() -> Iterator[dict[str, Any]]:
    rng = np.random.default_rng(3)
    false = 0
    for run in range(RUNS):
        # Intraclass correlation 0.3 of the differences: 25 sources of four cases.
        common = np.repeat(rng.normal(0, 0.3**0.5, 25), 4)
        apart = 0.1 * (common + rng.normal(0, 0.7**0.5, 100))
        scores = np.clip(np.column_stack([0.5 + apart / 2, 0.5 - apart / 2]), 0, 1)
        own = {str(c): str(c // 4) for c in range(100)}
        p = _pair(scores, run, sources=own).p
        assert p is not None
        false += p <= 0.05
    yield _row("false winners, 100 cases in sources", {25: false / RUNS}, 0.05, True)


def _picked() -> Iterator[dict[str, Any]]:
    rng = np.random.default_rng(4)
    found: dict[str, float] = {}
    wrong = again = 0
    for run in range(RUNS):
        scores = _graded(rng, 40, 6)
        order = np.argsort(scores.mean(axis=0))
        # The worst is named the reference after looking, and the best held against it.
        picked = scores[:, [order[-1], order[0], *order[1:-1]]]
        told = _pair(picked, run, family=PAIRS)
        assert told.p_holm is not None
        wrong += told.p_holm <= 0.05
        levels = [level_after(k) for k in range(4)]
        again += any((_pair(_graded(rng, 40), run).p or 1.0) <= level for level in levels)
    found["picked"], found["asked four times"] = wrong / RUNS, again / RUNS
    yield _row("false winners of equal arms", found, 0.05, True)


def _gaps() -> Iterator[dict[str, Any]]:
    rng = np.random.default_rng(5)
    found: dict[int, float] = {}
    for m in (2, 10, 40, 400):
        called = 0
        for _ in range(RUNS):
            gains = np.where(rng.random(60 + m) < 0.04, -0.8, 0.06 + 0.1 * rng.normal(size=60 + m))
            called += gap_of_gains(gains[:60], gains[60:]).reading == TOO_CLOSELY
        found[m] = called / RUNS
    yield _row("too closely, gains equal, held-out cases", found, 0.025, True)


def _left_out() -> Iterator[dict[str, Any]]:
    rng = np.random.default_rng(6)
    found: dict[str, float] = {}
    for n, arms in ((10, 8), (20, 8), (60, 4)):
        out = sum(
            len(credible_set(_graded(rng, n, arms), seed=run, n_resamples=RESAMPLES).members) < arms
            for run in range(RUNS)
        )
        found[f"{arms} arms × {n}"] = out / RUNS
    yield _row("an equal arm left out of those nobody beats", found, 0.05, True)
