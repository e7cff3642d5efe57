"""Columns of cases put otherwise: renamed, taken out, several made one, one made several."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from nomikon.core.errors import DomainError, MeasureError
from nomikon.core.measures.expression import Formula
from nomikon.core.prompts.rendering import value_as_text

RENAME, REMOVE, JOIN, SPLIT, COMPUTE = ACTS = ("rename", "remove", "join", "split", "compute")
Inputs = Mapping[str, Any]


class ColumnsError(DomainError):
    """A change of columns is not usable."""

    code = "columns_invalid"


def computing(
    formula: str, to: Sequence[str], there: Sequence[str]
) -> tuple[Callable[[Inputs, str | None], tuple[dict[str, Any], str]], list[str]]:
    """A further column worked out by an expression over the other inputs and the reference.

    Gives a case's inputs with it, and why it has no value there where it has none; and the columns
    there are then. Raises ColumnsError with the field.

    >>> put, now = computing('words(inputs.text)', ['n'], ['text'])
    >>> now, put({'text': 'two words'}, None)
    (['text', 'n'], ({'text': 'two words', 'n': 2}, ''))
    """
    names = [n.strip() for n in to]
    _check(COMPUTE, [], names, "", there)
    try:
        read = Formula(formula)
    except MeasureError as error:
        raise ColumnsError(error.message, field="formula") from error

    def put(inputs: Inputs, reference: str | None) -> tuple[dict[str, Any], str]:
        value, why = read.value(inputs, reference)
        return {**inputs, names[0]: value}, why

    return put, [*there, names[0]]


def changing(
    act: str, columns: Sequence[str], to: Sequence[str], mark: str, there: Sequence[str]
) -> tuple[Callable[[Inputs], dict[str, Any]], list[str]]:
    """What becomes of a case's inputs, and the columns there are then, in order.

    columns: the one that is renamed, removed or split, or those that are joined. to: their new name or
    names. mark: what stands between the parts. there: the columns as they are.
    Raises ColumnsError with the field.

    >>> put, now = changing('split', ['name'], ['first', 'last'], ' ', ['id', 'name'])
    >>> now, put({'id': 1, 'name': 'Ada B. Lovelace'})
    (['id', 'first', 'last'], {'id': 1, 'first': 'Ada', 'last': 'B. Lovelace'})
    """
    if act not in ACTS or act == COMPUTE:
        raise ColumnsError(f"{act!r} is no act; there are {', '.join(ACTS)}", field="act")
    names = [n.strip() for n in to]
    _check(act, columns, names, mark, there)
    place = there.index(columns[0])
    if act == RENAME:
        now = [names[0] if c == columns[0] else c for c in there]
        return lambda inputs: {
            names[0] if k == columns[0] else k: v for k, v in inputs.items()
        }, now
    rest = [c for c in there if c not in columns]
    if act == REMOVE:
        return lambda inputs: {k: v for k, v in inputs.items() if k not in columns}, rest
    before = sum(c not in columns for c in there[:place])
    now = [*rest[:before], *names, *rest[before:]]

    def put(inputs: Inputs) -> dict[str, Any]:
        found = {k: v for k, v in inputs.items() if k not in columns}
        if act == JOIN:
            told = [_told(inputs.get(c)) for c in columns]
            made: list[Any] = [mark.join(t for t in told if t)]
        else:
            parts = _told(inputs.get(columns[0])).split(mark, len(names) - 1)
            made = [p.strip() for p in parts] + [""] * (len(names) - len(parts))
        found |= dict(zip(names, made, strict=True))
        return {c: found[c] for c in now if c in found} | found

    return put, now


def _check(
    act: str, columns: Sequence[str], names: Sequence[str], mark: str, there: Sequence[str]
) -> None:
    if missing := [c for c in columns if c not in there]:
        raise ColumnsError(f"there is no column {missing[0]!r}", field="columns")
    if act == REMOVE and set(there) <= set(columns):
        raise ColumnsError(
            "one column must stay: a prompt would have nothing to read", field="columns"
        )
    wanted = {
        COMPUTE: (0, 0),
        RENAME: (1, 1),
        REMOVE: (1, len(there)),
        JOIN: (2, len(there)),
        SPLIT: (1, 1),
    }[act]
    if not wanted[0] <= len(set(columns)) == len(columns) <= wanted[1]:
        told = {JOIN: "at least two columns", COMPUTE: "no column"}.get(act, "a column")
        raise ColumnsError(f"choose {told}, each once", field="columns")
    many = {
        COMPUTE: len(names) == 1,
        RENAME: len(names) == 1,
        REMOVE: not names,
        JOIN: len(names) == 1,
        SPLIT: len(names) > 1,
    }
    if not many[act]:
        told = {SPLIT: "two names or more", REMOVE: "no name"}.get(act, "one name")
        raise ColumnsError(f"give {told}", field="to")
    for name in names:
        if not name or "{" in name or "}" in name or len(name) > 120:
            raise ColumnsError(
                f"{name[:40]!r} cannot be the name of a column: a placeholder must be able to name it",
                field="to",
            )
    stay = [c for c in there if c not in columns]
    if twice := [n for i, n in enumerate(names) if n in stay or n in names[:i]]:
        raise ColumnsError(f"there is a column {twice[0]!r} already", field="to")
    if act == SPLIT and not mark:
        raise ColumnsError("say at what sign it is parted", field="mark")
    if act == RENAME and names[0] == columns[0]:
        raise ColumnsError("that is its name already", field="to")


def _told(value: Any) -> str:
    return "" if value is None else value_as_text(value)
