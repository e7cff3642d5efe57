"""The key of an answer in the store: the same call is never paid for twice."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any


def answer_key(
    *,
    connection: str,
    protocol: str,
    body: Mapping[str, Any],
    repeat: int,
    generation: int = 0,
) -> str:
    """Hash of all that decides an answer, 64 hexadecimal digits.

    connection: the connection's identity and revision, for example "3:1".
    body: the exact request body. repeat: index from 0; different repeats are
    different answers even where the server takes no seed. generation: raised
    by *force* and *watch* to ask for a fresh answer.
    """
    canonical = json.dumps(
        [connection, protocol, body, repeat, generation],
        sort_keys=True,
        separators=(",", ":"),
        ensure_ascii=False,
        allow_nan=False,
    )
    return hashlib.sha256(canonical.encode("utf-8", "surrogatepass")).hexdigest()


def seed_for(settings: Mapping[str, Any], trial_seed: int, repeat: int) -> int:
    """The seed sent: the settings' own, else the trial's, plus the repeat index.

    >>> seed_for({'seed': 7}, 1, 0)
    7
    """
    return int(settings.get("seed", trial_seed)) + repeat
