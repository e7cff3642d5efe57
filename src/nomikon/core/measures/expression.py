"""A person's own measure: an expression over the output, the case and other scores."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from typing import Any, NoReturn

import regex

from nomikon.core.errors import MeasureError
from nomikon.core.foreign_words import of_pattern
from nomikon.core.measures.base import Answer, Measure, Score, only_known, parse_json
from nomikon.core.measures.declared import LONG, Parameter
from nomikon.core.measures.expression_grammar import COMPARISONS, Node, parse_expression
from nomikon.core.measures.length import UNITS
from nomikon.core.measures.parameters import PATTERN_S
from nomikon.core.plain_json import shown

ROOTS = (
    "output", "reference", "inputs", "json", "reference_json", "scores", "tokens_in",
    "tokens_out", "latency_ms",
)  # fmt: skip


# What a case has before anything is answered.
CASE_ROOTS = ("inputs", "reference", "reference_json")


class _CannotTell(Exception):
    """The expression has no value for this output; the text says why, with the position."""


def _cannot(what: str, node: Node) -> NoReturn:
    raise _CannotTell(f"position {node.at}: {what}")


class Expression(Measure):
    """The value of an expression: a number from 0 to 1, or true and false for 1 and 0.

    Names: output, reference, inputs.x, json.x (fields of the output as JSON),
    reference_json.x, scores["name"] (of measures further up in the scorecard),
    tokens_in, tokens_out, latency_ms. A name without a value is null.
    """

    name = "expression"
    reads_scores = True
    description = (
        "Your own rule: an expression over output, reference, inputs, JSON fields, scores."
    )
    parameters = {
        "is": Parameter(
            "the expression, such as: words(output) <= 40 and contains(output, inputs.vessel)", LONG
        )
    }
    worked = (
        {"is": "words(output) <= 3 and not contains(output, 'sorry')"},
        "All aboard.",
        None,
        1.0,
    )

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        text = parameters.get("is")
        if not isinstance(text, str) or not text.strip():
            raise MeasureError("expression needs `is`: the expression itself", field="is")
        self.tree = parse_expression(text)
        _check(self.tree)

    def score(self, answer: Answer) -> Score:
        try:
            value = _value(self.tree, answer)
        except _CannotTell as error:
            return Score(None, str(error))
        if value is None:
            return Score(None, "the expression is null here")
        if isinstance(value, bool):
            return Score(float(value), "true" if value else _why_false(self.tree, answer))
        if not isinstance(value, float) or not math.isfinite(value):
            return Score(None, f"the value is {shown(str(value))}, not a number")
        if not -1e-9 <= value <= 1 + 1e-9:
            return Score(None, f"the value {value:g} is not between 0 and 1")
        return Score(min(1.0, max(0.0, value)), f"the value is {value:g}")


class Formula:
    """An expression over a case alone: inputs.x, reference, reference_json.x.

    Raises MeasureError on making where it cannot be read or asks for what a case has not.
    """

    def __init__(self, text: str) -> None:
        if not text.strip():
            raise MeasureError("write the expression", field="is")
        self._tree = parse_expression(text)
        _check(self._tree, CASE_ROOTS)

    def value(self, inputs: Mapping[str, Any], reference: str | None) -> tuple[Any, str]:
        """Its value for a case, None where it has none, and then why it has none.

        A whole number is an int: a column of counts reads 3, not 3.0.
        """
        try:
            value = _value(self._tree, Answer("", reference, inputs))
        except _CannotTell as error:
            return None, str(error)
        if isinstance(value, float):
            if not math.isfinite(value):
                return None, "the value is no finite number"
            return (int(value) if value.is_integer() else value), ""
        return value, "" if value is not None else "the expression is null here"


def _check(node: Node, roots: Sequence[str] = ROOTS) -> None:
    """Refuse unknown names and functions before anything is scored."""
    if node.kind == "path" and node.value[0] not in roots:
        raise MeasureError(
            f"position {node.at}: there is no {node.value[0]!r}; known are {', '.join(roots)}",
            field="is",
        )
    if node.kind == "call":
        if node.value not in FUNCTIONS:
            raise MeasureError(
                f"position {node.at}: there is no function {node.value!r}; known are "
                f"{', '.join(FUNCTIONS)}",
                field="is",
            )
        low, high = FUNCTIONS[node.value][1]
        if not low <= len(node.parts) <= high:
            wanted = str(low) if low == high else f"{low} to {high}"
            raise MeasureError(
                f"position {node.at}: {node.value} takes {wanted} values, not {len(node.parts)}",
                field="is",
            )
        if node.value == "matches" and node.parts[1].kind == "value":
            _compiled(str(node.parts[1].value), node.parts[1].at)
    for part in node.parts:
        _check(part, roots)


def _why_false(tree: Node, answer: Answer) -> str:
    """Which part of a chain of `and` is false."""
    while tree.kind == "and":
        left = _value(tree.parts[0], answer)
        tree = tree.parts[1] if left else tree.parts[0]
    if tree.kind in COMPARISONS:
        left, right = (_value(p, answer) for p in tree.parts)
        return f"false at position {tree.at}: {_told(left)} {tree.kind} {_told(right)}"
    return f"false at position {tree.at}"


def _told(value: Any) -> str:
    return f"{value:g}" if isinstance(value, float) else shown(value, 40)


def _value(node: Node, answer: Answer) -> Any:
    if node.kind == "value":
        return node.value
    if node.kind == "path":
        return _plain(_found(node, answer))
    if node.kind in ("and", "or"):
        left = _truth(_value(node.parts[0], answer), node.parts[0])
        if left != (node.kind == "and"):
            return left
        return _truth(_value(node.parts[1], answer), node.parts[1])
    if node.kind == "not":
        return not _truth(_value(node.parts[0], answer), node.parts[0])
    values = [_value(p, answer) for p in node.parts]
    if node.kind == "minus":
        return -_number(values[0], node)
    if node.kind == "call":
        return FUNCTIONS[node.value][0](node, *values)
    if node.kind in COMPARISONS:
        return _compared(node, *values)
    return _computed(node, *values)


def _found(node: Node, answer: Answer) -> Any:
    root, *steps = node.value
    if root in ("json", "reference_json"):
        text = answer.output if root == "json" else answer.reference
        if text is None:
            return None
        try:
            value = _json(text)
        except ValueError as error:
            what = "output" if root == "json" else "reference"
            _cannot(f"the {what} is not JSON: {error}", node)
    elif root == "scores":
        value = answer.scores
    else:
        value = getattr(answer, root)
    for step in steps:
        if isinstance(value, list) and step.isdigit():
            value = value[int(step)] if int(step) < len(value) else None
        elif hasattr(value, "get"):
            value = value.get(step)
        else:
            return None
    return value


@lru_cache(maxsize=256)
def _json(text: str) -> Any:
    return parse_json(text)


def _plain(value: Any) -> Any:
    return float(value) if isinstance(value, int) and not isinstance(value, bool) else value


def _truth(value: Any, node: Node) -> bool:
    if isinstance(value, bool):
        return value
    _cannot(f"true or false is wanted here, not {_told(value)}", node)


def _number(value: Any, node: Node) -> float:
    if isinstance(value, float):
        return value
    _cannot(f"a number is wanted here, not {_told(value)}", node)


def _text(value: Any, node: Node) -> str:
    if isinstance(value, str):
        return value
    _cannot(f"a text is wanted here, not {_told(value)}", node)


def _compared(node: Node, left: Any, right: Any) -> bool:
    if node.kind in ("==", "!="):
        same = type(left) is type(right) and left == right
        return same == (node.kind == "==")
    if node.kind == "in":
        if isinstance(right, list):
            return left in [_plain(v) for v in right]
        return _text(left, node) in _text(right, node)
    if isinstance(left, str) and isinstance(right, str):
        a: Any = left
        b: Any = right
    else:
        a, b = _number(left, node), _number(right, node)
    return bool({"<": a < b, "<=": a <= b, ">": a > b, ">=": a >= b}[node.kind])


def _computed(node: Node, left: Any, right: Any) -> float:
    a, b = _number(left, node), _number(right, node)
    if node.kind == "/":
        if b == 0:
            _cannot("divides by zero", node)
        return a / b
    return {"+": a + b, "-": a - b, "*": a * b}[node.kind]


@lru_cache(maxsize=256)
def _compiled(pattern: str, at: int) -> regex.Pattern[str]:
    try:
        return regex.compile(pattern)
    except (regex.error, ValueError) as error:
        raise MeasureError(
            f"position {at}: no regular expression: {of_pattern(error)}", field="is"
        ) from error


def _matches(node: Node, text: Any, pattern: Any) -> bool:
    try:
        found = _compiled(_text(pattern, node), node.at)
        return found.search(_text(text, node), timeout=PATTERN_S) is not None
    except TimeoutError:
        _cannot(f"the pattern was given up on after {PATTERN_S:g} s", node)
    except MeasureError as error:
        _cannot(error.message, node)


def _to_number(node: Node, value: Any) -> float | None:
    if isinstance(value, float):
        return value
    try:
        number = float(str(value).strip().replace(",", ""))
    except ValueError:
        return None
    return number if math.isfinite(number) else None


def _size(node: Node, value: Any) -> float:
    if isinstance(value, (str, list, dict)):
        return float(len(value))
    _cannot(f"a text or a list is wanted here, not {_told(value)}", node)


def _counting(unit: str) -> Callable[..., float]:
    return lambda node, value: float(UNITS[unit](_text(value, node)))


def _holds(node: Node, text: Any, part: Any) -> bool:
    return _text(part, node) in _text(text, node)


def _replaced(node: Node, text: str, old: str, new: str) -> str:
    if not old:
        _cannot("what is replaced is empty", node)
    return text.replace(old, new)


def _part_of(node: Node, text: Any, mark: Any, place: Any) -> str | None:
    """The part at a place, from 1, or from the end with a minus; null where there are fewer."""
    parts = _text(text, node).split(_text(mark, node) or None)
    number = int(_number(place, node))
    at = number - 1 if number > 0 else len(parts) + number
    return parts[at].strip() if number and 0 <= at < len(parts) else None


def _as_text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def _numbers(node: Node, values: tuple[Any, ...]) -> list[float]:
    return [_number(v, node) for v in values]


# Name -> (function of the node and its values, fewest and most values).
FUNCTIONS: dict[str, tuple[Callable[..., Any], tuple[int, int]]] = {
    "length": (_size, (1, 1)),
    **{unit: (_counting(unit), (1, 1)) for unit in UNITS},
    "contains": (_holds, (2, 2)),
    "starts": (lambda n, t, p: _text(t, n).startswith(_text(p, n)), (2, 2)),
    "ends": (lambda n, t, p: _text(t, n).endswith(_text(p, n)), (2, 2)),
    "count": (lambda n, t, p: float(_text(t, n).count(_text(p, n) or "\0")), (2, 2)),
    "matches": (_matches, (2, 2)),
    "lower": (lambda n, t: _text(t, n).lower(), (1, 1)),
    "upper": (lambda n, t: _text(t, n).upper(), (1, 1)),
    "replace": (lambda n, t, a, b: _replaced(n, _text(t, n), _text(a, n), _text(b, n)), (3, 3)),
    "part": (_part_of, (3, 3)),
    "concat": (lambda n, *v: "".join(_as_text(x) for x in v), (2, 12)),
    "trim": (lambda n, t: _text(t, n).strip(), (1, 1)),
    "number": (_to_number, (1, 1)),
    "exists": (lambda n, v: v is not None, (1, 1)),
    "abs": (lambda n, v: abs(_number(v, n)), (1, 1)),
    "min": (lambda n, *v: min(_numbers(n, v)), (1, 12)),
    "max": (lambda n, *v: max(_numbers(n, v)), (1, 12)),
    "if": (lambda n, c, a, b: a if _truth(c, n) else b, (3, 3)),
}
