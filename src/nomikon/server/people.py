"""Who acts. One installation serves one person at their own machine; several readers come later."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from rest_framework.authentication import SessionAuthentication
from rest_framework.request import Request

ACTOR = "you"


class LocalPerson(SessionAuthentication):
    """Nobody logs in, but every write must carry the CSRF token of this page."""

    def authenticate(self, request: Request) -> tuple[Any, None] | None:
        self.enforce_csrf(request)
        return None


def actor_of(request: Request | HttpRequest) -> str:
    """The name that goes into the ledger."""
    return ACTOR
