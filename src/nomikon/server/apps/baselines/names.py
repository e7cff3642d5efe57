"""Names of a brief's baselines: they name arms, so none stands twice."""

from __future__ import annotations

from nomikon.server.apps.baselines.errors import BaselineError
from nomikon.server.apps.baselines.models import Baseline

LONGEST = 120


def free_name(brief_id: int, name: str, own: int | None = None) -> str:
    """The name as it is kept. own: the baseline that is renamed. Raises BaselineError."""
    told = " ".join(name.split())
    if not told:
        raise BaselineError(
            "say in a word or two who or what gave the answers: an arm is named by it", field="name"
        )
    if len(told) > LONGEST:
        raise BaselineError(f"a name has at most {LONGEST} characters", field="name")
    found = Baseline.objects.filter(dataset__brief=brief_id).values_list("pk", "name")
    if told.casefold() in {name.casefold() for pk, name in found if pk != own}:
        raise BaselineError(f"there are answers called {told!r} already", field="name")
    return told
