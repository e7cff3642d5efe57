"""Names of a brief's datasets: none stands twice, and the first needs none."""

from __future__ import annotations

from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.errors import DatasetError

FIRST, LONGEST = "Cases", 120


def free_name(brief: Brief, name: str, own: int | None = None) -> str:
    """The name as it is kept. own: the dataset that is renamed. Raises DatasetError.

    Without a name the first dataset is called after what it holds.
    """
    told = " ".join(name.split())
    others = [n for pk, n in brief.datasets.values_list("pk", "name") if pk != own]
    if not told and not others:
        return FIRST
    if not told:
        raise DatasetError(
            "a further dataset needs a name, to be told from the others", field="name"
        )
    if len(told) > LONGEST:
        raise DatasetError(f"a name has at most {LONGEST} characters", field="name")
    if told.casefold() in {n.casefold() for n in others}:
        raise DatasetError(f"there is a dataset called {told!r} already", field="name")
    return told
