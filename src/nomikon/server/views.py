"""What the views share."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, cast, get_args, get_origin

from django.conf import settings
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiResponse, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.digits import whole_number
from nomikon.server.problems import MEDIA_TYPE
from nomikon.server.reads import ProblemShape
from nomikon.server.typed import check, serializer_of

View = TypeVar("View", bound=Callable[..., Any])
Shape = TypeVar("Shape")

PROBLEM = OpenApiResponse(
    serializer_of(ProblemShape), description="what is wrong, and in which field"
)
# What any endpoint may answer: input that cannot be, a state that does not allow it, a page out of
# date; a database that takes nothing just now, a fault of our own.
PROBLEMS = {(codes, MEDIA_TYPE): PROBLEM for codes in ("4XX", "5XX")}


def documented(
    name: str,
    *,
    takes: Any = None,
    gives: Any = None,
    asks: Any = None,
    files: tuple[str, ...] = (),
    **more: Any,
) -> Callable[[View], View]:
    """Name an endpoint and its shapes for the OpenAPI document.

    takes, gives: declarations, `list[…]` for several. asks: that of its query. files: the media
    types it sends instead of JSON.
    """
    found: dict[Any, Any] = {(200, kind): OpenApiTypes.BINARY for kind in files}
    named: Callable[[View], View] = extend_schema(
        operation_id=name,
        request=_described(takes),
        parameters=[serializer_of(asks)] if asks else None,
        responses=(found or {200: _described(gives)}) | PROBLEMS,
        **more,
    )
    return named


def _described(shape: Any) -> Any:
    """None and plain schemas (of a file that is sent) stand as they are."""
    if shape is None or isinstance(shape, dict):
        return shape
    if get_origin(shape) is list:
        return serializer_of(get_args(shape)[0])(many=True)
    return serializer_of(shape)


def taken(shape: type[Shape], request: Request) -> Shape:
    """The request's data, checked against a declaration; refused with the field that is wrong."""
    serializer = serializer_of(cast(Any, shape))(data=request.data)
    serializer.is_valid(raise_exception=True)
    return cast(Shape, dict(serializer.validated_data))


def asked(shape: type[Shape], request: Request) -> Shape:
    """The query, checked like the data of a request."""
    query = {name: value for name, value in request.query_params.items() if value != ""}
    serializer = serializer_of(cast(Any, shape))(data=query)
    serializer.is_valid(raise_exception=True)
    return cast(Shape, dict(serializer.validated_data))


def given(shape: type[Shape]) -> Callable[[Shape], Response]:
    """Answer with data of a declared shape; where the tests run it is held to it.

    In two calls, so that mypy takes the shape from the declaration alone.
    """

    def answer(data: Shape) -> Response:
        if settings.CHECK_ANSWERS:
            check(data, shape)
        return Response(data)

    return answer


def page_of(request: Request, *, limit: int = 200) -> tuple[int, int]:
    """offset and limit from the query, kept within bounds."""

    def number(name: str, default: int, high: int) -> int:
        given = whole_number(request.query_params.get(name))
        return default if given is None else min(given, high)

    return number("offset", 0, 10**9), number("limit", limit, 1000)


XLSX_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
CSV_TYPE, LINES_TYPE = "text/csv", "application/jsonl"


def download(data: bytes | str, name: str, kind: str) -> HttpResponse:
    """A file to be saved under a name."""
    response = HttpResponse(data, content_type=kind)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response
