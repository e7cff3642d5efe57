"""Talking to model servers: request bodies, wire protocols, streaming, retries."""

from nomikon.models.client import ModelClient
from nomikon.models.errors import FAILURES, CallFailure
from nomikon.models.types import Answer, Connection, Usage
from nomikon.models.wire import request_body

__all__ = [
    "FAILURES",
    "Answer",
    "CallFailure",
    "Connection",
    "ModelClient",
    "Usage",
    "request_body",
]
