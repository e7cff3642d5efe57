"""Talking to model servers: wire protocols, streaming, retries, limits and rates."""

from nomikon.models.client import ModelClient
from nomikon.models.errors import FAILURES, CallFailure
from nomikon.models.protocols import request_body
from nomikon.models.traffic import Traffic
from nomikon.models.types import Answer, Connection, Limits, OfferedModel, Usage

__all__ = [
    "FAILURES",
    "Answer",
    "CallFailure",
    "Connection",
    "Limits",
    "ModelClient",
    "OfferedModel",
    "Traffic",
    "Usage",
    "request_body",
]
