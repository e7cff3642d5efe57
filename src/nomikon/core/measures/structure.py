"""Structure: JSON fields equal to the reference's, and validity against a JSON Schema."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from datetime import datetime, time
from typing import Any

from jsonschema import Draft202012Validator, FormatChecker
from jsonschema.exceptions import SchemaError
from referencing import Registry
from referencing.exceptions import Unresolvable

from nomikon.core.errors import MeasureError
from nomikon.core.foreign_words import of_schema
from nomikon.core.measures.base import (
    NO_REFERENCE,
    Answer,
    Measure,
    Score,
    doubled_keys,
    only_known,
    parse_json,
)
from nomikon.core.measures.declared import FLAG, JSON, Parameter
from nomikon.core.measures.parameters import given
from nomikon.core.measures.schema_bounds import check_bounds
from nomikon.core.plain_json import shown
from nomikon.core.texts.words import whole_fence

MAX_WHY_ERRORS = 3


def read_output(text: str, fenced: bool) -> Any:
    """The output as JSON; a fenced block is opened only where the scorecard allows it.

    Raises ValueError.
    """
    return parse_json(unfenced(text, fenced, "the JSON"))


def unfenced(text: str, fenced: bool, what: str) -> str:
    """A text out of the fence around it, where the scorecard lets it have one. Raises ValueError."""
    body = whole_fence(text.removeprefix("\ufeff"))
    if body is None:
        return text
    if not fenced:
        raise ValueError(f"{what} is wrapped in a code fence")
    return body


def twice(text: str, fenced: bool) -> str:
    """What to say of keys that stand twice in a JSON that was read; "" where none does."""
    found = doubled_keys(unfenced(text, fenced, "the JSON"))
    if not found:
        return ""
    return f"; {', '.join(map(shown, found[:3]))} stands twice in one object: the last counts"


class JsonFields(Measure):
    """Share of the reference's fields that the output's JSON object has with equal values."""

    linear = True
    name = "json-fields"
    description = (
        "The output is a JSON object; the weighted share of fields equal to the reference's."
    )
    needs_reference = True
    parameters = {
        "fields": Parameter(
            "field names, or a mapping of field name to weight; all fields if left out", JSON
        ),
        "fenced": Parameter("true to accept JSON inside a code fence (default false)", FLAG),
    }
    worked = ({}, '{"a": 1, "b": 2}', '{"a": 1, "b": 3}', 0.5)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.fields = _checked_fields(parameters.get("fields"))
        self.fenced = given(self, parameters, "fenced")

    def score(self, answer: Answer) -> Score:
        if answer.reference is None:
            return NO_REFERENCE
        try:
            wanted = parse_json(answer.reference)
        except ValueError as error:
            return Score(None, f"the reference is not JSON: {error}")
        if not isinstance(wanted, dict):
            return Score(None, "the reference is not a JSON object")
        weights = self.fields or dict.fromkeys(wanted, 1.0)
        absent = [f for f in weights if f not in wanted]
        if absent:
            return Score(None, f"the reference has no field {', '.join(absent)}")
        if not weights:
            return Score(None, "the reference has no fields")
        try:
            got = read_output(answer.output, self.fenced)
        except ValueError as error:
            return Score(0.0, f"not JSON: {error}")
        if not isinstance(got, dict):
            return Score(0.0, "JSON, but not an object")
        right, wrong = 0.0, []
        for name, weight in weights.items():
            if name not in got:
                wrong.append(f"{name} is missing")
            elif json_equal(got[name], wanted[name]):
                right += weight
            else:
                wrong.append(f"{name} is {shown(got[name])}, not {shown(wanted[name])}")
        why = "; ".join(wrong) if wrong else f"all {len(weights)} fields equal"
        why += twice(answer.output, self.fenced)
        # math.fsum keeps a full set of thirds at exactly 1.
        total = math.fsum(weights.values())
        return Score(1.0 if not wrong else min(1.0, right / total), why)


def json_equal(a: Any, b: Any) -> bool:
    """Equality of JSON values: 1 equals 1.0, but true is not 1; key order is free.

    >>> json_equal({'a': 1}, {'a': 1.0})
    True
    """
    if isinstance(a, bool) or isinstance(b, bool):
        return isinstance(a, bool) and isinstance(b, bool) and a == b
    if isinstance(a, Mapping) and isinstance(b, Mapping):
        return a.keys() == b.keys() and all(json_equal(a[k], b[k]) for k in a)
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(json_equal(x, y) for x, y in zip(a, b, strict=True))
    return bool(a == b)


def _checked_fields(fields: Any) -> dict[str, float] | None:
    if fields is None:
        return None
    if isinstance(fields, (list, tuple)):
        fields = dict.fromkeys(fields, 1.0)
    if not isinstance(fields, Mapping) or not fields:
        raise MeasureError("fields must name at least one field", field="fields")
    clean: dict[str, float] = {}
    for name, weight in fields.items():
        number = isinstance(weight, (int, float)) and not isinstance(weight, bool)
        if not isinstance(name, str) or not number or not math.isfinite(weight) or weight <= 0:
            raise MeasureError(
                f"the weight of field {name!r} is {weight!r}; it must be a number above 0",
                field="fields",
            )
        clean[name] = float(weight)
    return clean


class JsonSchema(Measure):
    """1 when the output is JSON that a JSON Schema (2020-12) accepts."""

    name = "json-schema"
    description = "The output is JSON and valid against the schema (draft 2020-12)."
    parameters = {
        "schema": Parameter(
            "the JSON Schema, an object; references to the network are refused", JSON
        ),
        "fenced": Parameter("true to accept JSON inside a code fence (default false)", FLAG),
    }
    worked = ({"schema": {"required": ["a"]}}, '{"b": 1}', None, 0.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        schema = parameters.get("schema")
        if not isinstance(schema, (Mapping, bool)):
            raise MeasureError("schema must be a JSON Schema object", field="schema")
        self.fenced = given(self, parameters, "fenced")
        check_bounds(schema)
        try:
            Draft202012Validator.check_schema(schema)
        except SchemaError as error:
            place = "/".join(str(p) for p in error.absolute_path) or "the top"
            raise MeasureError(
                f"schema is not valid at {place}: {of_schema(error)}", field="schema"
            ) from error
        _refuse_remote(schema)
        # An empty registry: a reference can only lead to a place in the schema itself.
        self._validator = Draft202012Validator(schema, registry=Registry(), format_checker=FORMATS)
        left = sorted(_formats(schema) - set(FORMATS.checkers))
        self._unchecked = f" (format {', '.join(left)} is not checked)" if left else ""

    def score(self, answer: Answer) -> Score:
        try:
            value = read_output(answer.output, self.fenced)
        except ValueError as error:
            return Score(0.0, f"not JSON: {error}")
        try:
            errors = sorted(self._validator.iter_errors(value), key=lambda e: str(e.json_path))
        except (Unresolvable, RecursionError) as error:
            return Score(None, f"the schema cannot be applied: {str(error)[:200]}")
        if not errors:
            return Score(1.0, f"valid{self._unchecked}{twice(answer.output, self.fenced)}")
        told = [f"{e.json_path}: {of_schema(e)}" for e in errors[:MAX_WHY_ERRORS]]
        more = len(errors) - len(told)
        return Score(0.0, "; ".join(told) + (f"; {more} more" if more else ""))


# Formats that can be told by the standard library alone; a why names the others.
FORMATS = FormatChecker(("date", "email", "idn-email", "ipv4", "ipv6", "regex", "uuid"))


@FORMATS.checks("date-time")
def _is_date_time(value: object) -> bool:
    if not isinstance(value, str):
        return True
    if not re.fullmatch(r"\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d:\d\d(\.\d+)?([Zz]|[+-]\d\d:\d\d)", value):
        return False
    return _read(lambda: datetime.fromisoformat(value.upper().replace("Z", "+00:00")))


@FORMATS.checks("time")
def _is_time(value: object) -> bool:
    if not isinstance(value, str):
        return True
    if not re.fullmatch(r"\d\d:\d\d:\d\d(\.\d+)?([Zz]|[+-]\d\d:\d\d)", value):
        return False
    return _read(lambda: time.fromisoformat(value.upper().replace("Z", "+00:00")))


@FORMATS.checks("uri")
def _is_uri(value: object) -> bool:
    return not isinstance(value, str) or bool(
        re.fullmatch(r"[A-Za-z][A-Za-z0-9+.-]*:[^\s<>\"{}|\\^`]*", value)
    )


def _read(read: Callable[[], object]) -> bool:
    try:
        read()
    except ValueError:
        return False
    return True


def _formats(node: Any) -> set[str]:
    """The formats that a schema names."""
    if isinstance(node, list):
        return set().union(*map(_formats, node)) if node else set()
    if not isinstance(node, Mapping):
        return set()
    own = {node["format"]} if isinstance(node.get("format"), str) else set()
    return own.union(*(_formats(v) for v in node.values()))


def _refuse_remote(node: Any) -> None:
    if isinstance(node, Mapping):
        for key, value in node.items():
            remote = isinstance(value, str) and not value.startswith("#")
            if key in ("$ref", "$dynamicRef") and remote:
                raise MeasureError(
                    f"schema refers to {value!r}; only references inside the schema (#…) "
                    "are allowed",
                    field="schema",
                )
            _refuse_remote(value)
    elif isinstance(node, list):
        for value in node:
            _refuse_remote(value)
