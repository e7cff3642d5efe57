"""What an automatic round decides: which faults each candidate answers, which candidate stays."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from nomikon.core.errors import PlanError
from nomikon.core.stats.compare import ArmSummary, PairComparison

MOST_ROUNDS = 10
MOST_CANDIDATES = 4
# Faults of which a candidate is asked to answer some; the commonest come first.
FAULTS_SHOWN = 8
LEVEL = 0.05


def check_rounds(rounds: int, candidates: int, repeats: int) -> None:
    """Raises PlanError, with the field, for numbers that no run of rounds can have."""
    for field, given, most in (
        ("rounds", rounds, MOST_ROUNDS),
        ("candidates", candidates, MOST_CANDIDATES),
        ("repeats", repeats, 10),
    ):
        if not 1 <= given <= most:
            raise PlanError(f"{field} is {given}; allowed is 1 to {most}", field=field)


def deal_faults(n_faults: int, n_candidates: int) -> list[list[int]]:
    """Which faults each candidate answers, as places from 0.

    The first answers all of them; the others share them out one by one, so that
    what one change does can be told from what all do together. Where there are
    fewer faults than candidates, the rest answers all of them again: another
    answer, or another part of it, is another candidate. Always n_candidates lists,
    none where there is no fault.

    >>> deal_faults(3, 2)
    [[0, 1, 2], [0, 1, 2]]
    """
    faults = list(range(min(n_faults, FAULTS_SHOWN)))
    if not faults:
        return []
    others = min(n_candidates - 1, len(faults)) if len(faults) > 1 else 0
    dealt = [faults, *(faults[place::others] for place in range(others) if others > 1)]
    return dealt + [faults] * (n_candidates - len(dealt))


@dataclass(frozen=True)
class Kept:
    """arm: the candidate that takes the parent's place, None where none does; why in words."""

    arm: str | None
    why: str


def best_credible(
    arms: Sequence[ArmSummary],
    against_parent: Sequence[PairComparison],
    *,
    lengths: Mapping[str, int],
    left: Collection[str] = (),
) -> Kept:
    """The candidate with the highest mean among those that beat their parent.

    against_parent: each candidate's paired comparison, difference = candidate −
    parent. One beats it where the difference is above zero and its Holm-adjusted p
    is under 0.05; being ahead is not enough. lengths: tokens of each arm's text; of
    equal ones the shortest is kept. left: arms that left the race, which another
    candidate has beaten.
    """
    means = {a.arm: a.mean for a in arms}
    better = [
        c
        for c in against_parent
        if c.a not in left
        and c.difference is not None
        and c.difference > 0
        and c.p_holm is not None
        and c.p_holm < LEVEL
    ]
    if better:
        best = max(better, key=lambda c: (round(means.get(c.a) or 0.0, 9), -lengths.get(c.a, 0)))
        also = len(better) - 1
        more = f"; {also} more beat it too" if also else ""
        return Kept(best.a, f"it beats its parent (p {_p(best.p_holm)}){more}")
    ahead = [c for c in against_parent if c.difference is not None and c.difference > 0]
    if not ahead:
        return Kept(None, "no candidate scored above its parent")
    nearest = min(ahead, key=lambda c: c.p_holm if c.p_holm is not None else 1.0)
    return Kept(
        None,
        f"{len(ahead)} scored above their parent, none by more than chance explains (the nearest: "
        f"p {_p(nearest.p_holm)})",
    )


def _p(value: float | None) -> str:
    if value is None:
        return "unknown"
    return "< 0.001" if value < 0.001 else f"{value:.3f}"
