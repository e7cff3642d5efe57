"""Conversations as logs hold them: who said what, in whatever words a log has for it."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from nomikon.core.errors import TableError
from nomikon.core.plain_json import PlainJsonError, read_plain

SYSTEM, USER, ASSISTANT, TOOL = "system", "user", "assistant", "tool"
# Words for each role: English, German, French, Spanish, Italian, Portuguese.
_ROLES = {
    SYSTEM: "system developer instructions systeme sistema",
    USER: "user human customer client person caller visitor guest passenger patient student buyer "
    "consumer enduser nutzer nutzerin benutzer benutzerin kunde kundin fahrgast gast mensch "
    "utilisateur utilisatrice cliente clienta usager usuario usuaria utente utilizador humano",
    ASSISTANT: "assistant ai bot model agent chatbot llm operator advisor support staff service "
    "helpdesk assistent assistentin berater beraterin agentin mitarbeiter mitarbeiterin asistente "
    "asesor assistente agente conseiller conseillere",
    TOOL: "tool function tools",
}
_ROLE = {word: role for role, words in _ROLES.items() for word in words.split()}
_ROLE_KEYS = ("role", "from", "speaker", "author", "sender", "type", "who")
_TEXT_KEYS = ("content", "text", "value", "message", "body", "utterance", "parts")
_TALK_KEYS = ("messages", "conversation", "conversations", "turns", "dialog", "dialogue", "chat",
              "history", "transcript")  # fmt: skip
_ID_KEYS = ("conversation_id", "conversationId", "conversation", "session_id", "sessionId", "session",
            "thread_id", "threadId", "thread", "dialog_id", "chat_id", "chatId", "call_id",
            "trace_id", "traceId", "id", "uuid")  # fmt: skip
_ASKED_IN = ("request", "input", "body", "inputs")
_ANSWERED_IN = ("response", "output", "completion", "answer", "reply", "outputs")
MOST_TURNS = 1_000


@dataclass(frozen=True)
class Talk:
    """turns: (role, text) in order. source: what tells it from other talks. answer figures: of its
    last answer, tokens_in, tokens_out, latency_ms where the log has them."""

    turns: tuple[tuple[str, str], ...]
    source: str = ""
    figures: Mapping[str, float] = field(default_factory=dict)

    def as_plain(self) -> dict[str, Any]:
        """What `talk_from` reads again."""
        return {
            "messages": [{"role": r, "content": t} for r, t in self.turns],
            "id": self.source,
            "figures": dict(self.figures),
        }


def role_of(word: str) -> str | None:
    """The role that a log's word stands for; None for one that is not known.

    >>> role_of('Customer'), role_of('ASSISTANT'), role_of('Kundin'), role_of('x')
    ('user', 'assistant', 'user', None)
    """
    plain = re.sub(r"[\W_]+", "", word.casefold().replace("è", "e").replace("é", "e"))
    return _ROLE.get(plain)


def talk_of(value: Any) -> Talk:
    """A talk from one line of a log. Raises TableError with what is wrong with it.

    A list of messages, an object that holds one under any of the usual names, or a call: what was
    asked beside what was answered.

    >>> talk_of({'id': 7, 'messages': [{'role': 'user', 'content': 'Hi'}]}).turns
    (('user', 'Hi'),)
    """
    if isinstance(value, list):
        return Talk(_turns(value))
    if not isinstance(value, dict):
        raise TableError("no conversation: neither a list of messages nor an object", field="file")
    asked = next((value[k] for k in _ASKED_IN if isinstance(value.get(k), dict | list)), value)
    rows = asked if isinstance(asked, list) else _rows_in(asked)
    if rows is None and isinstance(prompt := value.get("prompt"), str) and prompt.strip():
        rows = [{"role": USER, "content": prompt}]
    if rows is None:
        raise TableError(
            f"no list of messages in it: none of {', '.join(_TALK_KEYS[:4])} … holds one",
            field="file",
        )
    turns = list(_turns(rows))
    answer = _answer_in(value)
    if answer is not None and (not turns or turns[-1] != (ASSISTANT, answer)):
        turns.append((ASSISTANT, answer))
    system = asked.get("system") if isinstance(asked, dict) else None
    if isinstance(system, str) and system.strip():
        turns.insert(0, (SYSTEM, system))
    return Talk(tuple(turns), _id_in(value), _figures_in(value))


def message_of(value: Mapping[str, Any]) -> tuple[str, tuple[str, str]] | None:
    """A line that is one message of a talk: the talk's id and (role, text); None where it is none."""
    role = next((value[k] for k in _ROLE_KEYS if isinstance(value.get(k), str)), None)
    known = role_of(role) if role is not None else None
    source = _id_in(value)
    if known is None or not source or any(isinstance(value.get(k), list) for k in _TALK_KEYS):
        return None
    return source, (known, _text_in(value))


def _rows_in(value: Mapping[str, Any]) -> list[Any] | None:
    for key in _TALK_KEYS:
        found = value.get(key)
        if isinstance(found, str) and found.lstrip().startswith("["):
            # A cell that holds JSON.
            try:
                found = read_plain(found)
            except PlainJsonError:
                continue
        if isinstance(found, list):
            return found
    return None


def _turns(rows: Sequence[Any]) -> tuple[tuple[str, str], ...]:
    if not rows:
        raise TableError("the conversation is empty", field="file")
    if len(rows) > MOST_TURNS:
        raise TableError(f"{len(rows):,} messages; at most {MOST_TURNS:,} are read", field="file")
    found = []
    for place, row in enumerate(rows, 1):
        if not isinstance(row, dict):
            raise TableError(f"message {place} is no object with a role and a text", field="file")
        told = next((t for k in _ROLE_KEYS if (t := _role_word(row.get(k))) is not None), None)
        if told is None:
            raise TableError(f"message {place} has no role", field="file")
        role = role_of(told)
        if role is None:
            raise TableError(f"message {place}: the role {told[:40]!r} is not known", field="file")
        text = _text_in(row)
        if text.strip():
            found.append((role, text))
    if not found:
        raise TableError("every message is empty", field="file")
    return tuple(found)


def _role_word(value: Any) -> str | None:
    """A role as a word, or within an object about who speaks."""
    if isinstance(value, dict):
        value = value.get("role")
    return value if isinstance(value, str) else None


def _text_in(row: Mapping[str, Any]) -> str:
    for key in _TEXT_KEYS:
        if key in row and (text := _as_text(row[key])) is not None:
            return text
    return ""


def _as_text(value: Any) -> str | None:
    """A text, or the texts of a list of parts one under the other."""
    if isinstance(value, str):
        return value
    if isinstance(value, list):
        parts = [
            p if isinstance(p, str) else _text_in(p) for p in value if isinstance(p, str | dict)
        ]
        return "\n".join(p for p in parts if p)
    if isinstance(value, dict):
        return _text_in(value)
    return None


def _answer_in(value: Mapping[str, Any]) -> str | None:
    """The answer that stands beside what was asked."""
    for key in (*_ANSWERED_IN, "choices"):
        found = value.get(key)
        if isinstance(found, str):
            return found if found.strip() else None
        if isinstance(found, dict) and "choices" in found:
            found = found["choices"]
        if isinstance(found, list) and found:
            found = found[0]
        if isinstance(found, dict):
            inner = found.get("message", found)
            text = _as_text(inner)
            if text and text.strip():
                return text
    return None


def _id_in(value: Mapping[str, Any]) -> str:
    for key in _ID_KEYS:
        found = value.get(key)
        if isinstance(found, str | int) and not isinstance(found, bool) and str(found).strip():
            return str(found).strip()[:200]
    return ""


def _figures_in(value: Mapping[str, Any]) -> dict[str, float]:
    """Tokens and time of the answer, where the log has them under a usual name."""
    if isinstance(own := value.get("figures"), dict):
        return {str(k): float(v) for k, v in own.items() if isinstance(v, int | float)}
    places: list[Any] = [value, value.get("usage"), value.get("response")]
    if isinstance(value.get("response"), dict):
        places.append(value["response"].get("usage"))
    names = {
        "tokens_in": ("prompt_tokens", "input_tokens", "tokens_in"),
        "tokens_out": ("completion_tokens", "output_tokens", "tokens_out"),
        "latency_ms": ("latency_ms", "duration_ms", "elapsed_ms"),
    }
    found: dict[str, float] = {}
    for name, keys in names.items():
        for place in places:
            if isinstance(place, dict):
                for key in keys:
                    told = place.get(key)
                    if isinstance(told, int | float) and not isinstance(told, bool) and told >= 0:
                        found.setdefault(name, float(told))
    return found


@dataclass(frozen=True)
class LogCase:
    """One case of a talk: what the user said, what came before it, and the answer that followed."""

    message: str
    before: tuple[tuple[str, str], ...]
    system: str
    answer: str | None
    figures: Mapping[str, float]
    turns: tuple[str, ...] = ()

    @property
    def as_text(self) -> str:
        """What came before as one text."""
        return "\n".join(f"{_NAMES[role]}: {text}" for role, text in self.before)

    @property
    def as_messages(self) -> list[dict[str, str]]:
        """What came before as messages; what a tool said is told by the user, as no prompt has its role."""
        return [
            {"role": USER, "content": f"{_NAMES[role]}: {text}"}
            if role == TOOL
            else {"role": role, "content": text}
            for role, text in self.before
        ]


_NAMES = {USER: "User", ASSISTANT: "Assistant", TOOL: "Tool"}
LAST, EACH, WHOLE = WAYS = ("last", "each", "whole")


def cases_of_talk(talk: Talk, way: str) -> list[LogCase]:
    """The cases that a talk makes. way: its last user turn with what came before as history, each of
    its user turns so, or the talk as a whole, whose user turns are asked one after the other.

    Raises TableError for one in which no user speaks.
    """
    users = [i for i, (role, _) in enumerate(talk.turns) if role == USER]
    if not users:
        raise TableError("no user speaks in it", field="file")
    system = "\n\n".join(text for role, text in talk.turns if role == SYSTEM)
    if way == WHOLE:
        said = tuple(talk.turns[i][1] for i in users)
        return [LogCase("", (), system, _answer_after(talk, users[-1]), talk.figures, said)]
    chosen = users[-1:] if way == LAST else users
    return [
        LogCase(
            talk.turns[i][1],
            tuple(t for t in talk.turns[:i] if t[0] != SYSTEM),
            system,
            _answer_after(talk, i),
            # The log's figures are those of the last answer.
            talk.figures if i == users[-1] else {},
        )
        for i in chosen
    ]


def _answer_after(talk: Talk, place: int) -> str | None:
    """What the assistant said next, before a user spoke again."""
    said = []
    for role, text in talk.turns[place + 1 :]:
        if role == USER:
            break
        if role == ASSISTANT:
            said.append(text)
    return "\n\n".join(said) or None


def plain_messages(text: str) -> Any:
    """JSON in an attribute. Raises TableError where it is none."""
    try:
        return read_plain(text)
    except PlainJsonError as error:
        raise TableError(str(error), field="file") from error


def talk_from(plain: Mapping[str, Any]) -> Talk:
    """The inverse of `Talk.as_plain`."""
    return Talk(
        tuple((m["role"], m["content"]) for m in plain["messages"]),
        plain["id"],
        plain.get("figures", {}),
    )
