"""What the OpenAPI document tells beyond the views it is made from: the streams."""

from __future__ import annotations

from typing import Any

from drf_spectacular.openapi import AutoSchema
from rest_framework.views import APIView

from nomikon.server.apps.baselines.reads import AnswersLook, LogDone, LogLook
from nomikon.server.apps.datasets.reads import TablePreview, UpdatePreview
from nomikon.server.problems import MEDIA_TYPE
from nomikon.server.typed import serializer_of

_PROBLEM = {
    "description": "what is wrong, and in which field",
    "content": {MEDIA_TYPE: {"schema": {"$ref": "#/components/schemas/ProblemShape"}}},
}
_LINES = "application/x-ndjson"


def _stream(name: str, told: str, kind: str, **more: Any) -> dict[str, Any]:
    return {
        "operationId": name,
        "description": told,
        "responses": {
            "200": {"description": told, "content": {kind: {"schema": {"type": "string"}}}},
            "4XX": _PROBLEM,
            "5XX": _PROBLEM,
        },
        **more,
    }


def _in_path(name: str) -> dict[str, Any]:
    return {"in": "path", "name": name, "schema": {"type": "integer"}, "required": True}


def _add_shape(result: dict[str, Any], generator: Any, shape: Any) -> None:
    """What a stream's line holds, declared as other answers are."""
    schema = AutoSchema()
    schema.registry, schema.view = generator.registry, APIView(request=None)
    schema.resolve_serializer(serializer_of(shape), "response")
    result["components"]["schemas"] |= generator.registry.build({})["schemas"]


# What a file or a form is sent to, answered line by line: under which name, and what it does.
_FILES = (
    (
        "/api/datasets/{dataset_id}/preview/",
        "preview_import",
        "A file looked at without storing it: rows read so far, then how it ended "
        '({"done": TablePreview} or {"refused": …}).',
    ),
    (
        "/api/datasets/{dataset_id}/compare/",
        "compare_import",
        "What a file would change of the cases that `by` finds, without storing it: rows read "
        'so far, then how it ended ({"done": UpdatePreview} or {"refused": …}).',
    ),
    (
        "/api/datasets/{dataset_id}/import/",
        "import_cases",
        "A file's rows taken in: a line of JSON after every batch, then how it ended.",
    ),
    (
        "/api/datasets/{dataset_id}/log/look/",
        "look_at_log",
        "A log of conversations looked at without storing it: conversations read so far, then "
        'how it ended ({"done": LogLook} or {"refused": …}).',
    ),
    (
        "/api/datasets/{dataset_id}/log/import/",
        "import_log",
        "A log's user turns taken in as cases and its answers as a baseline: conversations "
        'read so far, then how it ended ({"done": LogDone} or {"refused": …}).',
    ),
    (
        "/api/baselines/{baseline_id}/look/",
        "look_at_answers",
        "A file of answers looked at without storing it: lines read so far, then how it "
        'ended ({"done": AnswersLook} or {"refused": …}).',
    ),
    (
        "/api/baselines/{baseline_id}/import/",
        "import_answers",
        "A file's answers taken in: lines read so far, then how it ended.",
    ),
)


def add_streams(result: dict[str, Any], generator: Any, **_: Any) -> dict[str, Any]:
    """Add the endpoints that send line by line; no view of theirs is read for the document."""
    for shape in (AnswersLook, LogLook, LogDone, TablePreview, UpdatePreview):
        _add_shape(result, generator, shape)
    any_json = {"content": {"application/json": {"schema": {"type": "object"}}}}
    form = {"content": {"multipart/form-data": {"schema": {"type": "object"}}}}
    result["paths"] |= {
        path: {
            "post": _stream(
                name,
                told,
                _LINES,
                parameters=[_in_path(path.split("{")[1].split("}")[0])],
                requestBody=form,
            )
        }
        for path, name, told in _FILES
    }
    result["paths"] |= {
        "/api/events/": {
            "get": _stream(
                "events",
                "Live events, each with an id to resume from (Last-Event-ID or `after`); "
                "`event: snapshot` asks for a fresh reading.",
                "text/event-stream",
                parameters=[{"in": "query", "name": "after", "schema": {"type": "integer"}}],
            )
        },
        "/api/briefs/{brief_id}/try/": {
            "post": _stream(
                "try",
                "Answers to a text as it stands, a line of JSON at a time, each with its job's key.",
                _LINES,
                parameters=[_in_path("brief_id")],
                requestBody=any_json,
            )
        },
    }
    return result
