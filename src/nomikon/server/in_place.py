"""One of many that cannot be told: it is said in its place, and the rest stands."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import TypeVar

from django.db import DatabaseError
from rest_framework.exceptions import APIException

from nomikon.core.errors import DomainError

log = logging.getLogger("nomikon.api")

T = TypeVar("T")
NOT_TOLD = "its figures cannot be told: a fault of the program, written to its log"


def in_place(tell: Callable[[], T], instead: Callable[[], T], of: str) -> T:
    """What `tell` gives; after a fault that nobody foresaw, what stands instead of it.

    of: what it is about, for the log. What is refused in words, and a database that takes nothing
    just now, concern the whole answer and are raised.
    """
    try:
        return tell()
    except (DomainError, DatabaseError, APIException):
        raise
    except Exception:
        log.exception("%s could not be told", of)
        return instead()
