"""A whole prompt that came back where parts of one were asked for: found, and laid beside a version."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from typing import Any

from nomikon.core.errors import DomainError
from nomikon.core.prompts.alignment import align_clauses
from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.messages import ROLES, Message
from nomikon.core.prompts.placeholders import placeholder_names
from nomikon.core.replies import ReplyError, find_json, find_text, pick, text_of
from nomikon.core.replies.refusals import refusal_of

# Reasons where the model gave none.
UNTOLD, WHOLE = "No reason was given.", "From the whole prompt that the model wrote."

# Of a version's clauses this share must be found again: else it is another text.
SHARED = 0.5
# Words of the request itself: a weak model that repeats what it was asked writes no prompt.
_ECHO = re.compile(
    r"Reply with one JSON object|^(?:Job|Inputs|Clauses of the prompt|Faults):\s*$|^§\d+ \((?:system|user)\)",
    re.M,
)
_HEAD = re.compile(
    r"^[ \t#*>_]*(system|user|assistant)(?: message| prompt)?[ \t*_]*:?[ \t*_]*$", re.I | re.M
)


def double_braces(text: str, names: Collection[str]) -> tuple[str, list[str]]:
    """A text whose holes have double braces, and the names of those that had single ones."""
    found: list[str] = []

    def doubled(match: re.Match[str]) -> str:
        found.append(match[1])
        return "{{" + match[1] + "}}"

    for name in sorted(names, key=len, reverse=True):
        text = re.sub(rf"(?<!\{{)\{{\s*({re.escape(name)})\s*\}}(?!\}})", doubled, text)
    return text, list(dict.fromkeys(found))


def whole_prompt_of(reply: str, names: Collection[str]) -> tuple[Message, ...] | None:
    """The whole prompt a reply holds: as messages in JSON, or as a text; None where it holds none.

    names: the holes a prompt here has; at least one of them (any, where none is known) must stand
    in it, which tells a prompt from words about one.
    """
    try:
        value: Any = find_json(reply, _like_prompt).value
    except ReplyError as error:
        if error.kind not in ("prose", "several"):
            return None
        value = None
    messages = _of_value(value) if value is not None else _of_text(reply)
    if not messages or any(_ECHO.search(m.content) for m in messages):
        return None
    straight = [Message(m.role, double_braces(m.content, names)[0]) for m in messages]
    try:
        held = set(placeholder_names(straight))
    except DomainError:
        return None
    return tuple(straight) if (held & set(names) if names else held) else None


def _like_prompt(value: Any) -> bool:
    return bool(_of_value(value))


def _of_value(value: Any) -> list[Message]:
    if isinstance(value, Mapping):
        held = pick(value, "messages", "prompt")
        if isinstance(held, str) and held.strip():
            return [Message("user", held.strip())]
        if held is not None:
            return _of_value(held)
        parts = [Message(r, text_of(pick(value, r))) for r in ("system", "user") if pick(value, r)]
        return [m for m in parts if m.content.strip()]
    if isinstance(value, list) and value and all(isinstance(v, Mapping) for v in value):
        rows = [(str(pick(v, "role") or ""), text_of(pick(v, "content", "text"))) for v in value]
        if all(role in ROLES and text.strip() for role, text in rows):
            return [Message(role, text.strip()) for role, text in rows]
    return []


def _of_text(reply: str) -> list[Message]:
    try:
        text = str(find_text(reply).value)
    except ReplyError:
        return []
    if refusal_of(text) is not None:
        return []
    heads = list(_HEAD.finditer(text))
    if not heads:
        return [Message("user", text)]
    found = []
    for at, head in enumerate(heads):
        end = heads[at + 1].start() if at + 1 < len(heads) else len(text)
        content = text[head.end() : end].strip().strip("`").strip()
        if content:
            found.append(Message(head[1].lower(), content))
    return found


def changes_to(old: Sequence[Message], new: Sequence[Message]) -> list[tuple[str, int, str]] | None:
    """(kind, clause, text) for every clause that another text of a version adds, amends or strikes.

    None where too little of the version is found again in it.
    """
    before = clauses_of(old)
    flat_old, flat_new = _flat(old), _flat(new)
    a, b = clauses_of(flat_old), clauses_of(flat_new)
    if [c.text for c in a] != [c.text for c in before] or not a:
        return None
    pairs, moves = align_clauses(a, b, [(0, 0)])
    both = sorted([*pairs, *moves], key=lambda p: p[1])
    if len(both) < SHARED * len(a):
        return None
    changes: list[tuple[str, int, str]] = []
    to_old = {j: i for i, j in both}
    after = 0
    for j, clause in enumerate(b):
        if j not in to_old:
            changes.append(("add", after, clause.text))
            continue
        kept = before[to_old[j]]
        after = kept.number
        if _words(clause) != _words(kept):
            changes.append(("amend", kept.number, clause.text))
    held = {i for i, _ in both}
    changes += [("strike", c.number, "") for i, c in enumerate(before) if i not in held]
    return changes


def _flat(messages: Sequence[Message]) -> list[Message]:
    return [Message("user", "\n\n".join(m.content for m in messages))]


def _words(clause: Clause) -> str:
    return " ".join(clause.text.split())
