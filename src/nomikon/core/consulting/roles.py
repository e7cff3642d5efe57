"""Every role a helping model can have: its words, the form of its reply, its schema, its reader."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from nomikon.core.cases import proposing
from nomikon.core.cases.proposing import Dimension
from nomikon.core.consulting import schemas
from nomikon.core.errors import DomainError, PromptError
from nomikon.core.measures import rubric_draft
from nomikon.core.measures.base import JudgeReply
from nomikon.core.measures.judging import JudgementError, find_judgement
from nomikon.core.measures.precedents import question_criteria
from nomikon.core.measures.preference import read_choice
from nomikon.core.measures.rubric import Criterion, as_plain, draft_of, read_judgement, read_levels
from nomikon.core.prompts import alike, amending, questions, writing
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.proposals import only_shorter, read_proposals
from nomikon.core.prompts.retelling import retold
from nomikon.core.prompts.tenor import by_model
from nomikon.core.replies import ReplyError, find_text, number_of
from nomikon.core.replies.refusals import refusal_of
from nomikon.core.trials.conversation import read_turn
from nomikon.core.twins import by_model as twins

DRAFT, QUESTIONS, CASES = "draft", "questions", "cases"
AMENDMENTS, SHORTER, ADAPT, WISHES = "amendments", "shorter", "adapt", "wishes"
RUBRIC, ALIKE, READING, TWINS = "rubric", "alike", "reading", "twins"
RUBRIC_JUDGE, PREFERENCE_JUDGE, PRECEDENT_JUDGE = (
    "rubric-judge",
    "preference-judge",
    "precedent-judge",
)
USER = "user"


class UnreadableReplyError(DomainError):
    """A reply of which nothing can be taken; the message says why, in a person's words."""

    code = "reply_unreadable"


@dataclass(frozen=True)
class Subject:
    """What a reply is read against; a role looks only at what concerns it.

    messages: the version at hand. columns: what cases fill. faults: how many were shown. known:
    questions asked before. existing: inputs of the cases there are. criteria: of the judge's
    rubric; none takes whatever criteria come. shown: cases that twins are written of.
    """

    messages: tuple[Message, ...] = ()
    columns: tuple[str, ...] = ()
    faults: int = 0
    known: tuple[str, ...] = ()
    existing: tuple[Mapping[str, Any], ...] = ()
    dimensions: tuple[Dimension, ...] = ()
    criteria: tuple[Criterion, ...] = ()
    asked_by: str = ""
    shown: tuple[twins.ShownCase, ...] = ()


@dataclass(frozen=True)
class Reading:
    """A reply as it was read. value: plain data of the role's own kind; items: how many it holds.

    refused: (place from 1, why) of what cannot stand. repaired, passed_over: in words. open: questions
    that a first version leaves open.
    """

    value: Any
    items: int
    refused: list[tuple[int, str]] = field(default_factory=list)
    repaired: list[str] = field(default_factory=list)
    passed_over: list[str] = field(default_factory=list)
    ended: bool = False
    open: list[dict[str, Any]] = field(default_factory=list)


@dataclass(frozen=True)
class Role:
    """One role. words: what it is told as it ships, a person's to change; form: the locked rest.

    tail: what it is shown, with holes. schema: of the reply, None for a text. settings: sampling
    settings it is asked with. title: what it does, in a person's words.
    """

    name: str
    title: str
    words: str
    form: str
    tail: str
    schema: Mapping[str, Any] | None
    read: Callable[[str, Subject], Reading]
    settings: Mapping[str, Any] = field(
        default_factory=lambda: {"temperature": 0.3, "max_tokens": 4000}
    )

    def messages(self, words: str | None = None) -> tuple[Message, ...]:
        """The request with its holes: a person's words, the form after them, the subject."""
        told = (self.words if words is None else words).strip()
        system = f"{told}\n\n{self.form}" if self.form else told
        return (Message("system", system), Message("user", self.tail))

    def own_words(self, text: str) -> str:
        """A kept wording without the form, which once stood in it and is appended now."""
        return text.replace(self.form, "").strip() if self.form else text.strip()

    def retold(self, request: Sequence[Message], reply: str, problem: str) -> tuple[Message, ...]:
        """The request once more, with the reply that could not be read and what is wrong with it."""
        return retold(request, reply, problem, self.form)


def _draft(reply: str, subject: Subject) -> Reading:
    found = writing.read_written(reply, subject.columns, subject.asked_by, subject.known)
    return Reading(
        [asdict(c) for c in found.clauses],
        len(found.clauses),
        found.refused,
        found.repaired,
        found.passed_over,
        open=[_question_row(q) for q in found.open],
    )


def _question_row(question: questions.Question) -> dict[str, Any]:
    return {**asdict(question), "answers": list(question.answers)}


def _questions(reply: str, subject: Subject) -> Reading:
    found = questions.read_questions(reply, subject.asked_by, subject.known)
    rows = [_question_row(q) for q in found.questions]
    return Reading(rows, len(rows), found.refused, found.repaired, found.passed_over)


def _cases(reply: str, subject: Subject) -> Reading:
    found = proposing.read_proposals(
        reply, columns=subject.columns, dimensions=subject.dimensions, existing=subject.existing
    )
    rows = [{**asdict(c), "tags": list(c.tags)} for c in found.cases]
    return Reading(rows, len(rows), found.refused, found.repaired, found.passed_over)


def _amendments(reply: str, subject: Subject) -> Reading:
    found = read_proposals(reply, subject.messages, subject.faults, subject.columns)
    rows = [asdict(p) for p in found.proposals]
    return Reading(rows, len(rows), found.refused, found.repaired, found.passed_over)


def _shorter(reply: str, subject: Subject) -> Reading:
    found = read_proposals(reply, subject.messages, 0, subject.columns)
    kept, longer = only_shorter(found.proposals, subject.messages)
    rows = [asdict(p) for p in kept]
    # Places of what was taken first are those among the taken: told by their own numbers.
    places = {n: int(p.id.removeprefix("p")) for n, p in enumerate(found.proposals, 1)}
    refused = sorted([*found.refused, *((places[n], why) for n, why in longer)])
    return Reading(rows, len(rows), refused, found.repaired, found.passed_over)


def _rubric(reply: str, subject: Subject) -> Reading:
    criteria, found = draft_of(reply)
    return Reading(
        as_plain(criteria), len(criteria), [], list(found.repaired), list(found.passed_over)
    )


def _alike(reply: str, subject: Subject) -> Reading:
    try:
        found = find_text(reply)
    except ReplyError as error:
        raise PromptError(str(error), field="text") from error
    declined = refusal_of(found.value)
    if declined is not None:
        raise PromptError(f"the model declined: it {declined.why}", field="text")
    return Reading(found.value, 1, [], list(found.repaired), list(found.passed_over))


def _reading(reply: str, subject: Subject) -> Reading:
    found = by_model.read_model_reading(reply, subject.messages)
    rows = [asdict(e) for e in found.entries]
    return Reading(rows, len(rows), found.refused, found.repaired, found.passed_over)


def _twins(reply: str, subject: Subject) -> Reading:
    found = twins.read_twins(reply, subject.shown)
    rows = [asdict(t) for t in found.twins]
    return Reading(rows, len(rows), found.refused, found.repaired, found.passed_over)


def _user(reply: str, subject: Subject) -> Reading:
    turn = read_turn(reply)
    return Reading(turn.text, 1, [], list(turn.repaired), list(turn.passed_over), ended=turn.ended)


def _rubric_judge(reply: str, subject: Subject) -> Reading:
    if subject.criteria:
        judged = read_judgement(subject.criteria, JudgeReply(reply))
        rows = [{"name": j.name, "level": j.level, "reason": j.reason} for j in judged]
        return Reading(rows, len(rows))
    rows = []
    for name, (said, reason) in read_levels(find_judgement(JudgeReply(reply))).items():
        level = number_of(said)
        if level is None:
            raise JudgementError("level", f"{name} has the level {said!r}, which is no number")
        rows.append({"name": name, "level": level, "reason": reason})
    return Reading(rows, len(rows))


def _preference_judge(reply: str, subject: Subject) -> Reading:
    better, reason = read_choice(JudgeReply(reply))
    return Reading({"better": better, "reason": reason}, 1)


def _precedent_judge(reply: str, subject: Subject) -> Reading:
    (judged,) = read_judgement(question_criteria("Does it hold?"), JudgeReply(reply))
    return Reading({"holds": judged.level == 2, "reason": judged.reason}, 1)


ROLES: dict[str, Role] = {
    r.name: r
    for r in (
        Role(DRAFT, "a first version", writing.INSTRUCTION, writing.FORM, writing.TAIL, schemas.DRAFT, _draft),
        Role(QUESTIONS, "open questions", questions.INSTRUCTION, questions.FORM, questions.TAIL, schemas.QUESTIONS, _questions),
        Role(CASES, "cases", proposing.INSTRUCTION, proposing.FORM, proposing.TAIL, schemas.CASES, _cases, {"temperature": 0.9, "max_tokens": 8000}),
        Role(AMENDMENTS, "amendments", amending.INSTRUCTION, amending.FORM, amending.TAIL, schemas.AMENDMENTS, _amendments),
        Role(SHORTER, "a shorter version", amending.TRIM, amending.TRIM_FORM, amending.TAIL, schemas.AMENDMENTS, _shorter),
        Role(ADAPT, "a version for one model", amending.ADAPT, amending.FORM, amending.TAIL, schemas.AMENDMENTS, _amendments),
        Role(WISHES, "changes that were wished for", amending.WISHES, amending.WISHES_FORM, amending.TAIL, schemas.AMENDMENTS, _amendments),
        Role(RUBRIC, "a rubric", rubric_draft.INSTRUCTION, rubric_draft.FORM, rubric_draft.TAIL, schemas.RUBRIC, _rubric),
        Role(READING, "how a prompt is read", by_model.INSTRUCTION, by_model.FORM, by_model.TAIL, schemas.READING, _reading, {"temperature": 0, "max_tokens": 2000}),
        Role(TWINS, "twins of cases", twins.INSTRUCTION, twins.FORM, twins.TAIL, schemas.TWINS, _twins, {"temperature": 0.9, "max_tokens": 8000}),
        Role(ALIKE, "one like these", alike.INSTRUCTION, alike.FORM, alike.TAIL, None, _alike),
    )
}  # fmt: skip
# A yes/no question about one stored answer: its words and its subject come with each precedent.
RULING = Role(
    PRECEDENT_JUDGE,
    "a ruling",
    "",
    'Reply with one JSON object and nothing else. It has the key "precedent", an object with the '
    'keys "level" (1 for no, 2 for yes) and "reason" (one sentence).',
    "",
    None,
    _precedent_judge,
)
# Roles within trials, whose requests are planned elsewhere: how their replies are read.
_JUDGING: dict[str, Callable[[str, Subject], Reading]] = {
    RUBRIC_JUDGE: _rubric_judge,
    PREFERENCE_JUDGE: _preference_judge,
    PRECEDENT_JUDGE: _precedent_judge,
    USER: _user,
}
READERS: dict[str, Callable[[str, Subject], Reading]] = {
    **{name: role.read for name, role in ROLES.items()},
    **_JUDGING,
}


def read_reply(role: str, reply: str, subject: Subject) -> Reading:
    """A reply to a role as what it stands for. Raises UnreadableReplyError where nothing can be taken."""
    try:
        return READERS[role](reply, subject)
    except (DomainError, JudgementError, ReplyError) as error:
        told = error.message if isinstance(error, DomainError) else str(error)
        cause = error if isinstance(error, ReplyError) else error.__cause__
        line = cause.place if isinstance(cause, ReplyError) else 0
        raise UnreadableReplyError(told, field="text", line=line) from error
