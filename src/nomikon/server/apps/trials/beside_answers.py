"""What a trial asks beside its answers, before it is asked: judgements, a played user, twins."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from nomikon.core.measures import Scorecard as ReadCard
from nomikon.core.measures import read_scorecard
from nomikon.core.measures.estimates import Beside, estimate_judging, likely_answer, twins_each
from nomikon.core.prompts import Message
from nomikon.core.trials import Estimate, PlannedCase, Problem
from nomikon.core.trials.conversation import planned_calls
from nomikon.core.trials.estimates import cost_nano
from nomikon.core.trials.plan import PLAYED_TURN_TOKENS
from nomikon.server.apps.briefs.models import Scorecard
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.trials.callees import asking_in, judge_models

# An arm as far as it matters here: its model, and the text that it sends.
Arm = tuple[Model, Sequence[Message]]


def beside_of(
    arms: Sequence[Arm],
    own: Estimate,
    cases: Sequence[PlannedCase],
    repeats: int,
    scorecard: Scorecard,
    user: Model | None,
    n_brought: int,
    purpose: str,
) -> tuple[Beside, list[Problem]]:
    """Calls and price of what is asked beside the arms' answers, and what stands against it."""
    card = read_scorecard(scorecard.document)
    each = len(arms) * repeats + n_brought
    beside = Beside()
    if asking_in(card, purpose):
        beside = _judging(card, cases, each) + _twins(arms, own, card, cases)
    played = [c.conversation for c in cases if c.conversation is not None and c.conversation.user]
    if played and user is None:
        said = "case describes" if len(played) == 1 else "cases describe"
        text = f"{len(played)} {said} a user: choose the model that plays it"
        return beside, [Problem("error", "", text, "user_model")]
    if user is not None:
        beside += _playing(arms, played, repeats, user)
    return beside, []


def _judging(card: ReadCard, cases: Sequence[PlannedCase], each: int) -> Beside:
    judges = judge_models(card)
    answers = [likely_answer(c.inputs, c.reference) for c in cases]
    prices = {n: (m.price_in_nano, m.price_out_nano) for n, m in judges.items()}
    found = estimate_judging(card, answers, each, prices)
    return found + Beside(simulated=simulated_judging(found, list(judges.values())))


def simulated_judging(found: Beside, judges: Sequence[Model]) -> int:
    """Of what judges cost, what nobody pays: all where all are simulated."""
    return found.cost or 0 if all(m.is_simulated for m in judges) else 0


def _twins(
    arms: Sequence[Arm], own: Estimate, card: ReadCard, cases: Sequence[PlannedCase]
) -> Beside:
    """Twins are answered by the arms: each takes about what the answer to its case takes."""
    answers = [likely_answer(c.inputs, c.reference) for c in cases if c.conversation is None]
    each = twins_each(card, answers) * len(answers) / max(1, len(cases))
    total = Beside()
    for (model, _), row in zip(arms, own.arms, strict=True) if each else ():
        cost = None if row.cost is None else round(row.cost * each)
        calls = round(row.calls * each)
        total += Beside(
            calls,
            round(row.tokens_in * each),
            round(row.tokens_out * each),
            # An arm without a price is told as such already.
            cost,
            simulated=model.simulated_part(cost),
            twins=calls,
        )
    return total


def _playing(arms: Sequence[Arm], played: Sequence[Any], repeats: int, user: Model) -> Beside:
    """What the model takes that plays the user: each turn reads all that was said before."""
    calls = tokens_in = tokens_out = 0
    for _, messages in arms:
        for held in played:
            n = planned_calls(held, messages)[1] * repeats
            calls += n
            tokens_in += n * (held.most * 2 * PLAYED_TURN_TOKENS + 150)
            tokens_out += n * PLAYED_TURN_TOKENS
    cost = cost_nano(tokens_in, tokens_out, user.price_in_nano, user.price_out_nano)
    return Beside(calls, tokens_in, tokens_out, cost, simulated=user.simulated_part(cost))
