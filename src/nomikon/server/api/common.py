"""What the views share."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiResponse, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.serializers import Serializer

from nomikon.server.api.shapes import ProblemShape
from nomikon.server.problems import MEDIA_TYPE

View = TypeVar("View", bound=Callable[..., Any])

PROBLEM = OpenApiResponse(ProblemShape, description="what is wrong, and in which field")
# What any endpoint may answer: input that cannot be, a state that does not allow it, a page out of
# date; a database that takes nothing just now, a fault of our own.
PROBLEMS = {(codes, MEDIA_TYPE): PROBLEM for codes in ("4XX", "5XX")}


def documented(
    name: str,
    *,
    takes: Any = None,
    gives: Any = None,
    asks: type[Serializer] | None = None,
    files: tuple[str, ...] = (),
    **more: Any,
) -> Callable[[View], View]:
    """Name an endpoint and its shapes for the OpenAPI document.

    asks: the shape of its query. files: the media types it sends instead of JSON.
    """
    found: dict[Any, Any] = {(200, kind): OpenApiTypes.BINARY for kind in files} or {200: gives}
    named: Callable[[View], View] = extend_schema(
        operation_id=name,
        request=takes,
        parameters=[asks] if asks else None,
        responses=found | PROBLEMS,
        **more,
    )
    return named


def taken(shape: type[Serializer], request: Request) -> dict[str, Any]:
    """The request's data, checked against a shape; refused with the field that is wrong."""
    serializer = shape(data=request.data)
    serializer.is_valid(raise_exception=True)
    return dict(serializer.validated_data)


def given(shape: type[Serializer], data: Any, *, many: bool = False) -> Response:
    """Data as a response of a shape."""
    return Response(shape(data, many=many).data)


def page_of(request: Request, *, limit: int = 200) -> tuple[int, int]:
    """offset and limit from the query, kept within bounds."""

    def number(name: str, default: int, high: int) -> int:
        text = request.query_params.get(name, "")
        return min(max(int(text), 0), high) if text.isdigit() and len(text) < 12 else default

    return number("offset", 0, 10**9), number("limit", limit, 1000)


XLSX_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
CSV_TYPE, LINES_TYPE = "text/csv", "application/jsonl"


def download(data: bytes | str, name: str, kind: str) -> HttpResponse:
    """A file to be saved under a name."""
    response = HttpResponse(data, content_type=kind)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response
