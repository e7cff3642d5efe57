"""What an output asks, one request after the other. No network: a generator that is answered."""

from __future__ import annotations

from collections.abc import Generator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from nomikon.core.errors import DomainError, PlanError
from nomikon.core.measures import Answer, JudgeReply, Scorecard, Turn, requests_of
from nomikon.core.measures.asking import JudgeRequest, TwinRequest
from nomikon.core.measures.twin_pairs import CANNOT_BE_ASKED
from nomikon.core.prompts import Message, placeholder_names, render_step, steps_of
from nomikon.core.replies.reasoning import part_reasoning
from nomikon.core.trials import (
    ANSWERED,
    CUT,
    Outcome,
    Piece,
    answer_key,
    continuation,
    read_answer,
    seed_for,
)
from nomikon.core.trials.conversation import is_end, opening, read_turn, turn_message, user_request
from nomikon.engine.units import JUDGEMENT, TWIN, USER, Ask, Callee, StoredAnswer, Unit
from nomikon.models.protocols import request_body
from nomikon.models.types import Answer as Answered

# The user is played with some freedom, and briefly.
PLAYED: Mapping[str, Any] = {"temperature": 0.7, "max_tokens": 300}


@dataclass(frozen=True)
class Reply:
    """What came back, as far as the next request depends on it. failure: of a judgement's call."""

    text: str
    finish_reason: str | None
    failure: str = ""
    reasoning: str = ""
    refusal: str = ""
    tools: tuple[str, ...] = ()

    @property
    def piece(self) -> Piece:
        """As a piece of an answer."""
        return Piece(self.text, self.finish_reason, self.reasoning, self.refusal, self.tools)


@dataclass(frozen=True)
class Ending:
    """The whole output: its text, how it ended, what it is taken for, and what judges said of it."""

    text: str
    finish_reason: str | None
    outcome: Outcome
    turns: tuple[Turn, ...] = ()
    reasoning: str = ""
    replies: Mapping[str, Sequence[JudgeReply]] = field(default_factory=dict)


Asking = Generator[Ask, Reply, Ending]


def asking(unit: Unit, card: Scorecard | None = None) -> Asking:
    """Yield an output's requests in order; send in each reply; the value is the ending.

    First the calls that make the answer, then what the scorecard has asked about it. Raises
    DomainError when a value is missing.
    """
    if unit.had is not None:
        ending = Ending(unit.had.text, unit.had.finish_reason, unit.had.outcome, unit.had.turns)
    elif unit.case.conversation is not None:
        ending = yield from _conversation(unit)
    else:
        ending = yield from _steps(unit)
    if card is not None and unit.judges:
        ending = yield from _judged(unit, ending, card)
    return ending


def _steps(unit: Unit) -> Asking:
    """Every step is a call of its own from a clean context.

    A later step is not asked when an earlier one gave no whole answer.
    """
    arm = unit.arm
    outputs: dict[str, str] = {}
    for step in steps_of(arm.messages):
        if unit.first is not None and not outputs:
            # Made when the store was asked for it; filling a prompt twice costs as
            # much as sending it.
            ask = unit.first
        else:
            ask = _ask(unit, step, render_step(arm.messages, step, unit.case.inputs, outputs))
        ending = yield from _whole(unit, ask)
        if step is not None:
            outputs[step] = ending.text
        if ending.outcome.kind != ANSWERED:
            break
    return ending


def _whole(unit: Unit, ask: Ask) -> Asking:
    """One answer, continued as often as the unit allows where it is cut."""
    stops = unit.arm.settings.get("stop", ())
    where = unit.arm.reasoning
    pieces: list[Piece] = []
    if unit.begun:
        # What there is was cut: only the rest is asked for.
        pieces.append(Piece(unit.begun, "length"))
        ask = _ask(unit, ask.step, continuation(ask.messages, unit.begun), continues=True)
    reply = yield ask
    pieces.append(reply.piece)
    read = read_answer(pieces, stops, where)
    for _ in range(unit.continuations):
        if read.outcome.kind != CUT:
            break
        more = yield _ask(unit, ask.step, continuation(ask.messages, read.text), continues=True)
        pieces.append(more.piece)
        if not more.text.strip():
            # Nothing more to say: what there is stays cut.
            break
        read = read_answer(pieces, stops, where)
    return Ending(read.text, read.finish_reason, read.outcome, reasoning=read.reasoning)


def _conversation(unit: Unit) -> Asking:
    """Every user turn answered in one conversation; it ends early at what is no answer."""
    held = unit.case.conversation
    assert held is not None
    if steps_of(unit.arm.messages) != [None]:
        raise PlanError("a version of several steps cannot hold a conversation", field="versions")
    begun = opening(unit.arm.messages, unit.case.inputs)
    history = list(begun.messages)
    said: list[Turn] = []
    if begun.speaks_first:
        said.append(Turn("user", history[-1].content))
    for role, text in held.said:
        said.append(Turn(role, text))
        history.append(
            turn_message(begun, unit.case.inputs, text)
            if role == "user"
            else Message("assistant", text)
        )
    written = list(held.turns)
    left = held.most
    ending: Ending | None = None
    while True:
        if not (history and history[-1].role == "user"):
            if held.user:
                turn = (yield from _played(unit, said)) if left else ""
                left -= 1
                if is_end(turn):
                    break
            elif written:
                turn = written.pop(0)
            else:
                break
            said.append(Turn("user", turn))
            history.append(turn_message(begun, unit.case.inputs, turn))
        ending = yield from _whole(unit, _ask(unit, None, tuple(history)))
        said.append(Turn("assistant", ending.text))
        if ending.outcome.kind != ANSWERED:
            break
        history.append(Message("assistant", ending.text))
    if ending is None:
        raise PlanError(
            "the person that is played has nothing more to say: say the next turn yourself"
            if held.said
            else "the played user said nothing, so there is nothing to answer"
        )
    return replace(ending, turns=tuple(said))


def _played(unit: Unit, said: Sequence[Turn]) -> Generator[Ask, Reply, str]:
    """The next turn of the user, as a second model plays it."""
    held = unit.case.conversation
    if unit.user is None or held is None:
        raise PlanError("no model is chosen to play the user", field="user_model")
    messages = user_request(held, [(t.role, t.text) for t in said])
    reply = yield _ask_other(unit, unit.user, messages, PLAYED, unit.repeat, "user", USER)
    turn = read_turn(part_reasoning(reply.text, unit.user.reasoning).answer)
    return "" if turn.ended else turn.text


def _judged(unit: Unit, ending: Ending, card: Scorecard) -> Asking:
    """The ending with what came back of what its measures have asked."""
    seen = Answer(
        ending.text,
        unit.case.reference,
        unit.case.inputs,
        ending.finish_reason,
        turns=ending.turns,
        shown=_shown(unit),
    )
    measures = dict(card.asking)
    replies: dict[str, list[JudgeReply]] = {}
    for name, asked in requests_of(card, seen, ending.outcome):
        if name not in unit.judges:
            continue
        if isinstance(asked, TwinRequest):
            replies.setdefault(name, []).append((yield from _of_twin(unit, name, asked)))
            continue
        callee = unit.judges[name]
        assert callee is not None, "a judge is another model"
        told = yield from _ruling(unit, callee, name, asked)
        more = measures[name].once_more(asked, told)
        if isinstance(more, JudgeRequest):
            again = yield from _ruling(unit, callee, name, more, again=True)
            # A second question that failed leaves the first reply with what is wrong with it.
            told = told if again.failure else again
        replies.setdefault(name, []).append(told)
    return replace(ending, replies=replies)


def _shown(unit: Unit) -> frozenset[str] | None:
    """Names of the case's inputs that the arm's prompt shows; None of answers that were brought in."""
    if unit.arm.connection is None:
        return None
    return frozenset(name.split(".")[0] for name in placeholder_names(unit.arm.messages))


def _of_twin(unit: Unit, name: str, asked: TwinRequest) -> Generator[Ask, Reply, JudgeReply]:
    """The arm's answer to a twin of the case, by the very requests that the twin as a case would make."""
    if unit.arm.connection is None:
        return JudgeReply("", failure=CANNOT_BE_ASKED)
    case = replace(unit.case, inputs=asked.inputs)
    steps = _steps(replace(unit, case=case, first=None, begun="", had=None))
    try:
        ask = next(steps)
        while True:
            reply = yield replace(ask, part=TWIN, step=name)
            if reply.failure:
                steps.close()
                return JudgeReply("", failure=reply.failure)
            ask = steps.send(reply)
    except StopIteration as end:
        return JudgeReply(end.value.text, end.value.finish_reason)


def _ruling(
    unit: Unit, callee: Callee, name: str, asked: JudgeRequest, *, again: bool = False
) -> Generator[Ask, Reply, JudgeReply]:
    """One question to a judge. again: it repeats the one before, whose reply could not be read."""
    # A judge that could not be read is asked anew: by the same key the same reply would come back.
    generation = unit.had.anew.get(name, unit.generation) if unit.had else unit.generation
    of = replace(unit, generation=generation)
    ask = _ask_other(of, callee, asked.messages, asked.settings, asked.sample, name, JUDGEMENT)
    reply = yield replace(ask, continues=again)
    text = part_reasoning(reply.text, callee.reasoning).answer
    return JudgeReply(text, reply.finish_reason, reply.failure)


def _ask(
    unit: Unit, step: str | None, messages: tuple[Message, ...], *, continues: bool = False
) -> Ask:
    arm, connection = unit.arm, unit.arm.connection
    assert connection is not None, "answers that were brought in are not asked for"
    body = request_body(
        connection,
        arm.model,
        messages,
        arm.settings,
        seed=seed_for(arm.settings, unit.trial_seed, unit.repeat),
        unsupported=arm.unsupported,
    )
    key = answer_key(
        connection=connection.identity,
        # Not every protocol names the model in the body.
        protocol=f"{connection.protocol} {arm.model}",
        body=body,
        repeat=unit.repeat,
        generation=unit.generation,
    )
    return Ask(step, body, key, messages, continues)


def _ask_other(
    unit: Unit,
    callee: Callee,
    messages: tuple[Message, ...],
    settings: Mapping[str, Any],
    sample: int,
    step: str,
    part: str,
) -> Ask:
    """A request to a model that is not the arm's.

    A judgement's key has no repeat of the output's: the same text judged for
    the same case by the same words is the same question.
    """
    protocol = callee.connection.protocol
    body = request_body(
        callee.connection,
        callee.model,
        messages,
        settings,
        seed=seed_for(settings, unit.trial_seed, sample),
        unsupported=callee.unsupported,
    )
    key = answer_key(
        connection=callee.connection.identity,
        protocol=f"{protocol} {callee.model}",
        body=body,
        repeat=sample,
        generation=unit.generation,
    )
    return Ask(step, body, key, messages, part=part, callee=callee)


def reply_of(answer: StoredAnswer | Answered) -> Reply:
    """An answer, just had or stored, as far as the next request depends on it."""
    return Reply(
        answer.text,
        answer.finish_reason,
        reasoning=answer.reasoning,
        refusal=answer.refusal,
        tools=tuple(name for name, _ in answer.tool_calls),
    )


def next_ask(unit: Unit, card: Scorecard | None = None) -> Ask | None:
    """The first request that the unit's known answers do not cover.

    None where all is known, or where its prompt cannot be filled.
    """
    steps = asking(unit, card)
    try:
        ask = next(steps)
        while known := unit.known.get(ask.key):
            ask = steps.send(reply_of(known))
    except (StopIteration, DomainError):
        # run_unit meets the same refusal and stores it with its reason.
        return None
    return ask
