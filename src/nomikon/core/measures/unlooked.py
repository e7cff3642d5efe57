"""What no measure of a scorecard looks at: a score of form alone must not pass for proof."""

from __future__ import annotations

from nomikon.core.measures.registry import FAMILIES
from nomikon.core.measures.scorecard import Scorecard

TRUTH = "whether what an answer says is true"
TONE = "the tone"
_FAMILY = {kind: family for family, kinds in FAMILIES.items() for kind in kinds}
# Families by what they can see; a measure that people wrote or installed may see anything.
_SEES_ANYTHING = {"judges", "own", None}
_SEES_TRUTH = _SEES_ANYTHING | {"match", "overlap", "faithfulness"}
_SEES_TONE = _SEES_ANYTHING | {"match", "style"}


def sees_rules(card: Scorecard) -> bool:
    """Whether a measure may see any rule of a prompt: by what is wanted, a judge's reading, or its own code."""
    families = {_FAMILY.get(type(e.measure)) for e in card.entries}
    return any(e.measure.needs_reference for e in card.entries) or bool(families & _SEES_ANYTHING)


def not_looked_at(card: Scorecard) -> list[str]:
    """TRUTH and TONE, each where no measure of the card can see it.

    A measure that holds an answer against what is wanted sees both: what matches is right, and
    said as it was wanted.

    >>> from nomikon.core.measures import read_scorecard
    >>> card = {'nomikon': 'scorecard/1', 'measures': [{'measure': 'length', 'max': 9}]}
    >>> not_looked_at(read_scorecard(card))
    ['whether what an answer says is true', 'the tone']
    """
    families = {_FAMILY.get(type(e.measure)) for e in card.entries}
    wanted = any(e.measure.needs_reference for e in card.entries)
    found = []
    if not wanted and not families & _SEES_TRUTH:
        found.append(TRUTH)
    if not families & _SEES_TONE:
        found.append(TONE)
    return found
