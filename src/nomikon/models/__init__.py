"""Talking to model servers: wire protocols, streaming, retries, limits and rates.

The client itself is imported from `nomikon.models.client`: only who makes calls loads the network.
"""

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
    "OfferedModel",
    "Traffic",
    "Usage",
    "request_body",
]
