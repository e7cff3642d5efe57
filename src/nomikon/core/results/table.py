"""The table of results: one row an output, one column a fact of it."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import wraps
from typing import Any, Concatenate, NamedTuple, ParamSpec, TypeVar, cast

import numpy as np
from numpy.typing import NDArray

from nomikon.core.measures import TOTAL, Scorecard
from nomikon.core.stats.compare import PAIRS, REFERENCE
from nomikon.core.stats.means import places

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
# The total as if no gate had failed; no measure can have this name.
UNGATED = "(ungated)"

P = ParamSpec("P")
R = TypeVar("R")


class ResultRow(NamedTuple):
    """One output. Costs in billionths of the currency, times in milliseconds; None is missing.

    key: what tells it from every other. failure: the code of a failed one, "" otherwise. total,
    ungated: None where a score is missing, which is never a bad answer.
    """

    key: int
    arm: str
    case: str
    repeat: int
    outcome: str
    failure: str
    latency_ms: float | None
    cost: int | None
    tokens_in: int | None
    tokens_out: int | None
    total: float | None
    ungated: float | None


@dataclass(frozen=True, eq=False)
class ResultTable:
    """A trial's outputs, arm by arm in the trial's order; all columns have the same length.

    arm, case: places among `arms` and `cases`. scores: a column for the total, the ungated total
    and each measure, nan where a score is missing; it may read a measure only when it is asked
    for. complete: whether all outputs are in. examples: cases that an arm shows as a worked
    example; they count for no arm. dropped: arms that left a race.
    """

    card: Scorecard
    arms: tuple[str, ...]
    cases: tuple[str, ...]
    keys: Ints
    arm: Ints
    case: Ints
    repeat: Ints
    outcome: tuple[str, ...]
    failure: tuple[str, ...]
    latency_ms: Floats
    cost: Floats
    tokens_in: Floats
    tokens_out: Floats
    scores: Mapping[str, Floats]
    complete: bool
    examples: frozenset[str] = frozenset()
    dropped: frozenset[str] = frozenset()
    # What its tests are held to together, and the arm that its plan holds others against.
    alpha: float = 0.05
    reference: str | None = None
    # What cases come from, where some share it.
    sources: Mapping[str, str] = field(default_factory=dict)
    known: dict[Hashable, Any] = field(default_factory=dict, repr=False)

    def family(self, against: str | None) -> str:
        """What is corrected for together: an arm that the plan does not name was chosen after looking."""
        planned = against is not None and against == self.reference
        return REFERENCE if planned else PAIRS

    def sources_of(self, cases: Sequence[str]) -> list[str] | None:
        """The source of each case; None where no two share one."""
        if not self.sources:
            return None
        return [self.sources.get(c) or f"case {c}" for c in cases]

    @property
    def counted(self) -> NDArray[np.bool_]:
        """Rows that figures count: those of cases that no arm shows as a worked example."""
        shown = np.array([c in self.examples for c in self.cases], dtype=np.bool_)
        return ~shown[self.case] if self.cases else np.zeros(0, dtype=np.bool_)

    def column(self, measure: str) -> Floats:
        """Scores by a measure's name. Raises KeyError for one that the scorecard does not have."""
        return self.scores[measure]


def table_of(
    rows: Iterable[ResultRow],
    card: Scorecard,
    *,
    arms: Iterable[str],
    complete: bool,
    by_measure: Callable[[tuple[int, ...]], Mapping[str, Floats]] | None = None,
    examples: Iterable[str] = (),
    dropped: Iterable[str] = (),
    alpha: float = 0.05,
    reference: str | None = None,
    sources: Mapping[str, str] | None = None,
) -> ResultTable:
    """A table from rows in the trial's order of arms.

    arms: all of the trial, those without an output, too. by_measure: given the keys of the rows,
    the columns of the measures. alpha, reference, sources: as the table tells them.
    """
    found = [*rows]
    columns: list[Any] = [list(c) for c in zip(*found, strict=True)] or [[] for _ in range(12)]
    names = tuple(arms)
    place = {name: i for i, name in enumerate(names)}
    cases, of_case = places(columns[2])
    totals = {TOTAL: _floats(columns[10]), UNGATED: _floats(columns[11])}
    keys = tuple(columns[0])
    return ResultTable(
        card,
        names,
        tuple(cases),
        np.array(keys, dtype=np.int64),
        np.array([place[a] for a in columns[1]], dtype=np.int64),
        of_case,
        np.array(columns[3], dtype=np.int64),
        tuple(columns[4]),
        tuple(columns[5]),
        _floats(columns[6]),
        _floats(columns[7]),
        _floats(columns[8]),
        _floats(columns[9]),
        _Scores(totals, lambda: by_measure(keys) if by_measure else {}),
        complete,
        frozenset(examples),
        frozenset(dropped),
        alpha,
        reference,
        dict(sources or {}),
    )


def _floats(values: list[Any]) -> Floats:
    """None becomes nan."""
    return np.array(values, dtype=np.float64)


class _Scores(Mapping[str, Floats]):
    """Columns of scores; those of the measures are read when the first of them is asked for."""

    def __init__(self, totals: dict[str, Floats], late: Callable[[], Mapping[str, Floats]]) -> None:
        self._columns = totals
        self._late: Callable[[], Mapping[str, Floats]] | None = late

    def __getitem__(self, name: str) -> Floats:
        if name not in self._columns:
            self._read()
        return self._columns[name]

    def _read(self) -> None:
        if self._late is not None:
            self._columns |= self._late()
            self._late = None

    def __iter__(self) -> Any:
        self._read()
        return iter(self._columns)

    def __len__(self) -> int:
        self._read()
        return len(self._columns)


def remembered(
    figure: Callable[Concatenate[ResultTable, P], R],
) -> Callable[Concatenate[ResultTable, P], R]:
    """A figure of a table, worked out once for the same table and arguments.

    A table never changes: whoever keeps a table keeps its figures, and the key of the one is the
    key of the other.
    """

    @wraps(figure)
    def once(table: ResultTable, *args: P.args, **more: P.kwargs) -> R:
        key = (figure.__qualname__, args, tuple(sorted(more.items())))
        if key not in table.known:
            table.known[key] = figure(table, *args, **more)
        found: R = table.known[key]
        return found

    return cast(Callable[Concatenate[ResultTable, P], R], once)
