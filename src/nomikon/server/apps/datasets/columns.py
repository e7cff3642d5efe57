"""What the cases of a brief can fill."""

from __future__ import annotations

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.models import DatasetVersion
from nomikon.server.apps.datasets.versioning import newest_version


def columns_of(brief: Brief) -> list[str]:
    """What cases fill, by the newest version that holds any; none where there is no case yet."""
    newest = newest_cases(brief)
    return [] if newest is None else list(newest.columns)


def newest_cases(brief: Brief, dataset: int | None = None) -> DatasetVersion | None:
    """The newest version of a dataset of the brief that holds cases.

    dataset: the one in hand; else, and where it holds none, the first that is not put away.
    """
    there = list(brief.datasets.all())
    there.sort(key=lambda d: (d.pk != dataset, d.archived))
    for found in there:
        version = newest_version(found)
        if version and version.columns:
            return version
    return None
