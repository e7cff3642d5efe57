"""Who acts: a name that a browser says, kept in a cookie. It tells readers apart, it protects nothing."""

from __future__ import annotations

from typing import Any
from urllib.parse import unquote

from django.http import HttpRequest
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import SessionAuthentication
from rest_framework.request import Request

ACTOR = "you"
COOKIE = "nomikon-name"
LONGEST_NAME = 60


class LocalPerson(SessionAuthentication):
    """Nobody logs in, but every write must carry the CSRF token of this page."""

    def authenticate(self, request: Request) -> tuple[Any, None] | None:
        self.enforce_csrf(request)
        return None


class LocalPersonInDocument(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """How the OpenAPI document tells of it: a header on every write."""

    target_class = "nomikon.server.people.LocalPerson"
    name = "csrf"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "header", "name": "X-CSRFToken"}


def actor_of(request: Request | HttpRequest) -> str:
    """The name that goes into the ledger and stands at a mark."""
    said = unquote(request.COOKIES.get(COOKIE, "")).strip()
    return said[:LONGEST_NAME] if said.isprintable() and said else ACTOR
