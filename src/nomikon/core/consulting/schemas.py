"""JSON schemas of helping models' replies, sent to models that take an answer schema."""

from __future__ import annotations

from typing import Any

_TEXT: dict[str, Any] = {"type": "string"}


def _object(**properties: Any) -> dict[str, Any]:
    """Every key is required: servers that hold to a schema want it so."""
    return {
        "type": "object",
        "properties": properties,
        "required": list(properties),
        "additionalProperties": False,
    }


def _list(of: dict[str, Any]) -> dict[str, Any]:
    return {"type": "array", "items": of}


DRAFT = _object(
    clauses=_list(
        _object(
            role={"type": "string", "enum": ["system", "user"]},
            part=_TEXT,
            text=_TEXT,
            reason=_TEXT,
        )
    ),
    open=_list(_object(question=_TEXT, why=_TEXT, answers=_list(_TEXT), clause=_TEXT)),
)
QUESTIONS = _object(
    questions=_list(_object(question=_TEXT, why=_TEXT, answers=_list(_TEXT), clause=_TEXT))
)
CASES = _object(
    cases=_list(
        {
            "type": "object",
            "properties": {
                "inputs": {"type": "object"},
                "reference": {"type": ["string", "null"]},
                "dimensions": {"type": "object"},
            },
            "required": ["inputs", "reference", "dimensions"],
        }
    )
)
AMENDMENTS = _object(
    amendments=_list(
        _object(
            kind={"type": "string", "enum": ["amend", "add", "strike"]},
            clause={"type": "integer"},
            text=_TEXT,
            reason=_TEXT,
        )
    )
)
READING = _object(
    entries=_list(
        {
            "type": "object",
            "properties": {
                "part": _TEXT,
                "quote": _TEXT,
                "value": {"type": ["object", "string", "null"]},
                "why": _TEXT,
            },
            "required": ["part", "quote", "value", "why"],
        }
    )
)
TWINS = _object(
    twins=_list(
        _object(
            case={"type": "integer"},
            kind=_TEXT,
            text=_TEXT,
            answer={"type": ["string", "object", "null"]},
        )
    )
)
RUBRIC = _object(
    criteria=_list(_object(name=_TEXT, asks=_TEXT, levels=_list(_TEXT), weight={"type": "number"}))
)
