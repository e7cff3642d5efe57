"""Measures that other packages on this server offer, and what keeps them from doing harm.

They are code of whoever runs the server and run with its rights. A mistake in
one gives that output no score, with the reason; it never stops a trial.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from functools import cache
from importlib.metadata import EntryPoint, entry_points
from typing import Any

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, GroupMeasure, Measure, Score

# The group of entry points under which a package offers measures of its own.
ENTRY_POINTS = "nomikon.measures"


@cache
def installed() -> dict[str, EntryPoint]:
    """What packages offer, by name. Read once in a process: one added later needs a restart."""
    return {e.name: e for e in entry_points(group=ENTRY_POINTS)}


def load_installed(entry: EntryPoint) -> type[Measure]:
    """The class behind an entry point. Raises MeasureError where it is none, or does not load."""
    try:
        found = entry.load()
    except Exception as error:
        # Whatever goes wrong in foreign code must not take the other measures along.
        raise MeasureError(
            f"{entry.name} ({entry.value}) cannot be loaded: {type(error).__name__}: {error}",
            field="measure",
        ) from error
    if not (isinstance(found, type) and issubclass(found, Measure)):
        raise MeasureError(f"{entry.name} ({entry.value}) is no Measure", field="measure")
    return found


def make_installed(entry: EntryPoint, parameters: Mapping[str, Any]) -> Measure:
    """An own measure with its parameters, guarded. Raises MeasureError as its class does."""
    kind = load_installed(entry)
    try:
        made = kind(**parameters)
    except MeasureError:
        raise
    except Exception as error:
        raise MeasureError(
            f"{entry.name} does not take these parameters: {error}", field="measure"
        ) from error
    return _GuardedGroup(made) if isinstance(made, GroupMeasure) else _Guarded(made)


class _Guarded(Measure):
    """An own measure whose mistakes become missing scores."""

    def __init__(self, inner: Measure) -> None:
        self._inner = inner
        self.name = inner.name  # type: ignore[misc]
        self.description = inner.description  # type: ignore[misc]
        self.needs_reference = inner.needs_reference  # type: ignore[misc]
        self.reads_scores = inner.reads_scores  # type: ignore[misc]

    def score(self, answer: Answer) -> Score:
        """The inner score, checked."""
        try:
            return _checked(self._inner.score(answer))
        except Exception as error:  # noqa: BLE001
            # Foreign code: whatever it raises is its own failure, told with the score.
            return Score(None, f"the measure failed: {type(error).__name__}: {error}")


class _GuardedGroup(GroupMeasure):
    """The same for one that looks at all repeats together."""

    def __init__(self, inner: GroupMeasure) -> None:
        self._inner = inner
        self.name = inner.name  # type: ignore[misc]
        self.description = inner.description  # type: ignore[misc]
        self.needs_reference = inner.needs_reference  # type: ignore[misc]

    def score_group(self, answers: Sequence[Answer]) -> list[Score]:
        """The inner scores, checked, one for each answer."""
        try:
            found = [_checked(s) for s in self._inner.score_group(answers)]
            if len(found) != len(answers):
                raise ValueError(f"{len(found)} scores for {len(answers)} answers")
        except Exception as error:  # noqa: BLE001
            told = f"the measure failed: {type(error).__name__}: {error}"
            return [Score(None, told)] * len(answers)
        return found


def _checked(score: Score) -> Score:
    if not isinstance(score, Score):
        raise TypeError(f"it gave {score!r} instead of a Score")
    value = score.value
    if value is not None and not (math.isfinite(value) and 0.0 <= value <= 1.0):
        raise ValueError(f"its score is {value!r}; it must lie from 0 to 1")
    return Score(None if value is None else float(value), str(score.why))
