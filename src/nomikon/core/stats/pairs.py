"""Strengths from blind pairs: Bradley-Terry with ties and a term for the side.

Model: for items i on the left and j on the right, with x = strength_i − strength_j + side,
left : tie : right = exp(x/2) : ν : exp(−x/2). Sources: Bradley and Terry (1952); ties as in
Davidson (1970), JASA 65, 317–328; an order term as in Davidson and Beaver (1977).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nomikon.core.errors import DomainError
from nomikon.core.stats.resampling import Floats, resample_counts

LEFT, RIGHT, TIE = "left", "right", "tie"
OUTCOMES = (LEFT, RIGHT, TIE)
# Where some item never lost, or never won, against a group of others, no finite strength fits
# best; this much is then added to the sum of squared strengths ÷ 2.
RIDGE = 0.1
# With a term for the side a fit can run away although the items are connected; beyond these odds
# (e⁸ : 1) it is taken to have no finite value.
RUNAWAY = 8.0
_STEPS = 60
_CLOSE = 1e-10


class PairsError(DomainError):
    """Pairs that no strength can be worked out from."""

    code = "pairs"


@dataclass(frozen=True)
class Pair:
    """One preference. outcome: left, right or tie; case: "" where not known."""

    left: str
    right: str
    outcome: str
    case: str = ""


@dataclass(frozen=True)
class Strength:
    """An item's natural-log strength with its 95 % interval; all strengths sum to 0."""

    item: str
    strength: float
    low: float | None
    high: float | None
    wins: int
    losses: int
    ties: int


@dataclass(frozen=True)
class PairsResult:
    """side_bias: what standing on the left adds to the log-odds, None where it has no finite value.

    ridge: the strengths were held together by a ridge, because the pairs do not
    connect all items in both directions; there are no intervals then, and why
    says so.
    """

    items: list[Strength]
    side_bias: float | None
    side_low: float | None
    side_high: float | None
    n: int
    ridge: bool
    why: str


def strengths(
    pairs: Sequence[Pair], *, seed: int = 0, n_resamples: int = 1000, level: float = 0.95
) -> PairsResult:
    """Strengths of items from preferences, intervals by resampling cases (pairs where unknown).

    Raises PairsError where there is no pair, an outcome is unknown, or an item
    is compared with itself.
    """
    for place, p in enumerate(pairs):
        if p.outcome not in OUTCOMES:
            raise PairsError(
                f"the outcome is {p.outcome!r}; allowed are {', '.join(OUTCOMES)}",
                field=f"pairs.{place}.outcome",
            )
        if p.left == p.right:
            raise PairsError(f"{p.left} is compared with itself", field=f"pairs.{place}")
    if not pairs:
        raise PairsError("there are no pairs")
    names = sorted({n for p in pairs for n in (p.left, p.right)})
    table = _Table.of(pairs, names)
    counts = table.by_cluster.sum(axis=0)
    fitted, ridge = table.finite_fit(counts)
    # A ridge gives an order, no measure of how sure it is.
    spread = np.empty((0, 0)) if ridge else table.resampled(n_resamples, seed)
    tail = (1 - level) / 2
    bounds = np.quantile(spread, [tail, 1 - tail], axis=0) if len(spread) else None
    one_sided = not (counts[:, 0].sum() and counts[:, 2].sum())
    items = [
        Strength(
            name,
            float(fitted[i]),
            None if bounds is None else float(bounds[0, i]),
            None if bounds is None else float(bounds[1, i]),
            *_record(pairs, name),
        )
        for i, name in enumerate(names)
    ]
    k = len(names)
    # The side's own bounds mean nothing where one side always won.
    of_side = None if one_sided else bounds
    return PairsResult(
        items,
        None if one_sided else float(fitted[k]),
        None if of_side is None else float(of_side[0, k]),
        None if of_side is None else float(of_side[1, k]),
        len(pairs),
        ridge,
        "some item never lost or never won against the others: a ridge holds the strengths "
        "together, and how sure they are cannot be told"
        if ridge
        else "",
    )


def _record(pairs: Sequence[Pair], name: str) -> tuple[int, int, int]:
    wins = sum(
        (p.left == name and p.outcome == LEFT) or (p.right == name and p.outcome == RIGHT)
        for p in pairs
    )
    losses = sum(
        (p.left == name and p.outcome == RIGHT) or (p.right == name and p.outcome == LEFT)
        for p in pairs
    )
    ties = sum(name in (p.left, p.right) and p.outcome == TIE for p in pairs)
    return wins, losses, ties


@dataclass(frozen=True)
class _Table:
    """Counts by ordered pair of items. by_cluster: shape (clusters, ordered pairs, 3)."""

    k: int
    left: np.ndarray
    right: np.ndarray
    by_cluster: Floats

    @classmethod
    def of(cls, pairs: Sequence[Pair], names: Sequence[str]) -> _Table:
        place = {n: i for i, n in enumerate(names)}
        ordered = sorted({(place[p.left], place[p.right]) for p in pairs})
        row = {pair: i for i, pair in enumerate(ordered)}
        clusters = {
            c: i
            for i, c in enumerate(dict.fromkeys(p.case or f"\x00{i}" for i, p in enumerate(pairs)))
        }
        counts = np.zeros((len(clusters), len(ordered), 3))
        column = {LEFT: 0, TIE: 1, RIGHT: 2}
        for i, p in enumerate(pairs):
            counts[
                clusters[p.case or f"\x00{i}"],
                row[(place[p.left], place[p.right])],
                column[p.outcome],
            ] += 1
        left, right = np.array(ordered, dtype=int).T
        return cls(len(names), left, right, counts)

    def connected(self, counts: Floats) -> bool:
        """Whether every item can be reached from every other along wins and ties (Ford 1957)."""
        won = counts[:, 0] + counts[:, 1] > 0
        lost = counts[:, 2] + counts[:, 1] > 0
        a = np.concatenate([self.left[won], self.right[lost]])
        b = np.concatenate([self.right[won], self.left[lost]])
        # Here and not above: every process imports this module, and few look for parts of a graph.
        from scipy.sparse import csr_matrix
        from scipy.sparse.csgraph import connected_components

        graph = csr_matrix((np.ones(len(a)), (a, b)), shape=(self.k, self.k))
        n, _ = connected_components(graph, directed=True, connection="strong")
        return bool(n == 1)

    def finite_fit(self, counts: Floats) -> tuple[Floats, bool]:
        """The best fit, or the one a ridge holds where that has no finite value; and which."""
        if self.connected(counts):
            found = self.fit(counts, 0.0)
            if np.abs(found[: self.k + 1]).max() < RUNAWAY:
                return found, False
        return self.fit(counts, RIDGE), True

    def fit(self, counts: Floats, ridge: float) -> Floats:
        """Strengths (sum 0), side and log ν, by Newton's method on a concave likelihood."""
        k = self.k
        n = counts.sum(axis=1)
        ties = counts[:, 1].sum() > 0
        # A side that always wins has no finite term: it is left out of the fit.
        sided = counts[:, 0].sum() > 0 and counts[:, 2].sum() > 0
        design = np.zeros((len(n), k + 1))
        design[np.arange(len(n)), self.left] += 0.5
        design[np.arange(len(n)), self.right] -= 0.5
        design[:, k] = 0.5 if sided else 0.0
        theta = np.zeros(k + 2)
        penalty = np.append(np.full(k + 1, ridge), 0.0)

        def value(at: Floats) -> tuple[float, Floats]:
            u = design @ at[: k + 1]
            score = np.column_stack([u, np.full_like(u, at[k + 1] if ties else -np.inf), -u])
            top = score.max(axis=1, keepdims=True)
            share = np.exp(score - top)
            total = share.sum(axis=1, keepdims=True)
            logs = np.where(counts > 0, score - top - np.log(total), 0.0)
            return float((counts * logs).sum() - 0.5 * (penalty * at**2).sum()), share / total

        now, p = value(theta)
        for _ in range(_STEPS):
            first = np.append(
                design.T @ (counts[:, 0] - counts[:, 2] - n * (p[:, 0] - p[:, 2])), 0.0
            )
            first[k + 1] = (counts[:, 1] - n * p[:, 1]).sum() if ties else 0.0
            first -= penalty * theta
            spread = n * (p[:, 0] + p[:, 2] - (p[:, 0] - p[:, 2]) ** 2)
            second = np.zeros((k + 2, k + 2))
            second[: k + 1, : k + 1] = design.T @ (spread[:, None] * design)
            if ties:
                cross = design.T @ (-n * (p[:, 0] - p[:, 2]) * p[:, 1])
                second[: k + 1, k + 1] = second[k + 1, : k + 1] = cross
                second[k + 1, k + 1] = (n * p[:, 1] * (1 - p[:, 1])).sum()
            second += np.diag(penalty)
            step = np.linalg.pinv(second, hermitian=True) @ first
            size = 1.0
            while size > 1e-6:
                after, q = value(theta + size * step)
                if after >= now - 1e-12:
                    break
                size /= 2
            theta, gained, now, p = theta + size * step, after - now, after, q
            if np.abs(size * step).max() < _CLOSE or abs(gained) < 1e-13 * (1 + abs(now)):
                break
        theta[:k] -= theta[:k].mean()
        return theta

    def resampled(self, n_resamples: int, seed: int) -> Floats:
        """Fits of resampled clusters; one that does not connect all items gets the ridge."""
        clusters = len(self.by_cluster)
        if clusters < 2:
            return np.empty((0, self.k + 2))
        flat = self.by_cluster.reshape(clusters, -1)
        found = []
        for draws in resample_counts(clusters, n_resamples=n_resamples, seed=seed):
            for counts in (draws @ flat).reshape(len(draws), -1, 3):
                found.append(self.finite_fit(counts)[0])
        return np.array(found)
