"""What the API takes and answers, declared once as TypedDicts: checked, described and rendered from them.

A `reads.py` of an app holds what it answers, a `takes.py` what it takes. From each declaration comes
the serializer that checks a request and describes both in the OpenAPI document; an answer goes out
as it is. mypy holds the builders to it; the tests hold every answer to it at run time, too.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, is_dataclass
from datetime import date, datetime
from decimal import Decimal
from functools import cache
from types import NoneType, UnionType
from typing import (
    Annotated,
    Any,
    NotRequired,
    TypeAlias,
    TypeVar,
    Union,
    cast,
    get_args,
    get_origin,
    get_type_hints,
    is_typeddict,
)

import numpy as np
from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from nomikon.core.plain_json import PlainJsonError, check_plain

AnyField: TypeAlias = "serializers.Field[Any, Any, Any, Any]"
AnySerializer: TypeAlias = "serializers.Serializer[Any]"


class Field:
    """More of a field than its type: the keywords of the serializer field that is made of it."""

    def __init__(self, **keywords: Any) -> None:
        self.keywords = keywords


class OneOf(Field):
    """A text that is one of these."""

    def __init__(self, *choices: str) -> None:
        super().__init__(choices=list(choices))


@dataclass(frozen=True)
class Schema:
    """A JSON Schema in place of the one that the type would have."""

    document: Mapping[str, Any]


# A text that a person gives: without blanks around it, and never empty.
Filled = Annotated[str, Field(allow_blank=False, trim_whitespace=True)]
# One that may be left empty.
Blank = Annotated[str, Field(allow_blank=True, trim_whitespace=True)]
# One that is kept letter by letter.
Verbatim = Annotated[str, Field(allow_blank=False, trim_whitespace=False)]

_PLAIN: dict[Any, type[AnyField]] = {
    int: serializers.IntegerField,
    float: serializers.FloatField,
    bool: serializers.BooleanField,
    datetime: serializers.DateTimeField,
    Decimal: serializers.DecimalField,
}
_named: dict[str, Any] = {}
# The code of a check that says itself, in our words, what is wrong.
OWN_WORDS = "own words"


class TwoShapesError(TypeError):
    """Two declarations of one name: the document could not tell them apart."""


@cache
def _hints(shape: Any) -> dict[str, Any]:
    """Read once: to resolve annotations that are texts takes longer than to answer."""
    return get_type_hints(shape, include_extras=True)


@cache
def serializer_of(shape: Any) -> type[AnySerializer]:
    """The serializer of a TypedDict or dataclass. Raises TwoShapesError for a name that is taken."""
    name = shape.__name__
    if _named.setdefault(name, shape) is not shape:
        raise TwoShapesError(f"two shapes are named {name}: {_named[name]!r} and {shape!r}")
    made: dict[str, Any] = {"__doc__": shape.__doc__ if is_typeddict(shape) else None}
    for key, hint in _hints(shape).items():
        made[key] = _field(hint)
    # A name of a serializer's own, such as `fields`, would not be taken as a field.
    found: type[AnySerializer] = type(name, (serializers.Serializer,), made)
    return found


def _field(hint: Any, **keywords: Any) -> AnyField:
    """A serializer field from a type: keywords of the annotation come after what the type says."""
    raw: Schema | None = None
    while get_origin(hint) in (Annotated, NotRequired):
        if get_origin(hint) is NotRequired:
            hint = get_args(hint)[0]
            keywords.setdefault("required", False)
            continue
        hint, *told = get_args(hint)
        for more in told:
            if isinstance(more, Field):
                keywords = {**keywords, **more.keywords}
            elif isinstance(more, Schema):
                raw = more
    if get_origin(hint) in (Union, UnionType):
        options = [a for a in get_args(hint) if a is not NoneType]
        assert len(options) == 1, hint
        keywords.setdefault("allow_null", True)
        return _field(options[0], **keywords)
    made = _of(hint, keywords)
    return (
        made
        if raw is None
        else extend_schema_field(dict(raw.document))(_own(type(made)))(**keywords)
    )


def _own(kind: type[AnyField]) -> type[AnyField]:
    """A class of its own, since a schema is hung on the class."""
    return type(kind.__name__, (kind,), {})


def _of(hint: Any, keywords: dict[str, Any]) -> AnyField:
    origin, args = get_origin(hint), get_args(hint)
    if hint is str and "choices" in keywords:
        return serializers.ChoiceField(**keywords)
    if hint is str:
        keywords.setdefault("allow_blank", True)
        keywords.setdefault("trim_whitespace", False)
        return serializers.CharField(**keywords)
    if hint in _PLAIN:
        if hint is Decimal:
            keywords = {"max_digits": 20, "decimal_places": 9, **keywords}
        return _PLAIN[hint](**keywords)
    if origin in (list, Sequence) or hint is list:
        inner = args[0] if args else Any
        if is_typeddict(_bare(inner)) or is_dataclass(_bare(inner)):
            return serializer_of(_bare(inner))(many=True, **keywords)
        if inner is Any:
            return serializers.ListField(**_plain(keywords))
        return serializers.ListField(child=_field(inner), **keywords)
    if origin in (dict, Mapping):
        if args[1] is not Any:
            keywords["child"] = _field(args[1])
        return serializers.DictField(**_plain(keywords))
    if hint is Any:
        return serializers.JSONField(**_plain(keywords))
    if is_typeddict(hint) or is_dataclass(hint):
        return serializer_of(hint)(**keywords)
    raise TypeError(f"no field is made of {hint!r}")


def _plain(keywords: dict[str, Any]) -> dict[str, Any]:
    """A field of any JSON takes what can be kept and sent again."""
    return {**keywords, "validators": [*keywords.get("validators", ()), _can_be_kept]}


def _can_be_kept(value: Any) -> None:
    try:
        check_plain(value)
    except PlainJsonError as error:
        raise serializers.ValidationError(f"this {error}", code=OWN_WORDS) from error


def _bare(hint: Any) -> Any:
    return get_args(hint)[0] if get_origin(hint) is Annotated else hint


class AnswerError(TypeError):
    """An answer that is not what its declaration says."""


def check(value: Any, hint: Any, where: str = "answer") -> None:
    """Hold an answer to its declaration. Raises AnswerError naming the first place that differs."""
    while get_origin(hint) in (Annotated, NotRequired):
        for more in get_args(hint)[1:]:
            if isinstance(more, OneOf) and value not in (None, *more.keywords["choices"]):
                raise AnswerError(f"{where} is {value!r}, none of {more.keywords['choices']}")
        hint = get_args(hint)[0]
    origin, args = get_origin(hint), get_args(hint)
    if hint is Any:
        return
    if origin in (Union, UnionType):
        if value is None and NoneType in args:
            return
        check(value, next(a for a in args if a is not NoneType), where)
    elif is_typeddict(hint):
        _check_keys(value, hint, where)
    elif is_dataclass(hint):
        kind: Any = hint
        if not isinstance(value, kind):
            raise AnswerError(f"{where} is {value!r}, no {kind.__name__}")
        hints = _hints(kind)
        for part in fields(kind):
            check(getattr(value, part.name), hints[part.name], f"{where}.{part.name}")
    elif origin in (list, Sequence) or hint is list:
        if not isinstance(value, (list, tuple)):
            raise AnswerError(f"{where} is {value!r}, no list")
        for i, one in enumerate(value if args else ()):
            check(one, args[0], f"{where}[{i}]")
    elif origin in (dict, Mapping):
        if not isinstance(value, Mapping):
            raise AnswerError(f"{where} is {value!r}, no mapping")
        for key, one in value.items():
            check(one, args[1], f"{where}[{key!r}]")
    elif not _is(value, hint):
        raise AnswerError(f"{where} is {value!r}, no {hint.__name__}")


def _is(value: Any, kind: type) -> bool:
    if kind is float:
        return isinstance(value, (int, float)) and not isinstance(value, bool)
    if kind is int:
        return isinstance(value, (int, np.integer)) and not isinstance(value, bool)
    if kind is datetime:
        return isinstance(value, (datetime, date))
    return isinstance(value, kind)


def _check_keys(value: Any, shape: Any, where: str) -> None:
    if not isinstance(value, dict):
        raise AnswerError(f"{where} is {value!r}, no {shape.__name__}")
    hints = _hints(shape)
    # Not `__required_keys__`, which cannot tell where annotations are texts.
    needed = {key for key, hint in hints.items() if get_origin(hint) is not NotRequired}
    if missing := needed - value.keys():
        raise AnswerError(f"{where} lacks {', '.join(sorted(missing))} of {shape.__name__}")
    if more := value.keys() - hints.keys():
        raise AnswerError(f"{where} has {', '.join(sorted(more))}, unknown to {shape.__name__}")
    for key, one in value.items():
        check(one, hints[key], f"{where}.{key}")


S = TypeVar("S")


def copied(shape: type[S], source: object, **more: Any) -> S:
    """A read made of a dataclass or mapping: the fields that the shape declares, `more` before them."""
    held = {**(source if isinstance(source, Mapping) else vars(source)), **more}
    names = _hints(cast(Any, shape))
    return cast(S, {name: held[name] for name in names if name in held})
