"""Which change did it: the difference of two versions shared out among the amendments between them.

A share is the Shapley value of the game whose coalitions are sets of amendments taken and whose
worth is the mean score of the text they make (L. S. Shapley, "A Value for n-Person Games", 1953).
Where some amendments require others, only orders in which they come after these are averaged over
(U. Faigle and W. Kern, "The Shapley value for cooperative games under precedence constraints", 1992).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from nomikon.core.errors import PlanError
from nomikon.core.stats.resampling import resampled_means

Floats = NDArray[np.float64]
Subset = frozenset[str]
# Of more, 2^n texts would be run: nobody does.
MOST_EXACT = 12
# Up to so many every text is run without being asked for; above, each alone first.
FEW_EXACT, MOST_GROUPS = 4, 30
EXACT, ENDS, ORDERS = "exact", "ends", "orders"
MOST_ORDERS = 40
# One after the other: the groups in the order in which they are taken.
Order = tuple[Subset, ...]


@dataclass(frozen=True)
class Share:
    """What one amendment (or a group that goes together, joined by "+") adds to the mean score.

    low, high: 95 % of resamples of the cases lie between them. added: what it does alone, added to the
    older version with what it requires; taken_back: what goes with it when it alone is taken back from
    the newer one.
    """

    amendment: str
    share: float
    low: float
    high: float
    added: float
    taken_back: float

    @property
    def parts(self) -> bool:
        """Whether what it does depends on the other amendments: added and taken back differ in sign,
        or by more than half of the larger."""
        one, other = self.added, self.taken_back
        return abs(one - other) > max(abs(one), abs(other)) / 2 + 1e-9


@dataclass(frozen=True)
class Shares:
    """difference: of the mean scores of both versions on the cases used. how: exact, where every
    possible subset was run: then the shares sum to the difference; ends, where only what each does
    alone, added to the older version and taken back from the newer one, is known: its mean; orders, where
    some orders were drawn: the mean of what each adds in them, which sums to the difference, too.

    by_case: of each case used, the share of each amendment in what moved it, in the order of `shares`.
    """

    shares: list[Share]
    difference: float
    how: str
    n_cases: int
    n_dropped: int
    by_case: dict[str, list[float]]


def groups_of(requires: Mapping[str, Sequence[str]]) -> list[Subset]:
    """Amendments as they can be taken: alone, or together where each requires the other."""
    above = {a: _all_required(a, requires) for a in requires}
    groups = {
        frozenset(b for b in requires if b == a or (b in above[a] and a in above[b]))
        for a in requires
    }
    order = list(requires)
    return sorted(groups, key=lambda g: min(order.index(a) for a in g))


def _all_required(amendment: str, requires: Mapping[str, Sequence[str]]) -> Subset:
    found: set[str] = set()
    left = list(requires[amendment])
    while left:
        if (one := left.pop()) not in found and one in requires:
            found.add(one)
            left += requires[one]
    return frozenset(found)


def possible_subsets(requires: Mapping[str, Sequence[str]]) -> list[Subset]:
    """Every set of amendments that makes a text: with each also what it requires; the fewest first.

    Raises PlanError for more than MOST_EXACT amendments or groups.
    """
    groups = groups_of(requires)
    if len(groups) > MOST_EXACT:
        raise PlanError(
            f"{len(groups)} amendments make up to {2 ** len(groups):,} texts; at most {MOST_EXACT} "
            "are shared out exactly: run each alone instead",
            field="amendments",
        )
    above = {a: _all_required(a, requires) for a in requires}
    found: list[Subset] = []
    for bits in range(2 ** len(groups)):
        taken = frozenset(a for i, g in enumerate(groups) if bits >> i & 1 for a in g)
        if all(above[a] <= taken for a in taken):
            found.append(taken)
    return sorted(found, key=lambda s: (len(s), sorted(s)))


def weights_of(requires: Mapping[str, Sequence[str]]) -> tuple[list[Subset], Floats]:
    """(subsets, weights): of each group the weight with which each subset's worth enters its share.

    weights has a row a group in the order of `groups_of` and a column a subset.
    """
    groups, subsets = groups_of(requires), possible_subsets(requires)
    place = {s: i for i, s in enumerate(subsets)}
    whole = frozenset(requires)

    @cache
    def orders_to(taken: Subset) -> float:
        """In how many orders the groups of a subset can be taken one after the other."""
        if not taken:
            return 1.0
        return sum(orders_to(taken - g) for g in groups if g <= taken and taken - g in place)

    @cache
    def orders_from(taken: Subset) -> float:
        if taken == whole:
            return 1.0
        return sum(orders_from(taken | g) for g in groups if not g & taken and taken | g in place)

    weights = np.zeros((len(groups), len(subsets)))
    for row, group in enumerate(groups):
        for taken in subsets:
            after = taken | group
            if group & taken or after not in place:
                continue
            weight = orders_to(taken) * orders_from(after) / orders_to(whole)
            weights[row, place[after]] += weight
            weights[row, place[taken]] -= weight
    return subsets, weights


def shares_of(
    requires: Mapping[str, Sequence[str]],
    scores: Mapping[Subset, Mapping[str, float]],
    *,
    orders: Sequence[Order] = (),
    seed: int = 0,
    n_resamples: int = 2000,
) -> Shares:
    """The share of each amendment in the difference between no amendment taken and all of them.

    requires: every amendment between the versions with those it requires. scores: by subset taken and
    case, the mean over repeats, 0 to 1. orders: those drawn by `orders_of`, where the texts on their way were
    run; intervals then resample cases and orders alike. Cases that one of the subsets used lacks count for none.
    Raises PlanError, saying which subset is missing, where neither all subsets are there nor each
    amendment alone, added and taken back.
    """
    if not requires:
        raise PlanError("the two texts are the same: nothing can have done it", field="amendments")
    groups, whole = groups_of(requires), frozenset(requires)
    for needed in (frozenset[str](), whole):
        if needed not in scores:
            what = "without any amendment" if not needed else "with all amendments"
            raise PlanError(f"there are no scores of the text {what}", field="subset")
    how = EXACT
    few = len(groups) <= MOST_EXACT
    if few and all(s in scores for s in possible_subsets(requires)):
        subsets, weights = weights_of(requires)
    elif orders:
        how = ORDERS
        subsets, weights = _along(groups, orders, scores)
    else:
        how = ENDS
        subsets, weights = _ends(requires, groups, scores)
    cases = sorted(set.intersection(*(set(scores[s]) for s in subsets)))
    known = set().union(*(scores[s] for s in subsets))
    if not cases:
        raise PlanError("no case has a score by every text that is needed", field="case")
    table = np.array([[scores[s][c] for c in cases] for s in subsets], dtype=float)
    by_case = (weights @ table).T
    means = by_case.mean(axis=0)
    drawn = resampled_means(by_case, n_resamples=n_resamples, seed=seed)
    if how == ORDERS:
        drawn = drawn + _spread_of_orders(groups, orders, subsets, table, n_resamples, seed)
    low, high = np.quantile(drawn, [0.025, 0.975], axis=0)
    difference = float(np.mean([scores[whole][c] - scores[frozenset()][c] for c in cases]))
    mean_of = {s: float(table[i].mean()) for i, s in enumerate(subsets)}
    ends = _ends_of(requires, groups)
    shares = []
    for i, g in enumerate(groups):
        added, back = (
            float("nan") if {x | g, x} - mean_of.keys() else mean_of[x | g] - mean_of[x]
            for x in ends[i]
        )
        name = "+".join(sorted(g))
        shares.append(Share(name, float(means[i]), float(low[i]), float(high[i]), added, back))
    told = {c: [float(x) for x in row] for c, row in zip(cases, by_case, strict=True)}
    return Shares(shares, difference, how, len(cases), len(known) - len(cases), told)


def subsets_to_run(
    requires: Mapping[str, Sequence[str]], orders: Sequence[Order] = ()
) -> list[Subset]:
    """The texts that share a difference out: every possible one of up to FEW_EXACT amendments, else each
    added alone and taken back alone; the older version first, the newer last.

    orders: those whose texts are to be run as well. Raises PlanError for more than MOST_GROUPS amendments.
    """
    groups = groups_of(requires)
    if len(groups) <= FEW_EXACT:
        return possible_subsets(requires)
    if len(groups) > MOST_GROUPS:
        raise PlanError(
            f"{len(groups)} amendments lie between these versions; at most {MOST_GROUPS} are told "
            "apart: compare with a version between the two",
            field="newer",
        )
    found = {s for pair, g in zip(_ends_of(requires, groups), groups, strict=True) for x in pair
             for s in (x, x | g)}  # fmt: skip
    found |= {frozenset(), frozenset(requires)}
    found |= {s for order in orders for s in subsets_along(order)}
    return sorted(found, key=lambda s: (len(s), sorted(s)))


def orders_of(requires: Mapping[str, Sequence[str]], n: int, seed: int) -> list[Order]:
    """n orders in which the groups can be taken, each after what it requires, drawn by a seed.

    Every second one is the one before it turned round where nothing requires another: what is drawn
    early in the one is drawn late in the other, which spares texts (R. Y. Rubinstein's antithetic
    variates, "Simulation and the Monte Carlo Method", 1981). Where some require others an order is drawn
    step by step among what can come next, which is not quite every order alike. Raises PlanError outside
    0 to MOST_ORDERS.
    """
    if not 0 <= n <= MOST_ORDERS:
        raise PlanError(f"orders is {n}; allowed is 0 to {MOST_ORDERS}", field="orders")
    groups, whole = groups_of(requires), frozenset(requires)
    above = {a: _all_required(a, requires) for a in requires}
    free = all(above[a] <= g for g in groups for a in g)
    draw = np.random.default_rng(seed)
    found: list[Order] = []
    while len(found) < n:
        if free and len(found) % 2:
            found.append(found[-1][::-1])
            continue
        taken: Subset = frozenset()
        order: list[Subset] = []
        while taken != whole:
            ready = [g for g in groups if not g & taken and all(above[a] <= taken | g for a in g)]
            order.append(ready[int(draw.integers(len(ready)))])
            taken |= order[-1]
        found.append(tuple(order))
    return found


def subsets_along(order: Order) -> list[Subset]:
    """What is taken after each step of an order, nothing first.

    >>> [sorted(s) for s in subsets_along((frozenset({'b'}), frozenset({'a'})))]
    [[], ['b'], ['a', 'b']]
    """
    found: list[Subset] = [frozenset()]
    for group in order:
        found.append(found[-1] | group)
    return found


def _along(
    groups: Sequence[Subset], orders: Sequence[Order], scores: Mapping[Subset, Mapping[str, float]]
) -> tuple[list[Subset], Floats]:
    """As `weights_of`, from what each adds in the orders that were drawn; the ends, where they are there,
    stand beside them without a weight."""
    ends = {
        s for g in groups for s in (frozenset(g), frozenset().union(*groups) - g) if s in scores
    }
    steps = {s for order in orders for s in subsets_along(order)}
    missing = next((s for s in steps if s not in scores), None)
    if missing is not None:
        raise PlanError(f"there are no scores of the text with {_named(missing)}", field="subset")
    subsets = sorted(ends | steps, key=lambda s: (len(s), sorted(s)))
    weights = np.mean([_of_order(groups, order, subsets) for order in orders], axis=0)
    return subsets, weights


def _of_order(groups: Sequence[Subset], order: Order, subsets: Sequence[Subset]) -> Floats:
    """What each group adds at its step of one order, as weights of the subsets."""
    place = {s: i for i, s in enumerate(subsets)}
    row = {g: i for i, g in enumerate(groups)}
    weights = np.zeros((len(groups), len(subsets)))
    path = subsets_along(order)
    for group, before, after in zip(order, path[:-1], path[1:], strict=True):
        weights[row[group], place[after]] += 1
        weights[row[group], place[before]] -= 1
    return weights


def _spread_of_orders(
    groups: Sequence[Subset],
    orders: Sequence[Order],
    subsets: Sequence[Subset],
    table: Floats,
    n_resamples: int,
    seed: int,
) -> Floats:
    """By how much the shares differ when the orders are drawn again, shape (n_resamples, n_groups)."""
    means = table.mean(axis=1)
    by_order = np.array([_of_order(groups, order, subsets) @ means for order in orders])
    draw = np.random.default_rng(seed + 1)
    # A pair of an order and its reverse is drawn as one.
    pairs = len(orders) > 1 and all(
        a == b[::-1] for a, b in zip(orders[::2], orders[1::2], strict=False)
    )
    units = by_order
    if pairs and len(orders) % 2 == 0:
        units = by_order.reshape(-1, 2, len(groups)).mean(axis=1)
    drawn = draw.integers(len(units), size=(n_resamples, len(units)))
    spread = units[drawn].mean(axis=1) - units.mean(axis=0)
    # With few of them resampling is too narrow by this factor.
    n = len(units)
    return np.asarray(spread * np.sqrt(n / (n - 1)) if n > 1 else spread, dtype=np.float64)


def _ends_of(
    requires: Mapping[str, Sequence[str]], groups: Sequence[Subset]
) -> list[tuple[Subset, Subset]]:
    """For each group what is taken when it is added first, and when it is taken back last."""
    whole = frozenset(requires)
    above = {a: _all_required(a, requires) for a in requires}
    found = []
    for group in groups:
        needed = frozenset(b for a in group for b in above[a]) - group
        depend = frozenset(b for b in requires if above[b] & group) - group
        found.append((needed, whole - depend - group))
    return found


def _ends(
    requires: Mapping[str, Sequence[str]],
    groups: Sequence[Subset],
    scores: Mapping[Subset, Mapping[str, float]],
) -> tuple[list[Subset], Floats]:
    """As `weights_of`, from what each does added first and taken back last."""
    subsets: dict[Subset, int] = {}
    entries: list[tuple[int, Subset, float]] = []
    for row, (group, ends) in enumerate(zip(groups, _ends_of(requires, groups), strict=True)):
        for taken in ends:
            for subset, sign in ((taken | group, 0.5), (taken, -0.5)):
                if subset not in scores:
                    raise PlanError(
                        f"there are no scores of the text with {_named(subset)}: give those of every "
                        "subset, or of each amendment added alone and taken back alone",
                        field="subset",
                    )
                subsets.setdefault(subset, len(subsets))
                entries.append((row, subset, sign))
    weights = np.zeros((len(groups), len(subsets)))
    for row, subset, sign in entries:
        weights[row, subsets[subset]] += sign
    return list(subsets), weights


def _named(subset: Subset) -> str:
    return "+".join(sorted(subset)) or "no amendment"
