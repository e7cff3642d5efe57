"""Amendments that only make sense together: a message with what it holds, both halves of an example."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

from nomikon.core.prompts.amendments import Amendment, Revision
from nomikon.core.prompts.messages import Message


def requires_of(
    revision: Revision, old: Sequence[Message], new: Sequence[Message]
) -> dict[str, tuple[str, ...]]:
    """What each amendment requires, with those that make no sense alone requiring each other.

    A message that comes in or goes belongs to the one amendment that needs it; a user's message that
    comes in or goes with the assistant's right after it is a worked example, and stays whole.

    >>> from nomikon.core.prompts.amendments import amendments_between
    >>> old, new = [Message('user', '{{a}}')], [
    ...     Message('user', 'Two?'), Message('assistant', '2'), Message('user', '{{a}}')]
    >>> found = requires_of(amendments_between(old, new), old, new)
    >>> len({frozenset([a, *r]) for a, r in found.items()})
    1
    """
    found = {a.id: set(a.requires) for a in revision.amendments}
    by_id = {a.id: a for a in revision.amendments}
    layouts = [a for a in revision.amendments if a.kind == "layout"]
    for group in [*_messages(revision), *_examples(revision, old, new)]:
        # With all that the group's own amendments need, as far as that is only a message around them.
        whole = set(group)
        whole |= {n for a in group for n in by_id[a].requires if by_id[n].kind == "layout"}
        # A message that goes requires that all it held goes.
        whole |= {a.id for a in layouts if a.requires and set(a.requires) <= whole}
        for name in whole:
            found[name] |= whole - {name}
    return {name: tuple(sorted(needed)) for name, needed in found.items()}


def _messages(revision: Revision) -> list[list[str]]:
    """Each layout that one amendment alone requires, or that requires one alone, with that one."""
    by_need: dict[str, list[str]] = defaultdict(list)
    for a in revision.amendments:
        for needed in a.requires:
            by_need[needed].append(a.id)
    found = []
    for a in revision.amendments:
        others = {*by_need[a.id], *a.requires}
        if a.kind == "layout" and len(others) == 1:
            found.append([a.id, *others])
    return found


def _examples(
    revision: Revision, old: Sequence[Message], new: Sequence[Message]
) -> list[list[str]]:
    """The amendments of each pair of messages, user and assistant, that comes in or goes whole."""
    found = []
    for messages, kind in ((new, "add"), (old, "strike")):
        of: dict[int, list[Amendment]] = defaultdict(list)
        for a in revision.amendments:
            clause = a.after if kind == "add" else a.before
            if clause is not None:
                of[clause.message].append(a)
        for first in range(len(messages) - 1):
            pair = [*of[first], *of[first + 1]]
            roles = (messages[first].role, messages[first + 1].role)
            whole = of[first] and of[first + 1] and all(a.kind == kind for a in pair)
            if roles == ("user", "assistant") and whole:
                found.append([a.id for a in pair])
    return found
