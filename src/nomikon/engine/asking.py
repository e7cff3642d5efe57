"""What an output asks, one request after the other. No network: a generator that is answered."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass

from nomikon.core.errors import DomainError
from nomikon.core.prompts import Message, render_step, steps_of
from nomikon.core.trials import CUT, Outcome, answer_key, continuation, outcome_of, seed_for, stitch
from nomikon.engine.units import Ask, Unit
from nomikon.models.protocols import never_sent, request_body


@dataclass(frozen=True)
class Reply:
    """What came back, as far as the next request depends on it."""

    text: str
    finish_reason: str | None


@dataclass(frozen=True)
class Ending:
    """The whole output: its text, how it ended, and what it is taken for."""

    text: str
    finish_reason: str | None
    outcome: Outcome


def asking(unit: Unit) -> Generator[Ask, Reply, Ending]:
    """Yield an output's requests in order; send in each reply; the value is the ending.

    Every step is a call of its own from a clean context. An answer that is cut
    is continued as often as the unit allows. A later step is not asked when an
    earlier one gave no whole answer. Raises DomainError when a value is missing.
    """
    arm = unit.arm
    outputs: dict[str, str] = {}
    stops = arm.settings.get("stop", ())
    for step in steps_of(arm.messages):
        if unit.first is not None and not outputs:
            # Made when the store was asked for it; filling a prompt twice costs as
            # much as sending it.
            ask = unit.first
        else:
            ask = _ask(unit, step, render_step(arm.messages, step, unit.case.inputs, outputs))
        reply = yield ask
        text, finish = reply.text, reply.finish_reason
        outcome = outcome_of(text, finish, stops)
        for _ in range(unit.continuations):
            if outcome.kind != CUT:
                break
            more = yield _ask(unit, step, continuation(ask.messages, text), continues=True)
            if not more.text.strip():
                # Nothing more to say: what there is stays cut.
                break
            text, finish = stitch(text, more.text), more.finish_reason
            outcome = outcome_of(text, finish, stops)
        if step is not None:
            outputs[step] = text
        if outcome.kind != "answered":
            break
    return Ending(text, finish, outcome)


def _ask(
    unit: Unit, step: str | None, messages: tuple[Message, ...], *, continues: bool = False
) -> Ask:
    arm = unit.arm
    body = request_body(
        arm.connection.protocol,
        arm.model,
        messages,
        arm.settings,
        seed=seed_for(arm.settings, unit.trial_seed, unit.repeat),
        unsupported=(*arm.unsupported, *never_sent(arm.connection.protocol)),
    )
    key = answer_key(
        connection=arm.connection.identity,
        # Not every protocol names the model in the body.
        protocol=f"{arm.connection.protocol} {arm.model}",
        body=body,
        repeat=unit.repeat,
        generation=unit.generation,
    )
    return Ask(step, body, key, messages, continues)


def next_ask(unit: Unit) -> Ask | None:
    """The first request that the unit's known answers do not cover.

    None where all is known, or where its prompt cannot be filled.
    """
    steps = asking(unit)
    try:
        ask = next(steps)
        while known := unit.known.get(ask.key):
            ask = steps.send(Reply(known.text, known.finish_reason))
    except (StopIteration, DomainError):
        # run_unit meets the same refusal and stores it with its reason.
        return None
    return ask
