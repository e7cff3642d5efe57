"""An answer read from the pieces that a server sent: its text, its reasoning, what it is taken for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nomikon.core.replies.reasoning import AUTO, part_reasoning
from nomikon.core.trials.outcomes import Outcome, outcome_of
from nomikon.core.trials.stitching import stitch


@dataclass(frozen=True)
class Piece:
    """One reply: its raw text and why the server ended it; what came in fields of their own.

    tools: names of the tools it called.
    """

    text: str
    finish_reason: str | None
    reasoning: str = ""
    refusal: str = ""
    tools: tuple[str, ...] = ()


@dataclass(frozen=True)
class ReadAnswer:
    """The pieces as one answer. reasoning is no part of its text: it is never scored or sent on."""

    text: str
    finish_reason: str | None
    outcome: Outcome
    reasoning: str = ""


def read_answer(
    pieces: Sequence[Piece], stops: Sequence[str] = (), where: str = AUTO
) -> ReadAnswer:
    """The first piece, and the rest of it where it was asked for; at least one piece.

    A piece of nothing but blanks adds nothing: what there was before it stays as it was.
    stops: the stop sequences asked for. where: where the model's reasoning stands. The same
    pieces are read the same whether they came just now or were stored long ago.
    """
    first, *more = pieces
    parted = part_reasoning(first.text, where)
    text, finish = parted.answer, first.finish_reason
    thoughts = [first.reasoning, parted.reasoning]
    for piece in more:
        rest = part_reasoning(piece.text, where)
        thoughts += [piece.reasoning, rest.reasoning]
        if rest.answer.strip():
            # An answer that never began has nothing to be continued from.
            text = stitch(text, rest.answer) if text.strip() else rest.answer
            finish = piece.finish_reason
    reasoning = "\n\n".join(t.strip() for t in thoughts if t.strip())
    outcome = outcome_of(
        text,
        finish,
        stops,
        refusal=first.refusal,
        tools=first.tools,
        reasoned=bool(reasoning),
    )
    if not text.strip() and first.refusal.strip():
        text = first.refusal.strip()
    return ReadAnswer(text, finish, outcome, reasoning)
