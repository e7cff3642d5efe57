"""Measures that a model judges: the requests are planned here, and the replies read. No call is made."""

from __future__ import annotations

import json
import re
from abc import abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any, ClassVar

from nomikon.core.errors import DomainError, MeasureError
from nomikon.core.measures.asking import AskingMeasure, JudgeRequest, Request
from nomikon.core.measures.base import (
    NOT_ASKED,
    UNREADABLE,
    Answer,
    JudgeReply,
    Score,
)
from nomikon.core.measures.parameters import given
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import placeholder_names
from nomikon.core.prompts.rendering import render
from nomikon.core.prompts.retelling import retold
from nomikon.core.prompts.settings import check_settings
from nomikon.core.replies import ReplyError, find_json
from nomikon.core.replies.reasoning import part_reasoning
from nomikon.core.trials.outcomes import outcome_of

MOST_TIMES = 9
# Room for a reason on every criterion; a judge that needs more is cut, and it is said.
DEFAULT_SETTINGS: dict[str, Any] = {"temperature": 0, "max_tokens": 700}


class JudgementError(ValueError):
    """A judge's reply that is no judgement. kind: what was wrong with it, in a word or two.

    again: whether the same question, asked once more, may bring one.
    """

    def __init__(self, kind: str, why: str, *, again: bool = True) -> None:
        super().__init__(why)
        self.kind = kind
        self.again = again


class JudgeMeasure(AskingMeasure):
    """A rule whose score is a model's judgement.

    `requests` says what to ask, `read` makes a score of what came back. A reply
    that cannot be read gives no score: the output is missing, never 0.
    """

    linear = True
    instruction: ClassVar[str]
    # What the instruction may name; the first ones it must.
    may_name: ClassVar[tuple[str, ...]]
    must_name: ClassVar[tuple[str, ...]]

    def __init__(self, **parameters: Any) -> None:
        self.model = _named(parameters)
        self.connection = parameters.get("connection")
        if self.connection is not None and not isinstance(self.connection, str):
            raise MeasureError("connection must be a connection's name", field="connection")
        self.times: int = given(self, parameters, "times")
        again = parameters.get("again", True)
        if not isinstance(again, bool):
            raise MeasureError("again must be true or false", field="again")
        self.again = again
        self.text = parameters.get("instruction", self.instruction)
        self._check_instruction()
        settings = parameters.get("settings", {})
        if not isinstance(settings, Mapping):
            raise MeasureError("settings must be a mapping", field="settings")
        try:
            self.settings = check_settings({**DEFAULT_SETTINGS, **settings})
        except DomainError as error:
            raise MeasureError(f"settings: {error.message}", field="settings") from error

    def _check_instruction(self) -> None:
        if not isinstance(self.text, str) or not self.text.strip():
            raise MeasureError("the instruction is empty", field="instruction")
        try:
            names = placeholder_names([Message("user", self.text)])
        except DomainError as error:
            raise MeasureError(f"the instruction: {error.message}", field="instruction") from error
        for name in self.must_name:
            if name not in names:
                raise MeasureError(
                    f"the instruction does not hold {{{{{name}}}}}, so the judge would not see it",
                    field="instruction",
                )
        for name in names:
            if name not in self.may_name:
                raise MeasureError(
                    f"the instruction asks for {{{{{name}}}}}; there are {', '.join(self.may_name)}",
                    field="instruction",
                )

    @abstractmethod
    def requests(self, answer: Answer) -> tuple[JudgeRequest, ...]:
        """What to ask about an output, in order; nothing where it cannot be judged."""

    @abstractmethod
    def check(self, reply: JudgeReply) -> None:
        """Whether one reply is a judgement. Raises JudgementError with what is wrong with it."""

    def once_more(self, asked: Request, reply: JudgeReply) -> Request | None:
        """The question put again with what is wrong with its reply; None where it stays as it is.

        A judgement that is unclear is never guessed: the judge may say it clearly once more.
        """
        if not self.again or not isinstance(asked, JudgeRequest):
            return None
        try:
            self.check(reply)
        except JudgementError as error:
            if error.again:
                messages = retold(asked.messages, reply.text, str(error))
                return replace(asked, messages=messages)
        return None

    def whom(self) -> str:
        return self.model

    def filled(self, values: Mapping[str, str]) -> tuple[Message, ...]:
        """The instruction as sent, in a context of its own; values are not filled again."""
        # One text, whatever the values are: no list of turns becomes messages here.
        done = render([Message("system", self.text)], values).messages[0].content
        return (Message("user", done),)


def _named(parameters: Mapping[str, Any]) -> str:
    model = parameters.get("model")
    if not isinstance(model, str) or not model.strip():
        raise MeasureError("say which model judges", field="model")
    return model.strip()


def seen_inputs(answer: Answer, said: str) -> dict[str, Any]:
    """The inputs that a judge is shown: those the prompt shows, and those that `said` names.

    What the model never saw is nothing to hold its answer to, unless the rubric asks for it by name.
    """
    if answer.shown is None:
        return dict(answer.inputs)
    return {
        name: value
        for name, value in answer.inputs.items()
        if name in answer.shown or re.search(rf"(?<!\w){re.escape(name)}(?!\w)", said)
    }


def input_text(inputs: Mapping[str, Any]) -> str:
    """A case's inputs as a judge reads them: alone as they are, several each under its name."""
    texts = {
        n: v if isinstance(v, str) else json.dumps(v, ensure_ascii=False) for n, v in inputs.items()
    }
    if len(texts) == 1:
        return next(iter(texts.values()))
    return "\n\n".join(f"{name}:\n{text}" for name, text in texts.items())


def answer_text(answer: Answer) -> str:
    """What is judged: the output, or the whole conversation it ended."""
    if not answer.turns:
        return answer.output
    return "\n\n".join(f"{t.role}:\n{t.text}" for t in answer.turns)


# Words after a judgement by which a judge takes it back, in four languages.
_TAKEN_BACK = re.compile(
    r"\b(?:wait|actually|correction|on (?:second thought|reflection)|i (?:would|should|must) (?:change|"
    r"revise|correct)|should (?:rather |really )?be|scratch that|ignore (?:that|the above)|i was wrong|"
    r"let me (?:correct|revise|reconsider)|moment|warte|eigentlich|korrektur|doch eher|müsste|"
    r"ich korrigiere|attendez|en fait|plutôt|je (?:corrige|rectifie)|espera|en realidad|corrijo|"
    r"corrección|más bien)\b",
    re.I,
)


def find_judgement(reply: JudgeReply, fits: Callable[[Any], bool] | None = None) -> Any:
    """The JSON value of a judge's reply, whatever stands around it.

    Two judgements that differ, words after it that take it back, and prose are no judgement:
    nothing is guessed. Raises JudgementError naming what it is instead.
    """
    if reply.failure:
        raise JudgementError("failed call", f"the call failed ({reply.failure})", again=False)
    text = part_reasoning(reply.text).answer
    if reply.finish_reason in ("length", "content_filter") or not text.strip():
        outcome = outcome_of(text, reply.finish_reason, reasoned=text != reply.text)
        raise JudgementError(
            outcome.kind, f"the judge's reply was {outcome.kind}: {outcome.why}", again=False
        )
    try:
        found = find_json(reply.text, fits)
    except ReplyError as error:
        raise JudgementError(error.kind, str(error)) from error
    after = text[max(text.rfind("}"), text.rfind("]")) + 1 :]
    if taken_back := _TAKEN_BACK.search(after):
        raise JudgementError(
            "taken back", f"the judge takes its judgement back: “{_around(after, taken_back)}”"
        )
    return found.value


def _around(text: str, found: re.Match[str]) -> str:
    return " ".join(text[max(0, found.start() - 20) : found.end() + 50].split())


def read_object(reply: JudgeReply) -> dict[str, Any]:
    """The JSON object a judge was asked for. Raises JudgementError naming what it is instead."""
    value = find_judgement(reply)
    if isinstance(value, list) and len(value) == 1:
        value = value[0]
    if not isinstance(value, dict):
        raise JudgementError("no JSON", "JSON, but not an object")
    return value


def unreadable(error: JudgementError) -> Score:
    """No score, and what was wrong with the judgement."""
    return Score(None, f"judgement failed ({error.kind}): {error}", UNREADABLE)


def lacks_judgement(score: Score) -> bool:
    """Whether a judge's score is missing because its judge gave none, and asking may bring one."""
    return score.value is None and score.code in (NOT_ASKED, UNREADABLE)
