"""Working against held-out gain: was a version tuned too closely to the cases it was made on?"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomikon.core.stats.resampling import resampled_means

TOO_CLOSELY, NOT_TOO_CLOSELY, CANNOT_TELL = "too closely", "not too closely", "cannot tell"


@dataclass(frozen=True)
class Gap:
    """gap = working − held-out gain with its interval; reading in one of three words.

    Figures are None where a set has fewer than two cases; why_null says so.
    """

    working: float | None
    held_out: float | None
    gap: float | None
    low: float | None
    high: float | None
    reading: str
    why_null: str | None = None


def gap_of_gains(
    working: NDArray[np.float64],
    held_out: NDArray[np.float64],
    *,
    seed: int = 0,
    n_resamples: int = 10_000,
    level: float = 0.95,
) -> Gap:
    """The gain on working cases less the gain on held-out ones.

    working, held_out: shapes (n,) and (m,), child − parent per case. Both sets are
    resampled on their own; the interval is the middle `level` of the differences of
    their means (percentile bootstrap of two independent samples, Efron and Tibshirani
    1993, chapter 8). Above zero it reads *too closely*, below *not too closely*, and
    where it spans zero nothing can be told.
    """
    means = [float(x.mean()) if x.size else None for x in (working, held_out)]
    if working.size < 2 or held_out.size < 2:
        why = "fewer than two cases on one side: nothing can be resampled"
        return Gap(means[0], means[1], None, None, None, CANNOT_TELL, why)
    drawn = [
        resampled_means(x[:, None], n_resamples=n_resamples, seed=seed + place)[:, 0]
        for place, x in enumerate((working, held_out))
    ]
    share = (1 - level) / 2
    low, high = np.quantile(drawn[0] - drawn[1], [share, 1 - share]).tolist()
    reading = TOO_CLOSELY if low > 0 else NOT_TOO_CLOSELY if high < 0 else CANNOT_TELL
    gap = float(working.mean() - held_out.mean())
    return Gap(means[0], means[1], gap, float(low), float(high), reading)
