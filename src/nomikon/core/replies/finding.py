"""The JSON, or the text, that a model was asked for, in what it really sent.

A tolerant parser puts in order what is merely untidy. What it would have to complete (a
structure that was cut) or to leave out is refused: nothing is taken that the model did not say.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import json_repair

from nomikon.core.replies.brackets import structures
from nomikon.core.replies.reasoning import part_reasoning
from nomikon.core.replies.refusals import refusal_of

# A longer reply is no answer to a question of this kind.
LONGEST = 1_000_000
_FENCED = re.compile(
    r"^[ \t]*(?P<mark>`{3,}|~{3,})[ \t]*(?P<language>[\w+-]*)[^\n]*\n(?P<body>.*?)(?:\n[ \t]*(?P=mark)[`~]*[ \t]*$)",
    re.M | re.S,
)


class ReplyError(ValueError):
    """A reply that holds nothing that can be read; the reason is in a person's words.

    kind: in a word or two what it was instead. place: where in the reply, from 1, 0 unknown.
    """

    def __init__(self, kind: str, why: str, place: int = 0) -> None:
        super().__init__(why)
        self.kind = kind
        self.place = place


@dataclass(frozen=True)
class Found:
    """What a reply holds. repaired: what was put in order; passed_over: what was left out."""

    value: Any
    repaired: tuple[str, ...] = ()
    passed_over: tuple[str, ...] = field(default=())


def find_json(reply: str, fits: Callable[[Any], bool] | None = None) -> Found:
    """The one JSON value of a reply, whatever stands around it.

    fits: whether a value can be what was asked for; what cannot is passed over where something
    else can. Several objects one after the other are a list. Raises ReplyError: nothing in it,
    cut before its end, or several that do not agree.
    """
    body, passed = _body(reply)
    values, repaired, used = _values(body)
    told: list[str] = list(repaired)
    suiting = [v for v in values if fits is None or fits(v)]
    if suiting:
        values = suiting
    if not values:
        raise _nothing(body)
    value, how = _one(values)
    if how:
        told.append(how)
    rest = _SPACES.sub(" ", _without(body, used)).strip(" `~\n")
    if re.search(r"\w", rest):
        passed.append(f"words beside it: “{_short(rest)}”")
    return Found(value, tuple(dict.fromkeys(told)), tuple(passed))


# An open bracket in so few words beside a JSON that was read is of no account.
_ASIDE = 200
# What some programs write for a number that is none.
_NO_VALUE = re.compile(r"(?<=[:\[,\s])-?(?:NaN|Infinity)(?=\s*[,}\]])")
_WORD = re.compile(r"\w{2,}|\d")
_SPACES = re.compile(r"\s+")


def find_text(reply: str) -> Found:
    """The one text a model was asked for: without reasoning, preamble, fence and label.

    Raises ReplyError where there is none, or where the model declined.
    """
    body, passed = _body(reply)
    repaired: list[str] = []
    blocks = list(_FENCED.finditer(body))
    if len(blocks) == 1 and _is_frame(body, blocks[0]):
        around = f"{body[: blocks[0].start()]} {body[blocks[0].end() :]}".strip()
        if around:
            passed.append(f"words beside it: “{_short(around)}”")
        repaired.append("taken out of its fence")
        body = blocks[0]["body"]
    else:
        first, _, rest = body.partition("\n")
        if rest.strip() and _PREAMBLE.match(first.strip()):
            passed.append(f"words before it: “{_short(first)}”")
            body = rest.strip("\n")
        body, after = _without_afterword(body)
        if after:
            passed.append(f"words after it: “{_short(after)}”")
        body = re.sub(r"\A\s*(?:-{3,}|\*{3,})\s*\n|\n\s*(?:-{3,}|\*{3,})\s*\Z", "\n", body)
    body = body.strip("\n").rstrip()
    quoted = re.fullmatch(r'\s*(?:"(.*)"|“(.*)”)\s*', body, re.S)
    if quoted and not re.search(r'["“”]', quoted[1] or quoted[2] or ""):
        body = quoted[1] or quoted[2] or ""
        repaired.append("taken out of quotation marks")
    if not body.strip():
        raise ReplyError("empty", "the reply holds no text")
    return Found(body, tuple(repaired), tuple(passed))


_PREAMBLE = re.compile(
    r"(?:(?:sure|certainly|of course|okay|ok|absolutely|great|here(?:'s|’s| is| are)|below is|"
    r"natürlich|gerne|selbstverständlich|hier (?:ist|sind|kommt)|klar|"
    r"bien sûr|voici|d'accord|certainement|voilà|"
    r"claro|por supuesto|aquí (?:tiene|está|tienes)|desde luego)\b[^\n]{0,200}[:!.]|"
    r"\**(?:new |revised |neuer )?(?:prompt|message|nachricht|mensaje)\**\s*:\**)$",
    re.I,
)
_AFTERWORD = re.compile(
    r"\n\s*\n(?:[-*]{3,}\s*\n+)?((?:let me know|feel free|i hope|hope this|would you like|"
    r"this (?:prompt|version|message)|note:|notes:|\(note|if you(?:'d| would) like|"
    r"i(?:'ve| have) (?:kept|made|followed|written|used)|"
    r"lass(?:en sie)? mich wissen|ich hoffe|hinweis:|sag bescheid|"
    r"n'hésitez pas|j'espère|remarque|dites-moi|espero|avísame|hágame saber|nota:)"
    r"[^\n]*(?:\n[^\n]+)*)\s*\Z",
    re.I,
)


def _without_afterword(body: str) -> tuple[str, str]:
    found = _AFTERWORD.search(body)
    return (body[: found.start()], found[1]) if found and found.start() > 0 else (body, "")


def _is_frame(body: str, block: re.Match[str]) -> bool:
    """Whether a fence holds the text asked for, and is not a part of it."""
    before, after = body[: block.start()].strip(), body[block.end() :].strip()
    if not before and not after:
        return True
    short = len(before.split()) <= 40 and before.count("\n") <= 2
    return short and (not before or before.endswith((":", ".", "!"))) and len(after.split()) <= 80


def _body(reply: str) -> tuple[str, list[str]]:
    if len(reply) > LONGEST:
        raise ReplyError(
            "too long", f"the reply has {len(reply):,} characters; at most {LONGEST:,} are read"
        )
    parted = part_reasoning(reply.replace("\r\n", "\n").replace("\ufeff", ""))
    passed = []
    if parted.open:
        raise ReplyError("cut", "the reply broke off while the model was still reasoning")
    if parted.reasoning:
        passed.append(f"reasoning before it: “{_short(parted.reasoning)}”")
    body = parted.answer.strip()
    if not body:
        raise ReplyError("empty", "the reply is empty")
    return body, passed


def _nothing(body: str) -> ReplyError:
    if declined := refusal_of(body):
        return ReplyError("declined", f"the model declined: it {declined.why}")
    return ReplyError("prose", f"there is no JSON in the reply; it says: “{_short(body)}”")


def _values(body: str) -> tuple[list[Any], list[str], list[tuple[int, int]]]:
    """Every JSON value of a text, what was put in order for it, and where each stood."""
    whole = _strict(body)
    if whole is not None and isinstance(whole[0], (dict, list)):
        return [whole[0]], [], [(0, len(body))]
    found: list[Any] = []
    repaired: list[str] = []
    used: list[tuple[int, int]] = []
    for span in structures(body):
        piece = body[span.start : span.end]
        if not span.closed:
            if not found or len(piece) >= _ASIDE or '"' in piece:
                raise ReplyError(
                    "cut",
                    f"the JSON was cut: it is open from line {body[: span.start].count(chr(10)) + 1} "
                    "on and never closed",
                    body[: span.start].count("\n") + 1,
                )
            continue
        read = _tolerant(piece)
        if read is None:
            continue
        found.append(read[0])
        repaired += read[1]
        used.append((span.start, span.end))
    return found, repaired, used


def _strict(text: str) -> tuple[Any] | None:
    try:
        return (json.loads(text, parse_constant=_no_constant),)
    except (ValueError, RecursionError):
        return None


def _no_constant(name: str) -> Any:
    raise ValueError(name)


def _tolerant(piece: str) -> tuple[Any, list[str]] | None:
    """A structure read as well as it can be, with what had to be put in order; None if it is none."""
    if (strict := _strict(piece)) is not None:
        return strict[0], []
    if _NO_VALUE.search(piece):
        return None
    try:
        value = json.loads(piece, strict=False, parse_constant=_no_constant)
        return value, ["line breaks within texts were not escaped"]
    except (ValueError, RecursionError):
        pass
    straight = _straight(piece)
    told = ["curly quotation marks"] if straight != piece else []
    for text, what in ((straight, []), (_unescaped(straight), ["quotation marks within texts"])):
        if (strict := _strict(text)) is not None:
            return strict[0], told + what
    try:
        value = json_repair.loads(straight, skip_json_loads=True)
    except (ValueError, RecursionError, TypeError, IndexError):
        return None
    if not isinstance(value, (dict, list)) or _lost(straight, value):
        return None
    if re.search(r",\s*[}\]]", straight):
        told.append("a comma too many")
    if re.search(r"(?:^|[\s,{\[])(?://|/\*|#)", straight):
        told.append("comments in the JSON")
    if re.search(r"[{,\[]\s*'", straight):
        told.append("single quotation marks")
    return value, told or ["the JSON was untidy"]


def _straight(piece: str) -> str:
    """Curly quotation marks as straight ones where they hold keys and texts."""
    out = re.sub(r"([{\[,:]\s*)[“„«](?=[^“”„«»]*[”“»]\s*[:,}\]])", r'\1"', piece)
    return re.sub(r"[”“»](?=\s*[:,}\]])", '"', out) if out != piece else out


def _unescaped(piece: str) -> str:
    """Quotation marks within texts escaped, told by what follows them."""
    out: list[str] = []
    inside = False
    for at, char in enumerate(piece):
        if char != '"' or (at and piece[at - 1] == "\\"):
            out.append("\\n" if inside and char == "\n" else char)
            continue
        if not inside:
            inside = True
            out.append(char)
            continue
        after = piece[at + 1 : at + 200].lstrip()
        if not after or after[0] in ":}]" or re.match(r',\s*["{\[\d}\]tfn-]', after):
            inside = False
            out.append(char)
        else:
            out.append('\\"')
    return "".join(out)


def _lost(piece: str, value: Any) -> bool:
    """Whether a repair left out words that stand in the piece (comments aside)."""
    bare = re.sub(r"/\*.*?\*/", " ", piece, flags=re.S)
    bare = re.sub(r"(?m)(?:^|(?<=[\s,{\[]))(?://|#)(?![^\n]*\"\s*[,}\]])[^\n]*$", " ", bare)
    bare = bare.replace("\\n", " ").replace("\\t", " ").replace('\\"', '"')
    bare = re.sub(r"\\u[0-9a-fA-F]{4}", " ", bare)
    kept = json.dumps(value, ensure_ascii=False).replace("\\n", " ").replace("\\t", " ")
    words = _WORD.findall(kept.casefold())
    counts: dict[str, int] = {}
    for word in words:
        counts[word] = counts.get(word, 0) + 1
    missing = 0
    for word in _WORD.findall(bare.casefold()):
        if counts.get(word, 0) > 0:
            counts[word] -= 1
        elif word not in ("true", "false", "null", "none"):
            missing += 1
    return missing > 0


def _one(values: list[Any]) -> tuple[Any, str]:
    """Several values of a reply as one, and how. Raises ReplyError where they do not agree."""
    if len(values) == 1:
        return values[0], ""
    different: list[Any] = []
    for value in values:
        if value not in different:
            different.append(value)
    if len(different) == 1:
        return different[0], "the same was said twice"
    if all(isinstance(v, dict) for v in different):
        shapes = {tuple(sorted(str(k).casefold() for k in v)) for v in different}
        holds_list = any(isinstance(x, list) and x and isinstance(x[0], dict)
                         for v in different for x in v.values())  # fmt: skip
        if not holds_list and (len(shapes) == 1 or _share_keys(different)):
            return different, "one object after the other, read as a list"
    raise ReplyError(
        "several", f"the reply holds {len(different)} answers that differ; leave the one that holds"
    )


def _share_keys(rows: list[dict[str, Any]]) -> bool:
    keys = [{str(k).casefold() for k in r} for r in rows]
    return len(set.intersection(*keys)) >= 2


def _without(body: str, used: list[tuple[int, int]]) -> str:
    out, at = [], 0
    for start, end in used:
        out.append(body[at:start])
        at = end
    rest = "".join([*out, body[at:]])
    return re.sub(r"(?m)^[ \t]*(?:`{3,}|~{3,})[\w+-]*[ \t]*$", "", rest)


def _short(text: str) -> str:
    flat = " ".join(text.split())
    return flat if len(flat) <= 80 else f"{flat[:79]}…"
