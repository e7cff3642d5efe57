"""What can be wrong with answers from elsewhere."""

from __future__ import annotations

from nomikon.core.errors import DomainError


class BaselineError(DomainError):
    """A baseline's fields or answers are not usable."""

    code = "baseline_invalid"
