"""Log files: JSON Lines of conversations or of messages, OTLP JSON of calls, CSV with a line a turn."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, BinaryIO

from nomikon.core.cases.tables import (
    OpenTable,
    Record,
    Refused,
    find_encoding,
    lines_of,
    open_csv,
)
from nomikon.core.cases.talks import Talk, message_of, plain_messages, role_of, talk_of
from nomikon.core.errors import TableError
from nomikon.core.plain_json import PlainJsonError, read_plain

# The one column of a log as a table: a talk in its plain form.
TALK = "talk"
# A JSON file is held whole while it is read.
MOST_JSON = 200_000_000
_HEADS = {
    "talk": "conversation conversation id session session id thread thread id chat chat id dialog "
    "dialog id case id ticket ticket id gespräch gespräch id sitzung fil session id conversación",
    "turn": "turn turn number turn no turn id no nr number step index position seq sequence message "
    "number order time timestamp zug runde tour turno",
    "role": "role speaker from author sender who rolle sprecher rôle role du locuteur rol hablante",
    "text": "text content message utterance body value nachricht inhalt texte contenu texto mensaje "
    "said",
}


def open_log(
    file: BinaryIO, *, encoding: str | None = None, delimiter: str | None = None
) -> OpenTable:
    """A log as a table of one column, TALK, a talk a row. Raises TableError for what is no log."""
    used = find_encoding(file, encoding)
    first = next((line for line in lines_of(file, used) if line.strip()), "")
    begin = first.lstrip()[:1]
    if not begin:
        raise TableError("the file is empty: at least one conversation is needed", field="file")
    if begin not in "{[":
        return _turns_csv(file, encoding, delimiter)
    if _is_one_value(first):
        return _json_lines(file, used)
    return _json_file(file, used)


def _is_one_value(line: str) -> bool:
    """Whether a line is JSON by itself; a file that is one value goes over several, or is no log line."""
    try:
        value = read_plain(line)
    except PlainJsonError:
        return False
    if isinstance(value, list):
        # A list of conversations in one line is a file; a list of messages is a line.
        return not any(isinstance(v, list) or _holds_talk(v) for v in value)
    return "resourceSpans" not in value


def _holds_talk(value: Any) -> bool:
    return isinstance(value, dict) and not any(k in value for k in ("role", "from", "speaker"))


def _json_lines(file: BinaryIO, encoding: str) -> OpenTable:
    def read() -> Iterator[Record | Refused]:
        # Lines that are one message each belong together as long as they name one talk.
        held: list[tuple[str, str]] = []
        source, begun = "", 0
        for number, line in enumerate(lines_of(file, encoding), 1):
            if not line.strip():
                continue
            try:
                value = read_plain(line)
            except PlainJsonError as error:
                yield Refused(number, str(error))
                continue
            one = message_of(value) if isinstance(value, dict) else None
            if held and (one is None or one[0] != source):
                yield Record(begun, {TALK: Talk(tuple(held), source).as_plain()})
                held = []
            if one is None:
                yield _row(number, value)
            else:
                begun = begun if held else number
                source = one[0]
                held.append(one[1])
        if held:
            yield Record(begun, {TALK: Talk(tuple(held), source).as_plain()})

    return OpenTable([TALK], read, encoding, "")


def _row(number: int, value: Any) -> Record | Refused:
    try:
        return Record(number, {TALK: talk_of(value).as_plain()})
    except TableError as error:
        return Refused(number, error.message)


def _json_file(file: BinaryIO, encoding: str) -> OpenTable:
    file.seek(0, 2)
    if file.tell() > MOST_JSON:
        raise TableError(
            f"the file is one JSON value of {file.tell():,} bytes; at most {MOST_JSON:,} are read: "
            "write a conversation a line",
            field="file",
        )
    try:
        value = read_plain("".join(lines_of(file, encoding)))
    except PlainJsonError:
        # Its first line is none, or it is cut: what else is there is read line by line.
        return _json_lines(file, encoding)
    if isinstance(value, dict) and "resourceSpans" in value:
        rows: list[Record | Refused] = list(_spans(value))
        notes = ["calls as OTLP JSON"]
    else:
        inner = value if isinstance(value, list) else _list_in(value)
        rows = [_row(i, v) for i, v in enumerate(inner, 1)]
        notes = ["one JSON value: lines count conversations"]
    return OpenTable([TALK], lambda: iter(rows), encoding, "", notes)


def _list_in(value: Any) -> list[Any]:
    """The list of conversations that an object holds, else the object as the only one."""
    if isinstance(value, dict):
        for key in ("conversations", "data", "items", "logs", "records", "traces"):
            found = value.get(key)
            if isinstance(found, list) and found and not isinstance(found[0], str):
                return found
    return [value]


def _spans(value: Mapping[str, Any]) -> Iterator[Record | Refused]:
    """A talk for every span that holds messages; others are no calls and are passed over."""
    number = 0
    for resource in _lists(value, "resourceSpans"):
        for scope in _lists(resource, "scopeSpans"):
            for span in _lists(scope, "spans"):
                number += 1
                try:
                    talk = _talk_of_span(span)
                except TableError as error:
                    yield Refused(number, error.message)
                    continue
                if talk is not None:
                    yield Record(number, {TALK: talk.as_plain()})


def _lists(value: Any, key: str) -> list[Any]:
    found = value.get(key) if isinstance(value, dict) else None
    return [v for v in found if isinstance(v, dict)] if isinstance(found, list) else []


def _attributes(holder: Mapping[str, Any]) -> dict[str, Any]:
    """Attributes by key, each value as it is: OTLP's JSON wraps it in the name of its type."""
    return {
        a["key"]: next(iter(a["value"].values()), None)
        for a in _lists(holder, "attributes")
        if isinstance(a.get("key"), str) and isinstance(a.get("value"), dict)
    }


def _talk_of_span(span: Mapping[str, Any]) -> Talk | None:
    told = _attributes(span)
    turns: list[tuple[str, str]] = []
    for key in ("gen_ai.system_instructions", "gen_ai.input.messages", "gen_ai.output.messages"):
        found = told.get(key)
        if isinstance(found, str) and found.strip():
            value = plain_messages(found)
            rows = value if isinstance(value, list) else [value]
            if key.endswith("instructions"):
                rows = [{"role": "system", "content": rows}]
            turns += talk_of(rows).turns
    if not turns:
        turns = _numbered(told)
    if not turns:
        turns = _of_events(span)
    if not turns:
        return None
    source = told.get("gen_ai.conversation.id") or span.get("traceId") or ""
    return Talk(tuple(turns), str(source)[:200], _span_figures(span, told))


_NUMBERED = re.compile(r"gen_ai\.(prompt|completion)\.(\d+)\.(role|content)")


def _numbered(told: Mapping[str, Any]) -> list[tuple[str, str]]:
    """gen_ai.prompt.0.role, gen_ai.prompt.0.content …: one attribute for each part of a message."""
    rows: dict[tuple[bool, int], dict[str, str]] = {}
    for key, value in told.items():
        if (match := _NUMBERED.fullmatch(key)) and isinstance(value, str):
            place = (match[1] == "completion", int(match[2]))
            rows.setdefault(place, {})[match[3]] = value
    found = []
    for (answered, _), row in sorted(rows.items()):
        role = role_of(row.get("role", "assistant" if answered else "user"))
        if role and row.get("content", "").strip():
            found.append((role, row["content"]))
    return found


def _of_events(span: Mapping[str, Any]) -> list[tuple[str, str]]:
    """gen_ai.user.message and the like: one event for each message."""
    found = []
    for event in _lists(span, "events"):
        match = re.fullmatch(r"gen_ai\.(\w+)(?:\.message)?", str(event.get("name", "")))
        role = (
            role_of("assistant" if match and match[1] == "choice" else match[1]) if match else None
        )
        text = next((v for k, v in _attributes(event).items() if k.endswith("content")), None)
        if role and isinstance(text, str) and text.strip():
            found.append((role, text))
    return found


def _span_figures(span: Mapping[str, Any], told: Mapping[str, Any]) -> dict[str, float]:
    found: dict[str, float] = {}
    for name, key in (("tokens_in", "input_tokens"), ("tokens_out", "output_tokens")):
        value = told.get(f"gen_ai.usage.{key}")
        # 64-bit integers travel as text in OTLP's JSON.
        if isinstance(value, str | int | float) and str(value).isdigit():
            found[name] = float(value)
    begin, end = (str(span.get(k, "")) for k in ("startTimeUnixNano", "endTimeUnixNano"))
    if begin.isdigit() and end.isdigit() and int(end) > int(begin):
        found["latency_ms"] = (int(end) - int(begin)) / 1e6
    return found


def _turns_csv(file: BinaryIO, encoding: str | None, delimiter: str | None) -> OpenTable:
    """A line a turn: columns for the talk, the turn's number, who speaks and what is said."""
    table = open_csv(file, encoding=encoding, delimiter=delimiter)
    heads = _heads(table.columns)
    missing = [n for n in ("talk", "role", "text") if n not in heads]
    if missing:
        words = {"talk": "which conversation it is", "role": "who speaks", "text": "what is said"}
        raise TableError(
            f"no column tells {words[missing[0]]}: a log as a table has a line a turn, with columns "
            "like conversation, turn, role, text",
            field="file",
        )

    def read() -> Iterator[Record | Refused]:
        # A talk's lines may stand apart: all are read before the first is told.
        talks: dict[str, list[tuple[Any, int, str, str]]] = {}
        for record in table.records():
            if isinstance(record, Refused):
                yield record
                continue
            values = {name: str(record.values.get(column) or "") for name, column in heads.items()}
            role = role_of(values["role"])
            if role is None:
                yield Refused(record.line, f"the role {values['role'][:40]!r} is not known")
            elif not values["talk"].strip():
                yield Refused(record.line, "it does not say which conversation it belongs to")
            else:
                turn = (_order(values.get("turn", "")), record.line, role, values["text"])
                talks.setdefault(values["talk"].strip(), []).append(turn)
        for source, rows in talks.items():
            rows.sort(key=lambda r: (r[0], r[1]))
            turns = tuple((role, text) for _, _, role, text in rows if text.strip())
            line = min(r[1] for r in rows)
            if turns:
                yield Record(line, {TALK: Talk(turns, source[:200]).as_plain()})
            else:
                yield Refused(line, "every message of it is empty")

    return OpenTable([TALK], read, table.encoding, table.delimiter, table.notes)


def _heads(columns: Sequence[str]) -> dict[str, str]:
    """The column of each part, by the words of its heading; the first that fits."""
    plain = {c: " ".join(re.sub(r"[\W_]+", " ", c).casefold().split()) for c in columns}
    found: dict[str, str] = {}
    for part, told in _HEADS.items():
        words = told.split()
        known = {*words, *(" ".join(p) for p in itertools.pairwise(words))}
        for column in columns:
            if plain[column] in known and column not in found.values():
                found[part] = column
                break
    return found


def _order(told: str) -> tuple[int, float, str]:
    """Numbers by size, anything else (times) by its letters."""
    try:
        return 0, float(told.replace(",", ".")), ""
    except ValueError:
        return 1, 0.0, told
