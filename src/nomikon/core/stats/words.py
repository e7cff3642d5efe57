"""A comparison in plain words, made from its figures by rule and never by a model."""

from __future__ import annotations

from nomikon.core.stats.compare import PairComparison
from nomikon.core.stats.signflip import TIE

# The verdict on a trial tests at 0.04; the last hundredth is kept for later extensions of it.
TEST_LEVEL, EXTENSIONS_LEVEL = 0.04, 0.01


def level_after(extensions: int) -> float:
    """What a trial that was extended so often tests at.

    Extensions share 0.01: the first tests at half of it, each later one at half of that
    before, so that the first verdict and all looks after it together err in at most 0.05.

    >>> [level_after(n) for n in range(3)]
    [0.04, 0.005, 0.0025]
    """
    return TEST_LEVEL if extensions == 0 else EXTENSIONS_LEVEL / 2**extensions


def verdict_in_words(
    found: PairComparison | None, a: str, b: str, *, complete: bool, level: float = TEST_LEVEL
) -> str:
    """Which of two named arms is better, and how sure that is; level: what it is tested at."""
    if found is None or found.difference is None or found.low is None or found.high is None:
        why = found.why_null if found is not None and found.why_null else "no scores yet"
        return f"{a} and {b} cannot be compared: {why}."
    size = f"{abs(found.difference):.3f} {'lower' if found.difference < 0 else 'higher'}"
    span = f"between {_signed(found.low)} and {_signed(found.high)}"
    cases = "case" if found.wins == 1 else "cases"
    tally = f"It won {found.wins} {cases}, lost {found.losses}, and {found.ties} came out alike."
    if not complete:
        return (
            f"So far {a} scores {size} than {b}, {span}. The trial is not complete, so this decides "
            "nothing."
        )
    if abs(found.difference) < TIE:
        return f"{a} and {b} score the same on these cases. {tally}"
    p = f"p {p_in_words(found.p_holm)} after correction"
    if level != TEST_LEVEL:
        p += f", held to {level:g} as the trial was extended"
    if found.p_holm is not None and found.p_holm <= level:
        answer = "Yes" if found.difference > 0 else "No"
        return f"{answer}: {a} scores {size} than {b}, {span} ({p}). {tally}"
    return (
        f"Cannot tell: {a} scores {size} than {b}, {span} ({p}), which chance alone explains well "
        f"enough. {tally}"
    )


def no_worse(found: PairComparison, margin: float) -> bool:
    """Non-inferiority: the lower end of the interval lies above minus the margin."""
    return found.low is not None and found.low > -margin


def no_worse_in_words(found: PairComparison, margin: float, a: str, b: str) -> str:
    """Whether an arm is no worse than another within the scorecard's margin."""
    if found.low is None:
        return "There is no interval to tell it by."
    if no_worse(found, margin):
        least = max(0.0, -found.low)
        return f"Yes: {a} is at most {least:.3f} below {b} by the interval, less than the margin."
    return (
        f"Not shown: by the interval {a} may be {-found.low:.3f} below {b}, more than the margin "
        "allows."
    )


def p_in_words(p: float | None) -> str:
    """A p-value with no more digits than it can bear.

    >>> p_in_words(0.00004), p_in_words(0.0312)
    ('<0.001', '0.031')
    """
    return "unknown" if p is None else "<0.001" if p < 0.001 else f"{p:.3f}"


def _signed(value: float) -> str:
    return f"{'−' if value < 0 else '+'}{abs(value):.3f}"
