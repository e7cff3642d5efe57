"""Two people, or two tabs: who changes something says what was seen, and nothing else is overwritten."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from nomikon.core.errors import ConflictError


class ChangedMeanwhileError(ConflictError):
    """Somebody else changed it since it was opened; `facts.now` holds what it says now."""

    code = "changed_meanwhile"


def check_seen(seen: Mapping[str, Any] | None, now: Mapping[str, Any]) -> None:
    """Raise ChangedMeanwhileError where what was seen is not what is there; None was not looked at."""
    if seen is None:
        return
    other = [name for name, value in now.items() if name in seen and seen[name] != value]
    if other:
        raise ChangedMeanwhileError(
            f"{' and '.join(other)} changed meanwhile: nothing was overwritten",
            field=other[0],
            now=dict(now),
        )
