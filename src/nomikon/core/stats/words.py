"""A comparison in plain words, made from its figures by rule and never by a model."""

from __future__ import annotations

from nomikon.core.stats.compare import PairComparison
from nomikon.core.stats.signflip import TIE
from nomikon.core.stats.sources import FEWEST_SOURCES

# The verdict on a trial tests at 0.04; the last hundredth is kept for later extensions of it.
TEST_LEVEL, EXTENSIONS_LEVEL = 0.04, 0.01


def level_after(extensions: int) -> float:
    """What a trial tests at whose arms were looked at so often before, by extensions or other trials.

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
    cases = "case" if found.wins == 1 else "cases"
    tally = f"It won {found.wins} {cases}, lost {found.losses}, and {found.ties} came out alike."
    tally += _related(found)
    if not complete:
        span = f"between {_signed(found.low)} and {_signed(found.high)}"
        return (
            f"So far {a} scores {size} than {b}, {span}. The trial is not complete, so this decides "
            "nothing."
        )
    if abs(found.difference) < TIE:
        return f"{a} and {b} score the same on these cases. {tally}"
    low, high = held_interval(found)
    sure = found.level_used or 0.95
    span = f"between {_signed(low)} and {_signed(high)} at {percent(sure)}"
    p = f"p {p_in_words(found.p_holm, level)} after correction, held to {level:g}"
    if level != TEST_LEVEL:
        p += " as these arms were looked at before"
    parts = low <= 0 <= high
    if found.p_holm is not None and found.p_holm <= level:
        answer = "Yes" if found.difference > 0 else "No"
        ahead = a if found.difference > 0 else b
        told = f"{answer}: {a} scores {size} than {b}, {span} ({p})"
        told += _unless(found, ahead) + ". "
        if parts:
            told += "The test decides this; the interval, had by resampling, just reaches 0. "
        return told + tally
    decides = (
        ""
        if parts
        else " The test decides this, though the interval, had by resampling, leaves out 0."
    )
    return (
        f"Cannot tell: {a} scores {size} than {b}, {span} ({p}), which chance alone explains well "
        f"enough.{decides} {tally}"
    )


def told_in_short(
    found: PairComparison | None,
    a: str,
    b: str,
    *,
    complete: bool,
    margin: float,
    level: float = TEST_LEVEL,
) -> str:
    """The difference and how far off it may be, for who does not read tests; then what to do.

    margin: the scorecard's, within which an arm counts as no worse. level: what is tested at. The
    same decision as `verdict_in_words`, without its figures of the test.
    """
    if found is None or found.difference is None or found.low is None or found.high is None:
        return verdict_in_words(found, a, b, complete=complete, level=level)
    size = f"{abs(found.difference):.3f} {'lower' if found.difference < 0 else 'higher'} than {b}"
    if abs(found.difference) < TIE:
        size = f"the same as {b}"
    low, high = held_interval(found) if complete else (found.low, found.high)
    told = f"{a} scores {size}; the truth may lie anywhere from {_from_to(low, high)}."
    if not complete:
        return f"So far {told} The trial is not complete, so this decides nothing."
    if found.p_holm is not None and found.p_holm <= level:
        return f"{told} {'Take' if found.difference > 0 else 'Leave'} {a}."
    kept = f"Keep {b} unless something else speaks for {a}."
    if no_worse(found, margin):
        return f"{told} It is no worse by more than the margin, {margin:g}. {kept}"
    return f"{told} {kept}"


def _from_to(low: float, high: float) -> str:
    """Both ends of a difference in words, the direction said once where it is one.

    >>> _from_to(-0.021, 0.033), _from_to(0.01, 0.05)
    ('0.021 lower to 0.033 higher', '0.010 to 0.050 higher')
    """
    if low >= 0:
        return f"{low:.3f} to {high:.3f} higher"
    if high <= 0:
        return f"{-high:.3f} to {-low:.3f} lower"
    return f"{-low:.3f} lower to {high:.3f} higher"


def held_interval(found: PairComparison) -> tuple[float, float]:
    """The interval that goes with the decision; of an estimate, its own."""
    assert found.low is not None and found.high is not None
    if found.held_low is None or found.held_high is None:
        return found.low, found.high
    return found.held_low, found.held_high


def _unless(found: PairComparison, ahead: str) -> str:
    """What rare losses could undo, where so many would not have been seen."""
    x, y = found.undone_by, found.unseen_loss
    if x is None or y is None or y < x:
        return ""
    return (
        f", unless {ahead} loses more than {percent(x)} of answers whole where the other does not; "
        f"up to {percent(y)} would not have been seen"
    )


def _related(found: PairComparison) -> str:
    if found.n_sources is None or found.effective_cases is None:
        return ""
    told = (
        f" {found.n_cases} cases from {found.n_sources} sources count as about "
        f"{found.effective_cases:.0f}."
    )
    if found.n_sources < FEWEST_SOURCES:
        told += f" With fewer than {FEWEST_SOURCES} sources no test can reach 0.05."
    return told


def unseen_in_words(n_lost: int, n_cases: int, unseen: float | None) -> str:
    """What an arm's cases say of rare answers that are lost whole; "" where enough were seen.

    >>> unseen_in_words(0, 40, 0.0722)
    'None of 40 cases was lost whole: up to 7.2 % could be and not have been seen.'
    """
    if unseen is None:
        return ""
    seen = "None" if n_lost == 0 else "One" if n_lost == 1 else "Two"
    was = "were" if n_lost == 2 else "was"
    more = "" if n_lost == 0 else " in truth"
    return (
        f"{seen} of {n_cases} cases {was} lost whole: up to {percent(unseen)} could be{more} and not "
        "have been seen."
    )


def no_worse(found: PairComparison, margin: float) -> bool:
    """Non-inferiority: the lower end of the interval lies above minus the margin."""
    return found.low is not None and found.low > -margin


def no_worse_in_words(found: PairComparison, margin: float, a: str, b: str) -> str:
    """Whether an arm is no worse than another within the scorecard's margin."""
    if found.low is None:
        return "There is no interval to tell it by."
    if not no_worse(found, margin):
        return (
            f"Not shown: by the interval {a} may be {_size(-found.low)} below {b}, more than the "
            "margin allows."
        )
    if found.low > 0:
        told = f"Yes: {a} is at least {_size(found.low)} ahead of {b} by the interval"
    elif -found.low < TIE:
        told = f"Yes: {a} is not below {b} by the interval"
    else:
        told = f"Yes: {a} is at most {_size(-found.low)} below {b} by the interval, less than the margin"
    return told + _unless_worse(found, margin, a) + "."


def _unless_worse(found: PairComparison, margin: float, a: str) -> str:
    if not found.undone_by or not found.difference or found.difference < 0:
        return ""
    mean = found.difference / found.undone_by
    x, y = ((found.low or 0.0) + margin) / mean, found.unseen_loss
    if y is None or y < x:
        return ""
    return (
        f", unless {a} loses more than {percent(x)} of answers whole where the other does not; up "
        f"to {percent(y)} would not have been seen"
    )


def p_in_words(p: float | None, level: float | None = None) -> str:
    """A p-value with no more digits than it can bear, and enough to see on which side of level it is.

    >>> p_in_words(0.00004), p_in_words(0.0312), p_in_words(0.04004, 0.04)
    ('<0.001', '0.031', '0.04004')
    """
    if p is None:
        return "unknown"
    if p < 0.001 and (level is None or level >= 0.001):
        return "<0.001"
    digits = 3
    while level is not None and digits < 8 and (float(f"{p:.{digits}f}") <= level) != (p <= level):
        digits += 1
    return f"{p:.{digits}f}"


def percent(share: float) -> str:
    """A share in percent, with as many digits as tell it from 0 and 100.

    >>> percent(0.95), percent(0.9867), percent(0.072), percent(0.0004)
    ('95 %', '98.7 %', '7.2 %', '0.04 %')
    """
    value = 100 * share
    digits = 1
    while digits < 6 and round(value, digits) in (0.0, 100.0) and share not in (0.0, 1.0):
        digits += 1
    return f"{round(value, digits):g} %"


def _signed(value: float) -> str:
    return f"{'−' if value < 0 else '+'}{_size(abs(value))}"


def _size(value: float) -> str:
    """Three decimals, more where they would read as nothing."""
    digits = 3
    while 0 < value < 0.5 * 10**-digits and digits < 6:
        digits += 1
    return f"{value:.{digits}f}"
