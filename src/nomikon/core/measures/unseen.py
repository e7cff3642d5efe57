"""What a scorecard does not see of a prompt: truth and tone, and rules that nothing checks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nomikon.core.measures.scorecard import read_scorecard
from nomikon.core.measures.unlooked import not_looked_at, sees_rules
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.tenor import read_tenor
from nomikon.core.prompts.tenor.checks import unmeasured
from nomikon.core.prompts.tenor.facts import Fact

# So many rules are named; of more it is told how many they are.
MOST_NAMED = 6


def unseen_of(
    document: Mapping[str, Any], messages: Sequence[Message], facts: Sequence[Fact] = ()
) -> list[str]:
    """In words, for *No measure looks at …*. document: of a scorecard. Raises MeasureError for none.

    >>> card = {'nomikon': 'scorecard/1', 'measures': [{'measure': 'exact-match'}]}
    >>> unseen_of(card, [Message('user', 'Write a reply in at most 40 words.')])
    ['at most 40 words (§ 1)']
    """
    card = read_scorecard(document)
    tenor = read_tenor(messages, facts=facts)
    rules = unmeasured(tenor, document["measures"], sees_rules=sees_rules(card))
    named = [says if clause is None else f"{says} (§ {clause})" for says, clause in rules]
    if len(named) > MOST_NAMED:
        more = len(named) - MOST_NAMED + 1
        named = [*named[: MOST_NAMED - 1], f"{more} further rules"]
    return not_looked_at(card) + named
