"""What the views share."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from drf_spectacular.utils import OpenApiResponse, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.serializers import Serializer

from nomikon.server.api.shapes import ProblemShape

PROBLEM = OpenApiResponse(ProblemShape, description="what is wrong, and in which field")


def documented(name: str, *, takes: Any = None, gives: Any = None, **more: Any) -> Any:
    """Name an endpoint and its shapes for the OpenAPI document."""
    return extend_schema(
        operation_id=name, request=takes, responses={200: gives, 422: PROBLEM}, **more
    )


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


def download(data: bytes | str, name: str, kind: str) -> HttpResponse:
    """A file to be saved under a name."""
    response = HttpResponse(data, content_type=kind)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response
