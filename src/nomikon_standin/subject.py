"""Telling the text to work on, and worked examples, from the instructions around them."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

_INPUT_WORDS = (
    "message|text|input|e-?mail|mail|complaint|review|ticket|question|query|log|note|notes|entry|"
    "document|article|passage|comment|report|description|transcript|request|post|letter|"
    "conversation|sentence|paragraph|case|item|record|content|story|feedback|data|source|details"
)
_OUTPUT_WORDS = (
    "output|answer|label|category|class|json|result|reply|response|summary|notice|sentiment|"
    "topic|intent|tags?|table|headline|title|verdict|classification|translation|rewrite"
)
_LABELLED = re.compile(r"^[ \t>*#-]*\**([A-Za-z][\w’' -]{0,40}?)\**[ \t]*:\**[ \t]*(.*)$", re.M)
_MARKS = [
    re.compile(r"<<<[ \t]*\n?(.*?)\n?[ \t]*>>>", re.S),
    re.compile(r'"""\s*(.*?)\s*"""', re.S),
    re.compile(r"'''\s*(.*?)\s*'''", re.S),
    re.compile(r"^```[\w-]*[ \t]*\n(.*?)\n```[ \t]*$", re.S | re.M),
    re.compile(r"<([A-Za-z][\w-]*)>\s*(.*?)\s*</\1>", re.S),
    re.compile(r"\[\[\s*(.*?)\s*\]\]", re.S),
    re.compile(
        r"^(?:-{3,}|={3,}|#{3,}|\*{3,})[ \t]*\n(.*?)\n(?:-{3,}|={3,}|#{3,}|\*{3,})[ \t]*$",
        re.S | re.M,
    ),
]
_ARROW = re.compile(
    r"^[ \t]*(?:[-*•][ \t]*)?(.{3,400}?)[ \t]*(?:->|=>|→|⇒)[ \t]*(\S.*?)[ \t]*$", re.M
)
# Worked examples within a sentence: “Where is it?” is asking, "no" is negative.
_SAID = re.compile(
    r"[\"“«](?P<a>[^\"”»\n]{4,200})[\"”»]\s*(?:is|are|means|counts as|gets|would be|belongs to|→|->|=)\s+"
    r"(?:a |an |the )?[`'‘\"“]?(?P<b>[\w-]+(?: [\w-]+)?)[`'’\"”]?(?=\s*(?:,|;|\.|\band\b|\n|$))"
)
_IMPERATIVE = re.compile(
    r"(?:please |now )?(?:reply|respond|answer|return|give|write|use|classify|sort|output|choose|"
    r"do not|don['’]t|never|always|keep|include|start|begin|end|list|your answer|the answer|the "
    r"reply|rules|format|make|only|if)\b",
    re.I,
)
_FORMAT_BEFORE = re.compile(r"schema|format|template|like this|shape|structure|keys|exactly", re.I)


@dataclass
class Split:
    """What stood in the request, sorted: rules, the text to work on, worked examples, cue."""

    rules: str = ""
    subject: str = ""
    examples: list[tuple[str, str]] = field(default_factory=list)
    cue: str = ""


def is_marked(text: str) -> bool:
    """Whether something in a message stands between marks.

    >>> is_marked('Sort it: <note>late</note>'), is_marked('Note: late')
    (True, False)
    """
    return any(marks.search(text) for marks in _MARKS)


def split_request(messages: list[dict[str, str]]) -> Split:
    """Sort the messages of one request."""
    result = Split()
    system = "\n".join(m["content"] for m in messages if m["role"] == "system")
    turns = [m for m in messages if m["role"] != "system"]
    while (
        len(turns) >= 2
        and turns[0]["role"] == "user"
        and turns[1]["role"] == "assistant"
        and len(turns) > 2
    ):
        _, bare, _ = _split_turn(turns[0]["content"], True)
        result.examples.append((bare, turns[1]["content"].strip()))
        turns = turns[2:]
    last = "\n\n".join(m["content"] for m in turns if m["role"] == "user")
    if not last and turns:
        last = turns[-1]["content"]
    system, found = _take_examples(system)
    result.examples += found
    last, found = _take_examples(last)
    result.examples += found
    rules, result.subject, result.cue = _split_turn(last, bool(system.strip()))
    result.rules = (system + "\n" + rules).strip()
    return result


def _take_examples(text: str) -> tuple[str, list[tuple[str, str]]]:
    """Take worked examples out of running text: labelled pairs of lines, or arrows."""
    found: list[tuple[str, str]] = []
    pair = re.compile(
        rf"^[ \t>*-]*\**((?:[\w-]+ ){{0,2}}(?:{_INPUT_WORDS}))\**(?: \d+)?:\**[ \t]*(?P<a>\S.*?)\n+"
        rf"[ \t>*-]*\**((?:[\w-]+ ){{0,2}}(?:{_OUTPUT_WORDS}))\**(?: \d+)?:\**[ \t]*(?P<b>\S.*?)"
        r"(?=\n[ \t]*\n|\n[ \t>*-]*\**(?:[\w-]+ ){0,2}[\w-]+\**:|\Z)",
        re.I | re.M | re.S,
    )

    def keep(match: re.Match[str]) -> str:
        found.append((_unquoted(match.group("a")), match.group("b").strip()))
        return "\n"

    text = pair.sub(keep, text)
    said = list(_SAID.finditer(text))
    if len(said) >= 2:
        found += [(m.group("a").strip(), m.group("b").strip()) for m in said]
    arrows = [m for m in _ARROW.finditer(text) if len(m.group(2)) <= 400]
    for match in arrows:
        given = re.sub(r"^(?:example|e\.g\.|for example)[:,]?\s*", "", match.group(1), flags=re.I)
        found.append((_unquoted(given), match.group(2).strip()))
    for match in reversed(arrows):
        text = text[: match.start()] + text[match.end() :]
    return text, found


def _unquoted(text: str) -> str:
    return text.strip().strip("\"'“”‘’").strip()


def _split_turn(text: str, has_system: bool) -> tuple[str, str, str]:
    """One user turn as rules, subject and closing cue."""
    body = text.rstrip()
    cue = ""
    lines = body.split("\n")
    if len(lines) > 1 or ">>>" in body:
        closing = re.search(r"(?:^|\n|>>>|\s)([A-Za-z][\w ]{0,30}):$", body)
        if closing and (closing.group(0)[0] in "\n>" or ">>>" in body):
            cue = closing.group(1).strip()
            body = body[: closing.start(1)].rstrip()
    marked = _marked(body)
    if marked:
        start, end, inner = marked
        label = re.search(r"[^\n]*$", body[:start])
        before = body[:start]
        if (
            label
            and re.search(rf"(?:{_INPUT_WORDS})\b[^\n]{{0,40}}$", label.group(0), re.I)
            and len(label.group(0)) < 70
        ):
            before = before[: label.start()]
        return (before + "\n" + body[end:]).strip(), inner.strip(), cue
    labelled = _labelled_input(body)
    if labelled:
        return labelled[0], labelled[1], cue
    if has_system:
        return "", body.strip(), cue
    blocks = [b for b in re.split(r"\n[ \t]*\n", body) if b.strip()]
    if len(blocks) > 1:
        return "\n\n".join(blocks[:-1]), _unquoted(blocks[-1]), cue
    head, colon, rest = body.partition(":")
    if colon and rest.strip() and len(head.split()) <= 25:
        return head, rest.strip(), cue
    if quoted := re.search(r"(?:^|\s)[\"“'‘]([^\"”]{20,})[\"”'’](?:\s|$)", body):
        return body[: quoted.start()] + body[quoted.end() :], quoted.group(1), cue
    return body, body, cue


def _marked(text: str) -> tuple[int, int, str] | None:
    best = None
    for pattern in _MARKS:
        for match in pattern.finditer(text):
            inner = match.group(match.lastindex or 1)
            looks_like_format = inner.lstrip()[:1] in "{[|" and _FORMAT_BEFORE.search(
                text[max(0, match.start() - 120) : match.start()]
            )
            if (
                inner.strip()
                and not looks_like_format
                and (best is None or match.start() >= best[0])
            ):
                best = (match.start(), match.end(), inner)
    return best


def _labelled_input(text: str) -> tuple[str, str] | None:
    known = re.compile(rf"(?:[\w’'-]+ ){{0,3}}(?:{_INPUT_WORDS})(?: \d+)?", re.I)
    matches = list(_LABELLED.finditer(text))
    chosen = next((m for m in matches if known.fullmatch(m.group(1).strip())), None)
    if chosen is None:
        tail = [
            m
            for m in matches
            if m.group(2).strip()
            and m.end() >= len(text.rstrip()) - 1
            and len(m.group(2).split()) > 3
        ]
        chosen = tail[-1] if tail else None
    if chosen is None or not text[chosen.start(2) :].strip():
        return None
    blocks = re.split(r"\n[ \t]*\n", text[chosen.start(2) :])
    after = len(blocks)
    while after > 1 and _IMPERATIVE.match(blocks[after - 1].strip()):
        after -= 1
    # "Sort this message: …" is an instruction as well as a label.
    own = chosen.group(1) + "\n" if len(chosen.group(1).split()) > 2 else ""
    rules = text[: chosen.start()] + "\n" + own + "\n\n".join(blocks[after:])
    return rules.strip(), "\n\n".join(blocks[:after]).strip()
