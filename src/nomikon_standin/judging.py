"""Choosing a label: evidence from definitions, worked examples and general knowledge."""

from __future__ import annotations

import math
import re

from nomikon_standin.labels import OTHERWISE, as_label
from nomikon_standin.models import Persona
from nomikon_standin.sampling import Dice
from nomikon_standin.words import associated, chance, stems

# Weight of one matching word, by where the match comes from.
IN_NAME, IN_DEFINITION, BY_ASSOCIATION, BY_NEIGHBOUR = 1.6, 2.0, 0.55, 5.0
# What a label for "everything else" starts with: of many labels, or as the other of two.
DEFAULT_OF_MANY, DEFAULT_OF_TWO = 0.5, 1.4


def choose_label(
    subject: str,
    labels: dict[str, str],
    examples: list[tuple[str, str]],
    persona: Persona,
    dice: Dice,
) -> str:
    """The label that fits a text best for this model, at this temperature and seed."""
    evidence = label_evidence(subject, labels, examples, persona)
    return dice.pick(list(evidence), list(evidence.values()), salt="label")


def label_evidence(
    subject: str, labels: dict[str, str], examples: list[tuple[str, str]], persona: Persona
) -> dict[str, float]:
    """Points for every label.

    Words of the label's name and of its definition that the text holds count,
    the more the fewer labels share them; words that are only associated count
    less; the nearest worked examples count for their label. Every model is off
    by its own blur, the same each time for the same text.
    """
    have = set(stems(subject))
    # "anything else" names no words to look for.
    definitions = {
        name: set() if OTHERWISE.search(text) else set(stems(text)) for name, text in labels.items()
    }
    spread: dict[str, int] = {}
    for found in definitions.values():
        for word in found:
            spread[word] = spread.get(word, 0) + 1
    points: dict[str, float] = {}
    for name, text in labels.items():
        own = set(stems(name))
        score = IN_NAME * len(own & have)
        score += sum(IN_DEFINITION / spread[w] for w in definitions[name] & have)
        near: set[str] = set()
        for word in own | definitions[name]:
            near |= associated(word, persona.name, persona.knowledge)
        close = (near & have) - own - definitions[name]
        # Past the first few, further vague hints add little.
        score += BY_ASSOCIATION * math.sqrt(len(close)) * 1.6
        if OTHERWISE.search(text) or name.lower() in ("other", "none", "misc", "general"):
            score += DEFAULT_OF_TWO if len(labels) == 2 else DEFAULT_OF_MANY
        score += _hours(subject, text)
        blur = chance("blur", persona.name, subject, name) - 0.5
        points[name] = score + persona.blur * 2 * blur
    for given, answer in examples:
        label = as_label(answer, list(labels))
        if label is not None:
            points[label] += BY_NEIGHBOUR * alike(given, subject) ** 1.5
    return points


def alike(a: str, b: str) -> float:
    """Cosine of the two texts' sets of stems, from 0 to 1."""
    x, y = set(stems(a)), set(stems(b))
    return len(x & y) / math.sqrt(len(x) * len(y)) if x and y else 0.0


_HOURS = re.compile(r"within (\w+) hours?|in the next (\w+) hours?", re.I)


def _hours(subject: str, definition: str) -> float:
    """A definition by nearness in time counts where the text speaks of now or soon."""
    if not _HOURS.search(definition):
        return 0.0
    soon = re.search(
        r"\b(?:now|right now|tonight|today|this (?:morning|afternoon|evening)|"
        r"minutes?|an hour|in an hour|soon|about to)\b",
        subject,
        re.I,
    )
    return IN_DEFINITION * 1.2 if soon else 0.0


def is_true(subject: str, about: str, persona: Persona, dice: Dice) -> bool:
    """Whether a yes/no key holds: enough of what it speaks of stands in the text."""
    wanted = set(stems(re.sub(r"\b(?:true|false|boolean|if|when|whether)\b", " ", about)))
    have = set(stems(subject))
    score = 1.5 * len(wanted & have)
    for word in wanted:
        score += 0.4 * len(associated(word, persona.name, persona.knowledge) & have)
    score += persona.blur * (chance("yes", persona.name, subject, about) - 0.5)
    return dice.pick([True, False], [score, 1.0], salt=about)
