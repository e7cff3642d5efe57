"""Filling a prompt's placeholders from a case: the messages exactly as sent."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import pystache
from pystache.parser import ParsedTemplate
from pystache.parser import parse as parse_mustache

from nomikon.core.errors import MissingValueError, PromptError
from nomikon.core.prompts.messages import ROLES, Message, messages_of_step, steps_of
from nomikon.core.prompts.placeholders import (
    STEP_PREFIX,
    Tag,
    column_of,
    find_tags,
    placeholder_names,
    value_of,
)


@dataclass(frozen=True)
class Rendered:
    """Messages with every placeholder filled, and what did not fit.

    missing: placeholders without a value in this case (left as written);
    unused: names the case holds that no placeholder asks for.
    """

    messages: tuple[Message, ...]
    missing: list[str]
    unused: list[str]


# How often the inmost section may be repeated, all lists around it counted.
MOST_REPEATS = 100_000


def value_as_text(value: Any) -> str:
    """What a placeholder prints: text as it is, anything else as JSON.

    >>> value_as_text({'a': 1})
    '{"a": 1}'
    """
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def render(messages: Sequence[Message], case: Mapping[str, Any]) -> Rendered:
    """Fill all messages from one case.

    case: inputs by name; what an input holds is named by dots. Strings print as they are, other
        values as JSON; null or absent is missing, "" is not. A section's own name may be absent.
    Outputs of earlier steps are not known here: `{{steps.x}}` stays as written. A user message that
    is nothing but a placeholder for a list of `{role, content}` becomes these messages.
    Raises PlaceholderSyntaxError for text that is no valid Mustache.

    >>> render([Message('user', 'Hello {{name}}')], {'name': 'Ada'}).messages[0].content
    'Hello Ada'
    """
    known_steps = {
        STEP_PREFIX + step: "{{" + STEP_PREFIX + step + "}}"
        for step in steps_of(messages)
        if step is not None
    }
    done, missing = _fill(messages, case, known_steps)
    names = set(placeholder_names(messages))
    unused = [c for c in case if not any(column_of(name, case) == c for name in names)]
    return Rendered(tuple(done), missing, unused)


def render_step(
    messages: Sequence[Message],
    step: str | None,
    case: Mapping[str, Any],
    step_outputs: Mapping[str, str],
) -> tuple[Message, ...]:
    """The messages one call sends, ready to go.

    step_outputs: outputs of the steps that ran before, by step name.
    Raises MissingValueError naming every placeholder without a value: a prompt
    with a hole in it is never sent.
    """
    earlier = {STEP_PREFIX + name: text for name, text in step_outputs.items()}
    done, missing = _fill(messages_of_step(messages, step), case, earlier)
    if missing:
        names = ", ".join(missing)
        raise MissingValueError(
            f"no value for {names}: the case has no such input, or it is null",
            field=missing[0],
            missing=missing,
        )
    return tuple(m for m in done if m.content.strip())


def _fill(
    messages: Sequence[Message], case: Mapping[str, Any], steps: Mapping[str, str]
) -> tuple[list[Message], list[str]]:
    missing: dict[str, None] = {}
    done = []
    for index, message in enumerate(messages):
        text = message.content
        tags = find_tags(text, field=f"messages.{index}.content")
        turns = _turns_of(message, tags, case)
        if turns is not None:
            done += turns
            continue
        if tags:
            holes = _asked_without_value(tags, case, steps)
            missing.update(dict.fromkeys(holes))
            text = _render_text(text, case, steps, holes)
        done.append(Message(message.role, text, message.step))
    return done, list(missing)


def _turns_of(
    message: Message, tags: Sequence[Tag], case: Mapping[str, Any]
) -> list[Message] | None:
    """The turns of a talk, where the message is only the place for them; an empty text for none."""
    if message.role != "user" or len(tags) != 1 or tags[0].kind != "variable":
        return None
    value = value_of(case, tags[0].name)
    if message.content[: tags[0].start].strip() or message.content[tags[0].end :].strip():
        return None
    if not isinstance(value, list) or not all(_is_turn(v) for v in value):
        return None
    turns = [Message(v["role"], v["content"], message.step) for v in value]
    return turns or [Message(message.role, "", message.step)]


def _is_turn(value: Any) -> bool:
    return (
        isinstance(value, Mapping)
        and set(value) == {"role", "content"}
        and value["role"] in ROLES
        and isinstance(value["content"], str)
    )


def _asked_without_value(
    tags: Sequence[Tag], case: Mapping[str, Any], steps: Mapping[str, str]
) -> list[str]:
    """Variables that rendering reaches and that have no value.

    A variable inside a section that is not shown is never asked for. Inside a
    section over a list of objects, the object's own keys count as present.
    """
    holes: dict[str, None] = {}
    shown: list[tuple[bool, set[str]]] = [(True, set())]
    repeats = [1]
    for tag in tags:
        active, local = shown[-1]
        if tag.kind in ("section", "inverted"):
            value = _held(case, steps, tag.name)
            truthy = _is_shown(value)
            keys = set(local)
            if isinstance(value, list):
                for item in value:
                    keys |= set(item) if isinstance(item, Mapping) else set()
            elif isinstance(value, Mapping):
                keys |= set(value)
            shown.append((active and truthy == (tag.kind == "section"), keys))
            repeats.append(repeats[-1] * (len(value) if isinstance(value, list) and value else 1))
            if repeats[-1] > MOST_REPEATS:
                raise PromptError(
                    f"the section {tag.name} would be repeated more than {MOST_REPEATS:,} times",
                    field=tag.name,
                )
        elif tag.kind == "end":
            shown.pop()
            repeats.pop()
        elif (
            tag.kind == "variable"
            and active
            and tag.name != "."
            and column_of(tag.name, local) is None
        ):
            value = _held(case, steps, tag.name)
            if value is None:
                holes.setdefault(tag.name)
    return list(holes)


def _held(case: Mapping[str, Any], steps: Mapping[str, str], name: str) -> Any:
    value = value_of(case, name)
    return steps.get(name) if value is None else value


def _is_shown(value: Any) -> bool:
    """Whether a section over this value is shown (Mustache: not false, null, "" or [])."""
    return value is not None and value is not False and value != "" and value != []


# Nothing is escaped: a prompt is plain text, not HTML.
_RENDERER = pystache.Renderer(escape=lambda t: t, missing_tags="ignore", string_encoding="utf-8")


@lru_cache(maxsize=512)
def _parsed(text: str) -> ParsedTemplate:
    """A template parsed once: a trial fills the same few texts thousands of times."""
    return parse_mustache(text)


def _render_text(
    text: str, case: Mapping[str, Any], steps: Mapping[str, str], holes: Sequence[str]
) -> str:
    # Mustache treats a tag alone on its line specially only for sections and
    # comments; CRLF stays as it is.
    context: dict[str, Any] = {}
    for name, value in case.items():
        if value is not None:
            context[name] = _context_value(value)
    for name in holes:
        context[name] = _Unshown("{{" + name + "}}")
    if steps:
        context["steps"] = {n.removeprefix(STEP_PREFIX): t for n, t in steps.items()}
    # Looked for within what an input holds, a hole would be found empty there.
    within = {n: f"hole {i}" for i, n in enumerate(holes) if column_of(n, case) not in (None, n)}
    for name, place in within.items():
        context[place] = context.pop(name)
    text = _with_holes(text, within) if within else text
    for name in list(context):
        # A dotted name is looked up part by part: hang the value there.
        if "." in name and name != ".":
            _hang(context, name.split("."), context[name])
    try:
        return str(_RENDERER.render(_parsed(text), context))
    except (pystache.parser.ParsingError, ValueError, TypeError) as error:
        raise PromptError(
            "the placeholders cannot be filled: a section is not closed, or a value is not of its kind"
        ) from error


def _hang(context: dict[str, Any], parts: list[str], value: Any) -> None:
    node = context
    for part in parts[:-1]:
        node = node.setdefault(part, {})
        if not isinstance(node, dict):
            return
    node[parts[-1]] = value


def _with_holes(text: str, holes: Mapping[str, str]) -> str:
    """The template with each of these variables under the plain name that holds its place."""
    parts, at = [], 0
    for tag in find_tags(text):
        if tag.kind == "variable" and tag.name in holes:
            parts += [text[at : tag.start], "{{" + holes[tag.name] + "}}"]
            at = tag.end
    return "".join([*parts, text[at:]])


class _Printed(list):  # type: ignore[type-arg]
    """A list that prints as JSON where it is a variable and iterates where it is a section."""

    def __init__(self, plain: list[Any]) -> None:
        super().__init__(_context_value(v) if isinstance(v, (list, dict)) else v for v in plain)
        self._plain = plain

    def __str__(self) -> str:
        return json.dumps(self._plain, ensure_ascii=False)


class _PrintedMap(dict):  # type: ignore[type-arg]
    """A map that prints as JSON where it is a variable; its keys are found by dots and in its section."""

    def __init__(self, plain: Mapping[str, Any]) -> None:
        super().__init__((k, v if v is None else _context_value(v)) for k, v in plain.items())
        self._plain = plain

    def __str__(self) -> str:
        return json.dumps(self._plain, ensure_ascii=False)


def _context_value(value: Any) -> Any:
    if isinstance(value, list):
        return _Printed(value)
    if isinstance(value, dict):
        return _PrintedMap(value)
    if isinstance(value, bool):
        # A plain string: pystache looks names up as attributes of any other object.
        return "true" if value else _Unshown("false")
    return value_as_text(value)


class _Unshown(str):
    """Prints its text where it is a variable and hides the section that it names."""

    def __bool__(self) -> bool:
        return False
