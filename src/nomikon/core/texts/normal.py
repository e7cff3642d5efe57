"""A text with what does not matter taken out, so that two of them can be told to be the same."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache


@lru_cache(maxsize=4096)
def normalised(text: str) -> str:
    """Compatibility form, case folded, blanks joined, outer punctuation and quotes dropped.

    Signs that say something stay: those of numbers (-5, .5, 5 %, 5 €) and the vowel signs and
    accents of every script, which are no punctuation.

    >>> normalised(' “Lost  Item.” '), normalised('−5 %.')
    ('lost item', '-5 %')
    """
    plain = text if text.isascii() else unicodedata.normalize("NFKC", text)
    joined = " ".join(plain.translate(_MINUS).casefold().split())
    first, last = 0, len(joined)
    while first < last and _outer(joined[first]) and not _NUMBER_BEGINS.match(joined, first):
        first += 1
    while last > first and _outer(joined[last - 1]) and not _meant(joined, last - 1):
        last -= 1
    return joined[first:last] or joined


_MINUS = str.maketrans({"−": "-", "\u200b": "", "\ufeff": ""})
_NUMBER_BEGINS = re.compile(r"[-+]?[.,]?\d")
_QUOTE_LIKE = "`´^"


def _outer(sign: str) -> bool:
    """Whether a sign is punctuation, a blank, a picture, or a mark that stands for a quote."""
    kind = unicodedata.category(sign)
    if kind == "Sm":
        return sign not in _SAYS_SOMETHING
    return sign in _QUOTE_LIKE or kind[0] in "PZC" or kind in ("So", "Sk")


_SAYS_SOMETHING = "+<>=±×÷≈~≤≥≠∞√"


def _meant(text: str, at: int) -> bool:
    """A percent or degree sign says something; so does a hash after a letter (c#)."""
    return text[at] in "%‰°" or (text[at] == "#" and at > 0 and text[at - 1].isalnum())
