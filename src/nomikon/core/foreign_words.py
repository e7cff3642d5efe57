"""What libraries say of a mistake, put in our words: theirs never reach a person."""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Callable, Mapping
from typing import Any

import regex
import yaml
from jsonschema.exceptions import SchemaError, ValidationError

from nomikon.core.plain_json import shown

# By words of the library's own; the first that fits.
_OF_PATTERNS = (
    ("missing )", "a bracket ( is not closed"),
    ("unbalanced parenthesis", "a bracket ) closes nothing"),
    ("missing >", "the name of a group is not closed with >"),
    ("nothing to repeat", "a sign of repetition stands after nothing"),
    ("multiple repeat", "two signs of repetition follow each other"),
    ("min repeat greater", "the least of a repetition is above its most"),
    ("unterminated character set", "a set [ is not closed"),
    ("bad character range", "a range of characters runs backwards"),
    ("group name", "a group cannot be named so"),
    ("unknown group", "it names a group that is not there"),
    ("group reference", "it names a group that is not there"),
    ("bad escape", "a backslash stands before nothing it can stand before"),
    ("incomplete escape", "what follows a backslash breaks off"),
    ("property", "there is no such kind of character"),
    ("character name", "there is no character of this name"),
    ("extension", "what follows (? is not known"),
    ("verb", "what follows (* is not known"),
)  # fmt: skip
_OF_YAML = (
    ("mapping values are not allowed", "a colon where no name can stand; put the text in quotes"),
    ("could not find expected ':'", "a name without a colon behind it"),
    ("'\\t'", "a tab where only blanks can stand"),
    ("cannot start any token", "a sign that must stand in quotes"),
    ("tab character", "a tab where only blanks can stand"),
    ("unexpected end of stream", "something is not closed: a quotation or a bracket"),
    ("expected <block end>", "a line that is indented otherwise than those around it"),
    ("expected ',' or", "a list in brackets that is not closed, or lacks a comma"),
    ("escape character", "a backslash that means nothing here; put the text in single quotes"),
    ("alias", "a name behind * that stands for nothing"),
    ("constructor", "a type mark behind !, which is not taken"),
    ("unhashable", "a name that is no text"),
    ("special characters", "a control character"),
    ("another document", "a second document; one is read"),
    ("not allowed here", "something where it cannot stand"),
)  # fmt: skip


def of_json(error: ValueError | RecursionError) -> str:
    """What is wrong with a JSON text, and where."""
    if isinstance(error, RecursionError):
        return "it is nested too deep"
    if not isinstance(error, json.JSONDecodeError):
        return str(error)
    place = f"line {error.lineno}, column {error.colno}"
    if not error.doc.strip():
        return "there is nothing in it"
    if error.msg == "Extra data":
        return f"{place}: something follows after its end"
    words = {
        "Expecting value": "a value is missing or is none of JSON's",
        "Expecting property name enclosed in double quotes": "a key in double quotes is missing",
        "Expecting ',' delimiter": "a comma is missing, or an end",
        "Expecting ':' delimiter": "a colon is missing after a key",
        "Illegal trailing comma before end of object": "a comma stands before the end",
        "Illegal trailing comma before end of array": "a comma stands before the end",
    }
    for told, ours in words.items():
        if error.msg.startswith(told):
            return f"{place}: {ours}"
    if "string" in error.msg or "control" in error.msg:
        return f"{place}: a text is not closed or holds a sign that must be escaped"
    return f"{place}: it is broken here"


def of_pattern(error: regex.error | ValueError) -> str:
    """Why a text is no regular expression.

    >>> of_pattern(regex.error("nothing to repeat"))
    'a sign of repetition stands after nothing'
    """
    said = str(getattr(error, "msg", error))
    return next((ours for theirs, ours in _OF_PATTERNS if theirs in said), "it cannot be read so")


def of_yaml(error: yaml.YAMLError | ValueError | RecursionError) -> str:
    """Why a text is no YAML, without the line, which is told beside it."""
    said = str(getattr(error, "problem", None) or error)
    ours = next((ours for theirs, ours in _OF_YAML if theirs in said), "this line cannot be read")
    sign = None if "tab" in ours else re.search(r"found character '(.+?)' that", said)
    return f"{ours}: {sign[1]}" if sign else ours


def _names(value: Any) -> str:
    return value if isinstance(value, str) else " or ".join(map(str, value))


def _missing(error: Any, shown: str, rule: Any) -> str:
    lost = [n for n in rule if n not in error.instance]
    return f"{', '.join(lost[:3])} is missing" if lost else "something is missing"


def _unknown(error: Any, shown: str, rule: Any) -> str:
    known = error.schema.get("properties", {}) if isinstance(error.schema, Mapping) else {}
    more = [n for n in error.instance if n not in known] if isinstance(error.instance, dict) else []
    return (
        f"{', '.join(map(str, more[:3]))} is not allowed here" if more else "more than is allowed"
    )


# By the rule that is broken: from the value that breaks it, and what the rule says.
_OF_RULES: dict[str, Callable[[Any, str, Any], str]] = {
    "enum": lambda e, v, rule: f"{v} is not one of {', '.join(map(shown, rule))}",
    "const": lambda e, v, rule: f"{v} is not {shown(rule)}",
    "format": lambda e, v, rule: f"{v} is no {rule}",
    "type": lambda e, v, rule: f"{v} is no {_names(rule)}",
    "required": _missing,
    "additionalProperties": _unknown,
    "unevaluatedProperties": _unknown,
    "pattern": lambda e, v, rule: f"{v} is not of the form {rule}",
    "minLength": lambda e, v, rule: f"{v} has under {rule} characters",
    "maxLength": lambda e, v, rule: f"{v} has over {rule} characters",
    "minItems": lambda e, v, rule: f"items in the list: {len(e.instance)}, at least {rule} wanted",
    "maxItems": lambda e, v, rule: f"items in the list: {len(e.instance)}, at most {rule} wanted",
    "uniqueItems": lambda e, v, rule: "something is in the list twice",
    "contains": lambda e, v, rule: "the list holds too few or too many of what it must hold",
    "minimum": lambda e, v, rule: f"{v} is below {rule}",
    "maximum": lambda e, v, rule: f"{v} is above {rule}",
    "exclusiveMinimum": lambda e, v, rule: f"{v} is not above {rule}",
    "exclusiveMaximum": lambda e, v, rule: f"{v} is not below {rule}",
    "multipleOf": lambda e, v, rule: f"{v} is no multiple of {rule}",
    "minProperties": lambda e, v, rule: f"keys: {len(e.instance)}, at least {rule} wanted",
    "maxProperties": lambda e, v, rule: f"keys: {len(e.instance)}, at most {rule} wanted",
    "anyOf": lambda e, v, rule: f"{v} is none of what may stand here",
    "oneOf": lambda e, v, rule: f"{v} is not exactly one of what may stand here",
    "not": lambda e, v, rule: f"{v} is what must not stand here",
}


def of_schema(error: ValidationError | SchemaError) -> str:
    """What of a JSON value breaks a JSON Schema; the place is told beside it."""
    told = _OF_RULES.get(str(error.validator))
    if told is None:
        return f"{shown(error.instance)} breaks the rule {error.validator}"
    return told(error, shown(error.instance), error.validator_value)


def of_csv(error: csv.Error) -> str:
    """Why a line of a table in text breaks off."""
    said = str(error)
    if "unexpected end" in said:
        return "a quoted field is not closed"
    if "field larger" in said:
        most = csv.field_size_limit()
        return f"a field holds more than {most:,} characters, the most that is read: is a quote left open?"
    if "new-line character" in said:
        return "a carriage return stands outside of quotes: are two kinds of line ends mixed in it?"
    return "a quoted field goes on after its closing quote: a quote within one is written twice"
