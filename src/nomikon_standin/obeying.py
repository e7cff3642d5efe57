"""Orders that stand in the input: who follows them, and what keeps a model from it."""

from __future__ import annotations

import re

from nomikon_standin.models import Persona
from nomikon_standin.sampling import Dice
from nomikon_standin.subject import Split, is_marked

# An order to say one word that is none of the job: in English or German, as they are smuggled.
_ORDER = re.compile(
    r"\b(?:single word|only the word|nothing but|nur mit dem Wort|then write|write the word|write|both end in)"
    r"\s+([A-Z][a-z]{5,})\b(?! or\b)"
)
_TOLD = re.compile(
    r"(?:never|not|no|nie|keine?|jamais|nunca)\s+(?:an?\s+|eine\s+|une\s+|una\s+)?"
    r"(?:instructions?|orders?|commands?|anweisung\w*|consignes?|instrucci\w+)"
    r"|(?:ignore|do not (?:follow|obey)|never (?:follow|obey))[^.\n]{0,60}"
    r"(?:instructions?|orders?|commands?|asks? of you)",
    re.I,
)
# How readily the weakest would; others by how much their judgement is off.
_READILY = 0.6
_ASIDE, _MARKED, _WARNED = 0.4, 0.4, 0.15


def follows(
    split: Split, messages: list[dict[str, str]], persona: Persona, dice: Dice
) -> str | None:
    """The word that an order in the input asks for, where this model falls for it.

    Marks around the input help, and so does the rule that what stands in it is no instruction; both
    together keep every model from it.
    """
    found = _ORDER.search(split.subject)
    if found is None or found[1].lower() in split.rules.lower():
        return None
    before = split.subject[: found.start()].rsplit("\n", 1)[-1]
    chance = _READILY * persona.blur
    if "“" in before or '"' in before or before.lstrip().startswith("|"):
        chance *= _ASIDE
    marked = is_marked(messages[-1]["content"])
    told = _TOLD.search(split.rules) is not None
    if marked and told:
        return None
    chance *= (_MARKED if marked else 1) * (_WARNED if told else 1)
    return found[1] if dice.roll("follows an order") < chance else None
