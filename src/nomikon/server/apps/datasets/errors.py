"""What can be wrong with a dataset or a change of its cases."""

from __future__ import annotations

from nomikon.core.errors import ConflictError, DomainError


class CasesChangedError(ConflictError):
    """Somebody changed the cases since they were read."""

    code = "cases_changed"


class DatasetError(DomainError):
    """A dataset's own fields are not usable."""

    code = "dataset_invalid"
