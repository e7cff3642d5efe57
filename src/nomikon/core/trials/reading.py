"""An answer read from the pieces that a server sent: its text, and what it is taken for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nomikon.core.trials.outcomes import Outcome, outcome_of
from nomikon.core.trials.stitching import stitch


@dataclass(frozen=True)
class Piece:
    """One reply: its raw text and why the server ended it."""

    text: str
    finish_reason: str | None


@dataclass(frozen=True)
class ReadAnswer:
    """The pieces as one answer."""

    text: str
    finish_reason: str | None
    outcome: Outcome


def read_answer(pieces: Sequence[Piece], stops: Sequence[str] = ()) -> ReadAnswer:
    """The first piece, and the rest of it where it was asked for; at least one piece.

    A piece of nothing but blanks adds nothing: what there was before it stays as it was.
    stops: the stop sequences asked for. The same pieces are read the same whether they came
    just now or were stored long ago.
    """
    first, *more = pieces
    text, finish = first.text, first.finish_reason
    for piece in more:
        if piece.text.strip():
            text, finish = stitch(text, piece.text), piece.finish_reason
    return ReadAnswer(text, finish, outcome_of(text, finish, stops))
