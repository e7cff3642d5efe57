"""What each clause is worth, from a trial whose arms leave clauses out by design."""

from __future__ import annotations

import numpy as np

from nomikon.core.results.figures import matrix
from nomikon.core.results.table import UNGATED, ResultTable, remembered
from nomikon.core.stats.clause_weights import ClauseWeights, clause_weights


@remembered
def weights(
    table: ResultTable, left_out: tuple[frozenset[int], ...], n_units: int, seed: int = 0
) -> ClauseWeights:
    """The weights of n_units clauses or groups of them, from ungated case means.

    left_out: for each arm, in the table's order, the units that it leaves out.
    """
    arms, cases, means = matrix(table, UNGATED)
    own = np.full((len(cases), len(table.arms)), np.nan)
    for column, name in enumerate(arms):
        own[:, table.arms.index(name)] = means[:, column]
    return clause_weights(
        left_out,
        own,
        n_units,
        margin=table.card.margin,
        seed=seed,
        sources=table.sources_of(cases),
    )
