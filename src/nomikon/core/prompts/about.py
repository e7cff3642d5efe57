"""What a remark about an answer is about: a part of the prompt's tenor, a key of the answer, a label."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import regex

from nomikon.core.prompts.tenor.shape import Tenor

# Words of complaint in the four languages, by the part of the tenor that they speak of. The first part
# of which a remark speaks is its own.
_SAID = {
    "language": r"wrong language|in (?:english|german|french|spanish)|falsche\w* sprache|auf (?:deutsch|englisch)"
    r"|mauvaise langue|en (?:anglais|français|espagnol)|idioma|not translated",
    "invented": r"invent\w*|made[- ]up|makes? (?:it|this|that|things) up|hallucinat\w*|not (?:in|from) the (?:text|input|source|"
    r"letter|message|mail)|never said|erfund\w*|erfind\w*|steht nicht (?:im|in)|inventé\w*|n[’']est pas dans"
    r"|fictio\w*|nothing about (?:it|that|this) in|out of thin air|frei erfunden|aus der luft|se inventa\w*|inventad\w*|no está en|fabricat\w*|guess\w*|geraten",
    "left out": r"left out|leaves out|missing|misses|missed|omit\w*|forg[eo]t\w*|not mentioned|incomplete|fehl\w*"
    r"|vergess\w*|unvollständig|ausgelassen|manqu\w*|oubli\w*|incomplet\w*|falta\w*|olvid\w*"
    r"|does(?: not|n[’']t) (?:answer|mention|address|say)|ignor\w*|skip\w*|overlook\w*|weggelassen|beantwortet nicht|übergangen"
    r"|ne répond pas|no responde|no menciona",
    "length": r"too (?:long|short|wordy|much|brief)|(?:rather|very|way|far) (?:long|short)|wordy|long[- ]winded|verbose|rambl\w*"
    r"|shorter|length|cut (?:off|short)|zu (?:lang|kurz|viel)|ausschweif\w*|kürzer|länge|trop (?:long|court)\w*|bavard\w*"
    r"|plus court\w*|demasiad\w* (?:largo|larga|corto|corta)|más cort[oa]|curt|terse"
    r"|on and on|goes on|would do|half as|drags|bloated|padd(?:ed|ing)|ausführlich|umständlich|langatmig|knapp|interminable",
    "tone": r"tone|rude|impolite|unfriendly|cold|stiff|formal|informal|casual|harsh|pushy|sounds|unhöflich|steif|unfreundlich"
    r"|kalt|tonfall|ton\b|froid\w*|impoli\w*|sec\b|tono|frí[oa]|maleducad\w*|brusc\w*|apologetic|salesy|grovel\w*"
    r"|chummy|stuffy|blunt|cheerful|condescending|robot\w*|förmlich|herablassend|flapsig|familier|guindé|hautain|seco",
    "form": r"format\w*|json|markdown|bullet\w*|list\b|table|heading\w*|code fence|not (?:one of )?the labels?|layout"
    r"|stichpunkt\w*|aufzählung|tabelle|liste|puces?|tableau|viñetas?|tabla|lista|quotes? around|extra text|asterisks?|stars|plain text|line breaks?|sternchen|zeilenumbr\w*",
}


@dataclass(frozen=True)
class About:
    """part: one of the parts above, `key` or `label`. name: of the key or label, "" else."""

    part: str
    name: str = ""


@lru_cache(maxsize=1)
def _patterns() -> tuple[tuple[str, regex.Pattern[str]], ...]:
    return tuple(
        (part, regex.compile(rf"(?<!\w)(?:{said})", regex.IGNORECASE))
        for part, said in _SAID.items()
    )


def about(text: str, tenor: Tenor) -> About | None:
    """What a remark is about, None where its words tell nothing of it.

    A key of the answer that it names comes first, then a label between which it says something was
    taken for, then the parts of the tenor.

    >>> from nomikon.core.prompts.tenor import Tenor
    >>> about('far too wordy for a text message', Tenor())
    About(part='length', name='')
    """
    keys = [k.name for k in tenor.output.keys if _named(k.name, text)]
    if len(keys) == 1:
        return About("key", keys[0])
    if not keys:
        labels = [x.label for x in tenor.output.labels if _named(x.label, text)]
        if labels:
            return About("label", " / ".join(sorted(labels, key=str.casefold)))
    return next((About(part) for part, pattern in _patterns() if pattern.search(text)), None)


def _named(name: str, text: str) -> bool:
    spoken = regex.escape(name.replace("_", " ")).replace(r"\ ", r"[ _-]")
    return bool(regex.search(rf"(?<!\w){spoken}s?(?!\w)", text, regex.IGNORECASE))


def by_what_they_are_about(texts: Sequence[str], tenor: Tenor) -> dict[About | None, list[int]]:
    """Places of remarks by what they are about, in the order in which each comes first."""
    found: dict[About | None, list[int]] = {}
    for place, text in enumerate(texts):
        found.setdefault(about(text, tenor), []).append(place)
    return found
