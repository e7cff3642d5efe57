"""A JSON Schema that cannot be applied is refused where it is written: too deep, circular, doubling."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import regex

from nomikon.core.errors import MeasureError
from nomikon.core.foreign_words import of_pattern

DEEPEST = 60
# How many schemas may be looked at for one place of an answer.
MOST_AT_ONCE = 2_000
# Where these stand, the same place of the answer is held to another schema.
_SAME_PLACE = ("allOf", "anyOf", "oneOf")
_SAME_PLACE_ONE = ("not", "if", "then", "else")


def check_bounds(schema: Any) -> None:
    """Raise MeasureError where applying this schema would not end, or not in time.

    >>> check_bounds({"$ref": "#"})
    Traceback (most recent call last):
    ...
    nomikon.core.errors.MeasureError: schema refers to itself at #: no answer could be checked by it
    """
    _check_depth(schema)
    for place, node in _all_nodes(schema, "#"):
        pattern = node.get("pattern")
        for text in [pattern, *node.get("patternProperties", {})]:
            if isinstance(text, str):
                _check_pattern(text, place)
        _count(schema, node, place, ())


def _check_depth(schema: Any) -> None:
    level, depth = [schema], 0
    while level:
        depth += 1
        if depth > DEEPEST:
            raise MeasureError(
                f"schema is nested more than {DEEPEST} deep: no answer needs that", field="schema"
            )
        level = [
            inner
            for node in level
            for inner in (
                node.values()
                if isinstance(node, Mapping)
                else node
                if isinstance(node, list)
                else ()
            )
            if isinstance(inner, (Mapping, list))
        ]


def _all_nodes(node: Any, place: str) -> Iterator[tuple[str, Mapping[str, Any]]]:
    if isinstance(node, Mapping):
        yield place, node
        for key, inner in node.items():
            yield from _all_nodes(inner, f"{place}/{key}")
    elif isinstance(node, list):
        for index, inner in enumerate(node):
            yield from _all_nodes(inner, f"{place}/{index}")


def _count(schema: Any, node: Any, place: str, on_the_way: tuple[str, ...]) -> int:
    """How many schemas one place of an answer is held to; refused where it is without end."""
    if not isinstance(node, Mapping):
        return 1
    total = 1
    reference = node.get("$ref")
    if isinstance(reference, str):
        if reference in on_the_way or len(on_the_way) > DEEPEST:
            raise MeasureError(
                f"schema refers to itself at {reference}: no answer could be checked by it",
                field="schema",
            )
        total += _count(schema, _found(schema, reference), place, (*on_the_way, reference))
    inner = [n for key in _SAME_PLACE for n in node.get(key) or [] if isinstance(node[key], list)]
    inner += [node[key] for key in _SAME_PLACE_ONE if key in node]
    for one in inner:
        total += _count(schema, one, place, on_the_way)
        if total > MOST_AT_ONCE:
            raise MeasureError(
                f"schema holds one value to more than {MOST_AT_ONCE:,} schemas at {place}",
                field="schema",
            )
    return total


def _found(schema: Any, reference: str) -> Any:
    node = schema
    for part in reference.removeprefix("#").split("/")[1:]:
        key = part.replace("~1", "/").replace("~0", "~")
        if isinstance(node, Mapping):
            node = node.get(key)
        elif isinstance(node, list) and key.isdecimal() and int(key) < len(node):
            node = node[int(key)]
        else:
            return None
    return node


def _check_pattern(text: str, place: str) -> None:
    try:
        regex.compile(text)
    except (regex.error, ValueError) as error:
        raise MeasureError(
            f"schema has no regular expression at {place}: {of_pattern(error)}", field="schema"
        ) from error
