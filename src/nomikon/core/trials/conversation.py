"""Conversation cases: user turns answered one after the other, written down or played by a model."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from nomikon.core.errors import PlanError
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import placeholder_names
from nomikon.core.prompts.rendering import render_step
from nomikon.core.replies.finding import ReplyError, find_text
from nomikon.core.replies.reasoning import part_reasoning

# The placeholder in a prompt's last user message that stands for each turn.
TURN = "turn"
MOST_TURNS = 40
# So many a talk may have that is held by hand.
MOST_TALKED = 200
DEFAULT_PLAYED_TURNS = 4
# What the model that plays the user says when it has nothing more to say.
END = "END"

USER_INSTRUCTION = """\
You play a person who talks with an assistant. You are not the assistant. Who you are, what you \
want and how you talk:

{{user}}

Write this person's next message and nothing else: no name in front of it, no quotation marks. \
Keep to what this person knows and wants. When the person has what they came for, or sees that \
there is nothing more to be had, reply with the one word END.

The conversation so far:
{{conversation}}"""


@dataclass(frozen=True)
class Conversation:
    """What a case brings to a conversation: turns as written, or a user to be played.

    turns: the user's messages in order. user: who a second model plays; most: how many messages it
    writes at most. said: (role, text) of what was said before and is not asked again, where a talk
    goes on from there; a message that the prompt itself begins with is no part of it.
    """

    turns: tuple[str, ...] = ()
    user: str = ""
    most: int = DEFAULT_PLAYED_TURNS
    said: tuple[tuple[str, str], ...] = ()

    def as_plain(self) -> Any:
        """The inverse of `read_conversation`."""
        return {"user": self.user, "most": self.most} if self.user else list(self.turns)


def read_conversation(value: Any) -> Conversation:
    """A conversation from plain data: a list of texts, or `{user, most}`.

    Raises PlanError with what is allowed.
    """
    if isinstance(value, list):
        if not value or not all(isinstance(t, str) and t.strip() for t in value):
            raise PlanError(
                "a conversation must be a list of the user's messages, none empty",
                field="conversation",
            )
        if len(value) > MOST_TURNS:
            raise PlanError(
                f"a conversation of {len(value)} turns; at most {MOST_TURNS} are allowed",
                field="conversation",
            )
        return Conversation(tuple(value))
    if isinstance(value, Mapping) and not set(value) - {"user", "most"}:
        user, most = value.get("user"), value.get("most", DEFAULT_PLAYED_TURNS)
        whole = isinstance(most, int) and not isinstance(most, bool)
        if isinstance(user, str) and user.strip() and whole and 1 <= most <= MOST_TURNS:
            return Conversation((), user.strip(), most)
    raise PlanError(
        "a conversation is a list of the user's messages, or an object with user (a description) "
        f"and most (1 to {MOST_TURNS})",
        field="conversation",
    )


@dataclass(frozen=True)
class Opening:
    """How a conversation begins: messages before it, and whether the last of them is a user's.

    mould: the user message that each turn is filled into, None where turns go
    out as they are.
    """

    messages: tuple[Message, ...]
    mould: Message | None

    @property
    def speaks_first(self) -> bool:
        """Whether the prompt itself holds the user's first message."""
        return bool(self.messages) and self.messages[-1].role == "user"


def opening(messages: Sequence[Message], inputs: Mapping[str, Any]) -> Opening:
    """The messages that stand before the first turn, filled from the case.

    A last user message with `{{turn}}` is the mould of every turn. Raises
    MissingValueError for a placeholder without a value.
    """
    mould = None
    front = list(messages)
    if front and front[-1].role == "user" and TURN in placeholder_names([front[-1]]):
        mould = front.pop()
    return Opening(render_step(front, None, inputs, {}) if front else (), mould)


def going_on(value: Any) -> Conversation | None:
    """A talk that goes on from plain data: `{said: [{role, content}], turn}` asks one turn,
    `{said, user, most}` has it played on. None without data: no talk.

    An empty turn asks what the prompt itself opens with. Raises PlanError with what is allowed.
    """
    if value is None:
        return None
    said = tuple((str(t["role"]), str(t["content"])) for t in value.get("said", ()))
    if len(said) > 2 * MOST_TALKED:
        raise PlanError(
            f"a talk of {len(said) // 2:,} turns; at most {MOST_TALKED} are possible: begin again "
            "from an earlier one",
            field="talk",
        )
    if any(role not in _WHO for role, _ in said):
        raise PlanError("in a talk a user and the assistant speak, nobody else", field="talk")
    if value.get("user"):
        played = read_conversation({"user": value["user"], "most": value.get("most", 4)})
        return replace(played, said=said)
    turn = str(value.get("turn", ""))
    return Conversation((turn,) if turn.strip() else (), said=said)


def turn_message(begun: Opening, inputs: Mapping[str, Any], turn: str) -> Message:
    """The user message of one turn as sent."""
    if begun.mould is None:
        return Message("user", turn)
    return render_step([begun.mould], None, {**inputs, TURN: turn}, {})[0]


def user_request(
    conversation: Conversation, said: Sequence[tuple[str, str]]
) -> tuple[Message, ...]:
    """What the model that plays the user is asked. said: (role, text) so far."""
    told = "\n\n".join(f"{_WHO[role]}: {text}" for role, text in said) or "(nothing has been said)"
    return render_step(
        [Message("user", USER_INSTRUCTION)],
        None,
        {"user": conversation.user, "conversation": told},
        {},
    )


_WHO = {"user": "You", "assistant": "Assistant"}


_NAMED = re.compile(
    r"\A\s*\**(?:user|you|me|customer|person|client|guest|caller|human|kunde|kundin|cliente?)\**"
    r"\s*(?:\([^)\n]*\))?\s*:\s*\**\s*",
    re.I,
)


@dataclass(frozen=True)
class PlayedTurn:
    """What a played user says, and whether it has nothing more to say."""

    text: str
    ended: bool
    repaired: tuple[str, ...] = ()
    passed_over: tuple[str, ...] = ()


def read_turn(reply: str) -> PlayedTurn:
    """A played user's message: without reasoning, name and quotation marks; END in any dress."""
    if is_end(reply):
        return PlayedTurn("", True)
    try:
        found = find_text(reply)
    except ReplyError:
        return PlayedTurn("", True)
    text, repaired = str(found.value), list(found.repaired)
    if named := _NAMED.match(text):
        text = text[named.end() :]
        repaired.append("a name in front was taken off")
    # What the other side says next is not this person's to write.
    if other := re.search(r"\n\s*\**assistant\**\s*:", text, re.I):
        text = text[: other.start()]
        repaired.append("the assistant's part was taken off")
    quoted = re.fullmatch(r'\s*["“„«](.*)["”“»]\s*', text, re.S)
    if quoted and not re.search(r'["“”„«»]', quoted[1]):
        text = quoted[1]
        repaired.append("taken out of quotation marks")
    if is_end(text):
        return PlayedTurn("", True, tuple(repaired), found.passed_over)
    last = text.rstrip().rsplit("\n", 1)
    if len(last) == 2 and is_end(last[1]):
        return PlayedTurn(last[0].strip(), True, tuple(repaired), found.passed_over)
    return PlayedTurn(text.strip(), False, tuple(repaired), found.passed_over)


def is_end(text: str) -> bool:
    """Whether the played user has nothing more to say: END alone, however it is dressed.

    >>> is_end('END')
    True
    """
    bare = re.sub(r"[^\w]+", "", part_reasoning(text).answer)
    return bare in (END, END.capitalize(), END.lower()) or not bare


def planned_calls(conversation: Conversation, messages: Sequence[Message]) -> tuple[int, int]:
    """Calls of the arm and of the user's model that a conversation takes at most."""
    last = messages[-1] if messages else None
    first = bool(last and last.role == "user" and TURN not in placeholder_names([last]))
    if conversation.user:
        return conversation.most + first, conversation.most
    return len(conversation.turns) + first, 0
