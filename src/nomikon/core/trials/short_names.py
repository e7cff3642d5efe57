"""Names of models as short as they can be and still be told apart."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable

_JOINT = re.compile(r"(?<=[/:_\-. ])")


def short_names(names: Iterable[str]) -> dict[str, str]:
    """Each name without its first parts, as far as others share them and nothing is confused.

    Parts end with a slash, colon, dash, underscore, dot or blank. What stands before a slash names
    who serves a model rather than the model, and goes even where nobody shares it.

    >>> short_names(["north-amber", "north-slate", "acme/rill-2"])
    {'north-amber': 'amber', 'north-slate': 'slate', 'acme/rill-2': 'rill-2'}
    """
    known = list(dict.fromkeys(names))
    shared = Counter(p for name in known for p in _beginnings(name))
    chosen = {name: _candidates(name, shared) for name in known}
    short = {name: options[0] for name, options in chosen.items()}
    # A short name that two could have belongs to neither.
    taken = Counter(short.values())
    return {n: s if taken[s] == 1 and (s == n or s not in known) else n for n, s in short.items()}


def _beginnings(name: str) -> list[str]:
    parts = _JOINT.split(name)
    return ["".join(parts[:n]) for n in range(1, len(parts))]


def _candidates(name: str, shared: Counter[str]) -> list[str]:
    """The name without its longest beginning that may go, then the name itself."""
    for begun in reversed(_beginnings(name)):
        rest = name[len(begun) :]
        # A size, a number or a single letter says nothing alone: a name begins with a letter.
        telling = len(rest) > 2 and rest[0].isalpha()
        if telling and (begun.endswith("/") or shared[begun] > 1):
            return [rest, name]
    return [name]
