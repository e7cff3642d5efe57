"""The arm that a plan holds the others against, fixed before anything is looked at."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from nomikon.core.errors import PlanError
from nomikon.core.prompts import merge_settings

if TYPE_CHECKING:
    from nomikon.server.apps.trials.planning import ArmChoice


def reference_of(
    arms: Sequence[ArmChoice],
    chosen: Mapping[str, int] | None,
    settings: Sequence[Mapping[str, Any]] = (),
) -> int | None:
    """The place of the reference among the arms; None where there is nothing to hold against it.

    chosen: version (number), model (id) and place in settings; without it the parent of the newest
    version that has one here, else the first arm. Raises PlanError for an arm that is not planned.
    """
    if chosen is None:
        return None if len(arms) < 2 else _usual(arms)
    place = chosen.get("settings", 0)
    variants = list(settings) or [{}]
    for i, arm in enumerate(arms):
        if (arm.version.number, arm.model.pk) != (chosen["version"], chosen["model"]):
            continue
        if place < len(variants):
            wanted = merge_settings(arm.version.settings, variants[place])
            if arm.settings == wanted:
                return i
    raise PlanError(
        "the arm that others are held against is not among those planned", field="reference"
    )


def _usual(arms: Sequence[ArmChoice]) -> int:
    by_version = {arm.version.pk: i for i, arm in reversed(list(enumerate(arms)))}
    for arm in sorted(arms, key=lambda a: -a.version.number):
        if arm.version.parent_id in by_version:
            return by_version[arm.version.parent_id]
    return 0
