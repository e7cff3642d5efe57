"""What a scorecard's judges will take, before one is asked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nomikon.core.measures.asking import TwinRequest
from nomikon.core.measures.base import Answer
from nomikon.core.measures.judging import JudgeMeasure
from nomikon.core.measures.scorecard import Scorecard, judge_requests, requests_of
from nomikon.core.trials.estimates import (
    DEFAULT_OUTPUT_TOKENS,
    cost_nano,
    estimate_messages,
    estimate_output_tokens,
)
from nomikon.core.trials.outcomes import ANSWERED, Outcome

# Requests for so many outputs are made and counted; the rest is taken to be like them.
SAMPLE = 60
# A judgement is a level and a sentence for each criterion.
TOKENS_A_JUDGEMENT = 60


@dataclass(frozen=True)
class Beside:
    """Calls that are no part of an answer: judgements, turns of a played user, answers to twins.

    cost: None where unpriced. simulated: of the cost, what nobody pays. twins: of the calls, those
    that the arms themselves answer.
    """

    calls: int = 0
    tokens_in: int = 0
    tokens_out: int = 0
    cost: int | None = 0
    unpriced: tuple[str, ...] = ()
    simulated: int = 0
    twins: int = 0

    def __add__(self, other: Beside) -> Beside:
        cost = None if self.cost is None or other.cost is None else self.cost + other.cost
        return Beside(
            self.calls + other.calls,
            self.tokens_in + other.tokens_in,
            self.tokens_out + other.tokens_out,
            cost,
            (*self.unpriced, *other.unpriced),
            self.simulated + other.simulated,
            self.twins + other.twins,
        )


def likely_answer(inputs: Mapping[str, Any], reference: str | None) -> Answer:
    """An answer as long as one is likely to be, for requests that must be counted before it is there."""
    return Answer(reference or "answer " * DEFAULT_OUTPUT_TOKENS, reference, inputs)


def twins_each(card: Scorecard, answers: Sequence[Answer]) -> float:
    """How many twins a scorecard has asked about an answer like these, on average."""
    step = max(1, len(answers) // SAMPLE)
    seen = answers[::step]
    if not seen or not any(not isinstance(m, JudgeMeasure) for _, m in card.asking):
        return 0.0
    asked = (r for a in seen for _, r in requests_of(card, a, Outcome(ANSWERED)))
    return sum(isinstance(r, TwinRequest) for r in asked) / len(seen)


def estimate_judging(
    card: Scorecard,
    answers: Sequence[Answer],
    each: int,
    prices: Mapping[str, tuple[int | None, int | None]],
) -> Beside:
    """Calls, tokens and price of judging `each` outputs like every one of these answers.

    prices: of the judge of each measure, billionths per million tokens, in and out.
    """
    if not card.judged or not answers:
        return Beside()
    step = max(1, len(answers) // SAMPLE)
    seen = answers[::step]
    scale = each * len(answers) / len(seen)
    room = {
        name: max(1, len(getattr(m, "criteria", (1,)))) * TOKENS_A_JUDGEMENT
        for name, m in card.judged
    }
    calls = dict.fromkeys(room, 0)
    tokens_in = dict.fromkeys(room, 0)
    tokens_out = dict.fromkeys(room, 0)
    for answer in seen:
        for name, asked in judge_requests(card, answer, Outcome(ANSWERED)):
            calls[name] += 1
            tokens_in[name] += estimate_messages([m.content for m in asked.messages])
            most = asked.settings.get("max_tokens") or room[name]
            tokens_out[name] += estimate_output_tokens("x " * room[name], most)
    total = Beside()
    for name, n in calls.items():
        took_in, took_out = round(tokens_in[name] * scale), round(tokens_out[name] * scale)
        cost = cost_nano(took_in, took_out, *prices[name])
        total += Beside(
            round(n * scale), took_in, took_out, cost, () if cost is not None or not n else (name,)
        )
    return total
