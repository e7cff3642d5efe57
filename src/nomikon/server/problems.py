"""Errors as problem details (RFC 9457): what happened, which field, what to do."""

from __future__ import annotations

import logging
from typing import Any

from django.core.exceptions import RequestDataTooBig
from django.db import DatabaseError, DataError, IntegrityError
from django.http import HttpRequest, JsonResponse
from rest_framework import exceptions
from rest_framework.response import Response
from rest_framework.views import exception_handler as drf_handler

from nomikon.core.errors import DomainError
from nomikon.server.refusals import UNKNOWN, refusal_of

log = logging.getLogger("nomikon.api")

MEDIA_TYPE = "application/problem+json"


def exception_handler(error: Exception, context: dict[str, Any]) -> Response | None:
    """Turn an error into a problem document; what is no known error stays a 500."""
    if isinstance(error, DomainError):
        return _problem(error.status, error.code, error.message, error.field, error.facts)
    if isinstance(error, DatabaseError) and not isinstance(error, (IntegrityError, DataError)):
        refusal = refusal_of(error)
        if refusal is UNKNOWN:
            log.error("the database refused", exc_info=error)
        return _problem(503 if refusal.passes else 500, refusal.code, refusal.words)
    if isinstance(error, RequestDataTooBig):
        return _problem(413, "too_large", "the request is larger than the server takes")
    if isinstance(error, OverflowError):
        return _problem(404, "not_found", "there is nothing of so large a number")
    if isinstance(error, RecursionError):
        return _problem(422, "invalid", "what was given is nested too deep")
    if isinstance(error, UnicodeError):
        return _problem(422, "invalid", "a text holds what is no character")
    response = drf_handler(error, context)
    if response is None:
        return None
    field, detail = None, ""
    if isinstance(error, exceptions.ValidationError):
        field, detail = _first(error.detail)
        code_name = "invalid"
    else:
        code_name = getattr(error, "default_code", "error")
        detail = str(getattr(error, "detail", error))
    return _problem(response.status_code, code_name, detail, field)


def _first(detail: Any, path: str = "") -> tuple[str | None, str]:
    """The first message of a nested validation error, and the path to its field."""
    if isinstance(detail, dict):
        for name, inner in detail.items():
            part = "" if name == "non_field_errors" else str(name)
            found = _first(inner, f"{path}.{part}" if path and part else path or part)
            if found[1]:
                return found
    elif isinstance(detail, list):
        for index, inner in enumerate(detail):
            deeper = isinstance(inner, (dict, list))
            found = _first(inner, f"{path}.{index}" if deeper and path else path)
            if found[1]:
                return found
    elif detail:
        return path or None, str(detail)
    return None, ""


def _problem(
    code: int, name: str, detail: str, field: str | None = None, facts: Any = None
) -> Response:
    body: dict[str, Any] = {"title": name, "status": code, "detail": detail}
    if field:
        body["field"] = field
    if facts:
        body["facts"] = facts
    return Response(body, status=code, content_type=MEDIA_TYPE)


def csrf_failure(request: HttpRequest, reason: str = "") -> JsonResponse:
    """The answer to a write without this page's token."""
    return JsonResponse(
        {"title": "csrf", "status": 403, "detail": "the page is out of date: reload it"},
        status=403,
        content_type=MEDIA_TYPE,
    )


def not_found(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    """The answer to an address the API does not have."""
    return JsonResponse(
        {"title": "not_found", "status": 404, "detail": f"nothing at {request.path[:200]}"},
        status=404,
        content_type=MEDIA_TYPE,
    )
