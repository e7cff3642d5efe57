"""The language that a text is written in, where it can be told."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from nomikon.core.texts.words import ADDRESS, stands_alone, without_code, words_in

# Where the language cannot be told with any certainty.
USUAL_LANGUAGE = "en"
# Fewer letters than this say little about the language; less likely than this, nothing.
ENOUGH_LETTERS = 12
FLOOR = 0.8
# Likelier than all others together.
LIKELY = 0.5
# Languages that are read by their words.
READ = ("de", "en", "es", "fr")


def told_language(text: str, among: tuple[str, ...] = ()) -> tuple[str, float] | None:
    """The likeliest language of a text and how likely it is; None for fewer than 12 letters.

    By py3langid (Lui and Baldwin 2012). among: the only ones that come into question.
    """
    # Addresses and code are no language.
    plain = ADDRESS.sub(" ", without_code(text))
    if sum(c.isalpha() for c in plain) < ENOUGH_LETTERS and not any(
        stands_alone(w) for w in words_in(plain)[:1]
    ):
        return None
    code, likely = _identifier(among).classify(plain)
    return str(code), float(likely)


def language_of(text: str) -> str:
    """The language by whose words a text is read; of a short one the likeliest that is read here.

    What is likelier a language that is not read stays that one.
    """
    told = told_language(text)
    if told is None:
        return USUAL_LANGUAGE
    if told[1] >= FLOOR:
        return told[0]
    among = told_language(text, READ)
    if among is not None and (among[0] == told[0] or (among[1] >= FLOOR and told[1] < LIKELY)):
        return among[0]
    return told[0] if told[1] >= LIKELY else USUAL_LANGUAGE


@lru_cache(maxsize=1)
def known_languages() -> frozenset[str]:
    return frozenset(_identifier(()).nb_classes)


@lru_cache(maxsize=16)
def _identifier(among: tuple[str, ...]) -> Any:
    from py3langid.langid import MODEL_FILE, LanguageIdentifier

    identifier = LanguageIdentifier.from_model_file(MODEL_FILE, norm_probs=True)
    if among:
        identifier.set_languages(list(among))
    return identifier
