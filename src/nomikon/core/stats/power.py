"""How many cases a comparison needs."""

from __future__ import annotations

import math

from scipy.special import ndtri

POWER = 0.80
LEVEL = 0.05


def cases_needed(
    s_d: float, difference: float, *, level: float = LEVEL, per_case: float = 1.0
) -> int | None:
    """Cases for 80 % power, two-sided: ceil(((z at 1 − level ÷ 2 + z0.80) · s_d ÷ difference)²).

    s_d: standard deviation of the paired case differences. difference: what is
    to be found, above 0. level: of the one test, after correction for others. per_case: how many
    cases count as one unrelated one. None where s_d is 0: no number of such cases tells.
    Source: the normal formula, Cohen (1988), section 2.4.

    >>> cases_needed(0.4, 0.05)
    503
    """
    if s_d <= 0 or difference <= 0:
        return None
    z = float(ndtri(1 - level / 2) + ndtri(POWER))
    return max(2, math.ceil((z * s_d / difference) ** 2 * per_case))


def smallest_difference(s_d: float, n_cases: int, *, level: float = LEVEL) -> float:
    """The difference that n_cases find with 80 % power, two-sided at level.

    >>> round(smallest_difference(0.4, 100), 3)
    0.112
    """
    z = float(ndtri(1 - level / 2) + ndtri(POWER))
    return z * s_d / math.sqrt(n_cases)
