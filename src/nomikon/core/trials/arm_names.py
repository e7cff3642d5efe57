"""Names of a trial's arms: what tells each from the others, and no more."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nomikon.core.prompts.settings import settings_in_short

# Of what an arm leaves to its model.
OWN = "the model's own settings"
FEWEST = 12


@dataclass(frozen=True)
class NamedArm:
    """What names an arm: `v6`, the model's name (short), its settings."""

    version: str
    model: str
    settings: Mapping[str, Any]


def arm_names(arms: Sequence[NamedArm]) -> list[str]:
    """A name for each arm, in order: its version always, its model and settings where they differ.

    Of settings only those are named that differ within the set. The same arm twice is told by
    its place.

    >>> arm_names([NamedArm("v6", "flint", {"temperature": 0}),
    ...            NamedArm("v6", "flint", {"temperature": 0.7})])
    ['v6 at T 0', 'v6 at T 0.7']
    """
    several = len({a.model for a in arms}) > 1
    differing = [
        key
        for key in dict.fromkeys(k for a in arms for k in a.settings)
        if len({repr(a.settings.get(key)) for a in arms}) > 1
    ]
    heads = [f"{a.version} on {a.model}" if several or len(arms) == 1 else a.version for a in arms]
    names = list(heads)
    if differing and len(set(heads)) < len(heads):
        names = [f"{head} {_settings(a, differing)}" for head, a in zip(heads, arms, strict=True)]
    counts = Counter(names)
    return [
        f"{name} (arm {place})" if counts[name] > 1 else name for place, name in enumerate(names, 1)
    ]


def _settings(arm: NamedArm, differing: Sequence[str]) -> str:
    own = {k: arm.settings[k] for k in differing if arm.settings.get(k) is not None}
    return f"at {settings_in_short(own)}" if own else f"with {OWN}"


def shortened(names: Sequence[str], longest: int) -> list[str]:
    """Names cut in the middle to about this length, where that leaves them apart.

    What two names would share when cut is given more room, up to the whole name.

    >>> shortened(["a-very-long-name-of-a-model-x", "a-very-long-name-of-a-model-y"], 12)
    ['a-very…del-x', 'a-very…del-y']
    """
    found = list(names)
    for place, name in enumerate(names):
        room = max(longest, FEWEST)
        while len(name) > room:
            cut = _cut(name, room)
            if sum(_cut(other, room) == cut for other in set(names)) == 1:
                found[place] = cut
                break
            room += 4
    return found


def _cut(name: str, longest: int) -> str:
    if len(name) <= longest:
        return name
    head = longest // 2
    return f"{name[:head]}…{name[len(name) - (longest - head - 1) :]}"
