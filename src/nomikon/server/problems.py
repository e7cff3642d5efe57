"""Errors as problem details (RFC 9457): what happened, which field, what to do."""

from __future__ import annotations

import logging
import re
from typing import Any

from django.core.exceptions import RequestDataTooBig
from django.db import DatabaseError, DataError, IntegrityError
from django.http import HttpRequest, JsonResponse
from rest_framework import exceptions
from rest_framework.response import Response
from rest_framework.views import exception_handler as drf_handler

from nomikon.core.errors import DomainError
from nomikon.server.refusals import UNKNOWN, refusal_of
from nomikon.server.typed import OWN_WORDS

log = logging.getLogger("nomikon.api")

MEDIA_TYPE = "application/problem+json"
# How our own reader of requests begins what it has to say.
OURS = "the request "


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
        code_name = getattr(error, "default_code", "not_found")
        detail = _OF_REQUEST.get(response.status_code, "the request cannot be taken as it is")
        if isinstance(error, exceptions.ParseError) and str(error.detail).startswith(OURS):
            detail = str(error.detail)
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
        return path or None, _in_words(detail)
    return None, ""


# A request as a whole that cannot be taken, by its status.
_OF_REQUEST = {
    400: "the request cannot be read: it is broken, or no JSON",
    403: "the page is out of date: reload it",
    404: "this is not there: it was removed, or never was",
    405: "nothing of this kind can be asked of this address",
    406: "there is no answer in the form that was asked for",
    415: "what was sent is of a kind that is not taken here",
    429: "too many requests at once: try again in a moment",
}
# What a value lacks, by the code of the check that it failed.
_OF_VALUE = {
    "required": "this is missing",
    "null": "this is missing",
    "blank": "this is empty",
    "empty": "there is nothing in it: at least one is needed",
    "not_a_list": "a list is needed here",
    "not_a_dict": "an object is needed here",
    "max_length": "this is too long: at most {n} are taken",
    "min_length": "this is too short: at least {n} are needed",
    "max_value": "this is too much: at most {n}",
    "min_value": "this is too little: at least {n}",
    "max_digits": "this number has too many digits: at most {n}",
    "max_decimal_places": "this number has too many places behind the point: at most {n}",
    "max_whole_digits": "this number is too large: at most {n} digits before the point",
    "max_string_length": "this number has too many digits",
    "overflow": "this number is too large",
}
_KINDS = (
    ("integer", "a whole number"), ("number", "a number"), ("boolean", "true or false"),
    ("date", "a day and time"), ("string", "a text"), ("dictionary", "an object"),
    ("data", "an object"), ("JSON", "JSON"),
)  # fmt: skip
_QUOTED = re.compile(r'^"(.*)" is not a valid choice', re.S)


def _in_words(detail: Any) -> str:
    """A check's finding in our words; never those of the library that checks."""
    said, code = str(detail), getattr(detail, "code", "invalid")
    if code == OWN_WORDS:
        return said
    if known := _OF_VALUE.get(code):
        number = re.search(r"-?\d[\d.,]*", said)
        return known.format(n=number.group().rstrip(".") if number else "fewer")
    if code == "invalid_choice" and (found := _QUOTED.match(said)):
        return f"“{found[1][:60]}” is not possible here"
    kind = next((words for word, words in _KINDS if word in said), "")
    return f"{kind} is needed here" if kind else "this cannot be taken as it is"


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
