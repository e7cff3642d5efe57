"""Values of a reply as what they stand for: rows, texts, numbers and kinds, however they are put."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from nomikon.core.replies.finding import Found, ReplyError, find_json

_NUMBER_WORDS = {
    word: number
    for number, words in enumerate(
        (
            "zero null zéro cero",
            "one eins un une uno una first erste premier primero",
            "two zwei deux dos second zweite deuxième segundo",
            "three drei trois tres third dritte troisième tercero",
            "four vier quatre cuatro fourth vierte quatrième cuarto",
            "five fünf cinq cinco fifth fünfte cinquième quinto",
            "six sechs seis sixth",
            "seven sieben sept siete seventh",
            "eight acht huit ocho eighth",
            "nine neun neuf nueve ninth",
            "ten zehn dix diez tenth",
            "eleven elf onze once",
            "twelve zwölf douze doce",
        )
    )
    for word in words.split()
}
_WRAPPED = re.compile(
    r"(?:§+|#|n[o°º]\.?|nr\.?|clause|klausel|level|stufe|niveau|nivel|fault|point)", re.I
)


def plain_key(key: Any) -> str:
    """A key without regard to case, blanks and marks: `Clause No.` is `clauseno`.

    >>> plain_key("Clause_Number")
    'clausenumber'
    """
    return re.sub(r"[\W_]+", "", str(key).casefold())


def pick(row: Mapping[str, Any], *names: str) -> Any:
    """The value under a key, or under the first of its other names; None where there is none.

    Case, blanks and marks of keys do not count; one letter may be wrong in a longer key.

    >>> pick({'Reason': 'late'}, 'reason', 'why')
    'late'
    """
    held = {plain_key(k): v for k, v in row.items()}
    for name in names:
        if (key := plain_key(name)) in held:
            return held[key]
    for name in names:
        key = plain_key(name)
        if len(key) < 4:
            continue
        near = (
            [
                k
                for k in held
                if k[0] == key[0] and (k in (f"{key}s", key.rstrip("s")) or _off_by_one(k, key))
            ]
            if held
            else []
        )
        if len(near) == 1:
            return held[near[0]]
    return None


def _off_by_one(a: str, b: str) -> bool:
    """Whether one letter was left out, added, changed or swapped with its neighbour."""
    if a == b or abs(len(a) - len(b)) > 1:
        return False
    if len(a) == len(b):
        wrong = [i for i, (x, y) in enumerate(zip(a, b, strict=True)) if x != y]
        if len(wrong) == 2 and wrong[1] == wrong[0] + 1:
            return a[wrong[0]] == b[wrong[1]] and a[wrong[1]] == b[wrong[0]]
        return len(wrong) == 1
    long, short = (a, b) if len(a) > len(b) else (b, a)
    return any(long[:i] + long[i + 1 :] == short for i in range(len(long)))


def rows_of(
    reply: str, key: str, others: Sequence[str] = (), required: Sequence[Sequence[str]] = ()
) -> Found:
    """The list of rows a reply holds, however it is wrapped; the value is the list.

    key: the one asked for, others: names it also goes by. required: for each of the keys a row
    must have, the names it goes by; a single object with the first of them is a list of one.
    Where there is no JSON, a numbered list whose items name these keys is read. Raises ReplyError.
    """
    names = [key, *others]

    def is_row(value: Any) -> bool:
        return isinstance(value, dict) and bool(required) and pick(value, *required[0]) is not None

    def fits(value: Any) -> bool:
        try:
            return _unwrapped(value, names, is_row) is not None
        except ReplyError:
            return False

    try:
        found = find_json(reply, fits)
    except ReplyError as error:
        if error.kind in ("prose", "declined") and (rows := labelled_rows(reply, required)):
            return Found(rows, ("read from a list in words",))
        raise
    told = list(found.repaired)
    unwrapped = _unwrapped(found.value, names, is_row)
    if unwrapped is None:
        raise ReplyError("no list", f'the reply holds no list "{key}"')
    rows, how = unwrapped
    if how:
        told.append(how)
    return Found(rows, tuple(told), found.passed_over)


def _unwrapped(
    value: Any, names: Sequence[str], is_row: Any, depth: int = 0
) -> tuple[list[Any], str] | None:
    if isinstance(value, list):
        if len(value) == 1 and isinstance(value[0], list):
            return value[0], "a list in a list"
        if len(value) == 1 and isinstance(value[0], dict) and not is_row(value[0]):
            inner = _unwrapped(value[0], names, is_row, depth + 1)
            if inner is not None:
                return inner[0], "the list stood in another wrapper"
        return value, "" if depth else "the list came without its key"
    if not isinstance(value, dict) or depth > 3:
        return None
    held = pick(value, names[0])
    if isinstance(held, str) and held.strip()[:1] in "[{":
        try:
            held = find_json(held).value
        except ReplyError:
            held = None
    if isinstance(held, list):
        exact = names[0] in value
        return held, "" if exact else "a key was written otherwise"
    if isinstance(held, dict):
        if is_row(held):
            return [held], "a single object in place of a list"
        rows = list(held.values())
        if rows and all(isinstance(r, dict) for r in rows):
            inner = _unwrapped(held, names, is_row, depth + 1)
            return inner if inner is not None else (rows, "an object of rows in place of a list")
        inner = _unwrapped(held, names, is_row, depth + 1)
        if inner is not None:
            return inner[0], "the list stood in a doubled wrapper"
    if is_row(value):
        return [value], "a single object in place of a list"
    for name in names[1:]:
        other = pick(value, name)
        if isinstance(other, list):
            return other, f"the list stood under “{name}”"
    lists = [v for v in value.values() if isinstance(v, list) and v and isinstance(v[0], dict)]
    if len(lists) == 1:
        return lists[0], "the list stood under another key"
    inners = [v for v in value.values() if isinstance(v, dict)]
    if len(inners) == 1:
        inner = _unwrapped(inners[0], names, is_row, depth + 1)
        if inner is not None:
            return inner[0], "the list stood in a doubled wrapper"
    rows = [v for v in value.values() if is_row(v)]
    if rows and len(rows) == len(value):
        return rows, "an object of rows in place of a list"
    empty = [v for v in value.values() if v == []]
    return ([], "") if len(empty) == 1 and len(value) == 1 else None


_ITEM = re.compile(r"^[ \t]*(?:\d{1,3}[.)]|[-*•]|#{1,4})[ \t]+", re.M)
_LABEL = re.compile(r"^[ \t>*_#-]*\**([A-Za-z][\w ]{1,20}?)\**[ \t]*[:=][ \t]*\**[ \t]*(.*)$")


def labelled_rows(reply: str, required: Sequence[Sequence[str]]) -> list[dict[str, Any]]:
    """A list in words whose items name their fields: `1. Kind: add` and so on; [] where it is none.

    required: the keys each item must have, by the names they go by.
    """
    if not required:
        return []
    rows: list[dict[str, Any]] = []
    current: dict[str, Any] | None = None
    last: str | None = None
    first = {plain_key(n) for n in required[0]}
    for line in reply.splitlines():
        bare = _ITEM.sub("", line)
        begun = bare != line and re.match(r"^[ \t]{0,2}(?:\d|#)", line) is not None
        label = _LABEL.match(bare)
        if begun or (
            label
            and plain_key(label[1]) in first
            and (current is None or plain_key(label[1]) in current)
        ):
            current, last = {}, None
            rows.append(current)
        if current is None:
            continue
        if label:
            last = plain_key(label[1])
            current[last] = label[2].strip().strip("*").strip()
        elif last is not None and line.strip():
            current[last] = f"{current[last]}\n{line.strip()}".strip()
    wanted = [{plain_key(n) for n in names} for names in required]
    good = [r for r in rows if all(any(k in r for k in keys) for keys in wanted)]
    return good if good and len(good) == len([r for r in rows if r]) else []


def text_of(value: Any) -> str:
    """A value as a text; lists of lines are joined, "" where it is none.

    >>> text_of(['a', 'b'])
    'a\\nb'
    """
    if isinstance(value, str):
        return value
    if isinstance(value, list) and value and all(isinstance(v, str) for v in value):
        return "\n".join(value)
    if isinstance(value, (int, float)) and not isinstance(value, bool):
        return str(value)
    if isinstance(value, dict) and len(value) == 1:
        return text_of(next(iter(value.values())))
    return ""


def whole_number(value: Any) -> int | None:
    """A whole number, written as 3, 3.0, "3", "three", "§3", "3.", "No. 3"; None for anything else.

    What names several numbers, or none, is None: it is never guessed.

    >>> [whole_number(x) for x in ("§4", "3.0", "three", "3/5", "soon")]
    [4, 3, 3, None, None]
    """
    if isinstance(value, bool) or value is None:
        return None
    if isinstance(value, float):
        return int(value) if value.is_integer() else None
    if isinstance(value, int):
        return value
    if isinstance(value, list) and len(value) == 1:
        return whole_number(value[0])
    if not isinstance(value, str):
        return None
    text = _WRAPPED.sub(" ", value.strip().casefold()).strip(" .:)([]\"'“”*_")
    if re.fullmatch(r"\d{1,6}(?:\.0+)?", text):
        return int(float(text))
    return _NUMBER_WORDS.get(text)


def number_of(value: Any, top: int | None = None) -> int | None:
    """A level as a whole number; also "3/3" and "3 of 5" where the scale's top agrees.

    A number with words after it counts ("3 (good)", "3 - calm") where no other number is named.

    >>> number_of("4/5", 5), number_of("2 or 3", 5)
    (4, None)
    """
    if (number := whole_number(value)) is not None or not isinstance(value, str):
        return number
    text = value.strip().casefold()
    if share := re.fullmatch(
        r"(?:level\s*)?([\w]+)\s*(?:/|of|out of|von|sur|de)\s*([\w]+)\.?", text
    ):
        level, of = whole_number(share[1]), whole_number(share[2])
        return level if level is not None and (top is None or of == top) else None
    numbers = re.findall(r"\d+(?:[.,]\d+)?", text)
    words = [w for w in re.findall(r"[^\W\d_]+", text) if w in _NUMBER_WORDS]
    if (
        len(numbers) == 1
        and not words
        and re.match(r"(?:level\s*|stufe\s*)?\d+\s*(?:[(:–—,=-]|$)", text)
    ):
        return whole_number(numbers[0])
    return None


def kind_of(value: Any, kinds: Mapping[str, Sequence[str]]) -> str | None:
    """A kind by its name or a synonym; None for a word that is neither.

    >>> kind_of("delete", {"strike": ("delete", "remove"), "add": ("insert",)})
    'strike'
    """
    word = plain_key(value) if isinstance(value, str) else ""
    for kind, synonyms in kinds.items():
        if word in {plain_key(w) for w in (kind, *synonyms)}:
            return kind
    return None
