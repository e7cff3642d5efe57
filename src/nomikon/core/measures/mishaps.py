"""A score that could not be worked out: missing, with its class in plain words, and never more than that."""

from __future__ import annotations

from nomikon.core.measures.base import UNSCORED, Score


class OutOfTimeError(Exception):
    """Working out one score took longer than it may."""


def unscored(what: str) -> Score:
    """A missing score: what happened, as the rest of a sentence.

    >>> unscored("it took too long").why
    'could not be worked out: it took too long'
    """
    return Score(None, f"could not be worked out: {what}", UNSCORED)


def mishap(error: BaseException) -> Score:
    """The missing score for whatever a measure ran into."""
    return unscored(_in_words(error))


def _in_words(error: BaseException) -> str:
    if isinstance(error, OutOfTimeError):
        return "it took longer than a score may"
    if isinstance(error, RecursionError):
        return "the answer, or what it is held to, is nested too deep"
    if isinstance(error, MemoryError):
        return "it needed more memory than a score may have"
    if isinstance(error, (OverflowError, ZeroDivisionError, ArithmeticError)):
        return "a number in it is too large to reckon with"
    return f"the measure ran into something unforeseen ({type(error).__name__})"
