"""Two wishes that cannot both be granted."""

from __future__ import annotations

from functools import lru_cache

import regex

from nomikon.core.prompts.tenor.lexicon import LEXICONS
from nomikon.core.prompts.wishes.wants import Want

# Words that say how strictly a rule holds, not what it asks for.
_STRICT = (
    "always|must|shall|should|please|ever|do|immer|stets|muss|müssen|soll|bitte|toujours|doit|"
    "devez|veuillez|siempre|debe|debes|por favor"
)


def clash_of(one: Want, other: Want) -> str:
    """Why two wishes cannot both hold, in words; "" where they can, or no rule can tell.

    >>> from nomikon.core.prompts.tenor import read_tenor
    >>> from nomikon.core.prompts.wishes.wants import want_of
    >>> tenor = read_tenor([])
    >>> clash_of(want_of('at most 20 words', tenor), want_of('at least 50 words', tenor))
    'one asks for at least 50 words, the other for at most 20'
    """
    spoken = {one.answer_language, other.answer_language} - {""}
    if len(spoken) > 1:
        return "they ask for two languages"
    if one.form and other.form and one.form != other.form:
        return f"one asks for {one.form}, the other for {other.form}"
    for limit in one.limits:
        for against in other.limits:
            if (limit.what, limit.per) != (against.what, against.per):
                continue
            for low, high in ((limit.low, against.high), (against.low, limit.high)):
                if low is not None and high is not None and low > high:
                    what = limit.what if low != 1 else limit.what.removesuffix("s")
                    return f"one asks for at least {low} {what}, the other for at most {high}"
    if set(one.drops) & {other.adds[0], *other.labels} or set(other.drops) & {
        one.adds[0],
        *one.labels,
    }:
        return "one adds the label that the other takes out"
    # Wishes that no rule reads further can still say the same with and without a "not".
    (asks, denied), (asks_too, denied_too) = _core(one.text), _core(other.text)
    if asks and asks == asks_too and denied != denied_too:
        return "one asks for what the other forbids"
    return ""


@lru_cache(maxsize=1)
def _denials() -> regex.Pattern[str]:
    words = "|".join(lexicon.negation for lexicon in LEXICONS.values())
    return regex.compile(rf"(?<!\w)(?:{words}|never|nie|niemals|jamais|nunca)(?!\w)", regex.I)


def _core(rule: str) -> tuple[tuple[str, ...], bool]:
    """What a rule speaks of, without how strictly, and whether it forbids it."""
    denied = _denials().search(rule) is not None
    bare = _denials().sub(" ", rule)
    bare = regex.sub(rf"(?<!\w)(?:{_STRICT})(?!\w)", " ", bare, flags=regex.I)
    return tuple(regex.findall(r"[\p{L}\p{N}]+", bare.casefold())), denied
