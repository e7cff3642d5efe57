"""What the cases of a brief can fill."""

from __future__ import annotations

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.models import DatasetVersion


def columns_of(brief: Brief) -> list[str]:
    """What cases fill, by the newest version that holds any; none where there is no case yet."""
    newest = _newest_cases(brief)
    return [] if newest is None else list(newest.columns)


def _newest_cases(brief: Brief) -> DatasetVersion | None:
    """The newest version of the brief's first dataset that holds cases."""
    for dataset in brief.datasets.all():
        version = dataset.versions.order_by("-number").first()
        if version and version.columns:
            return version
    return None
