"""Facts of a text as they can be told by form: numbers, times, dates, names, quotations.

Each is brought to one form, so that twenty is 20, five past four is 16:05 or 4:05, and a date
is the same however it is written. Numbers in words are known in English, German, French and
Spanish; names by capitals, where a dictionary of the language does not hold the word.
"""

from __future__ import annotations

import unicodedata
from functools import lru_cache
from typing import Any

import regex

from nomikon.core.texts.number_words import numbers_in_words
from nomikon.core.texts.numbers import COMMA, POINT, numbers_in
from nomikon.core.texts.words import folded, sentences_in

_MONTHS: dict[str, int] = {}
for _names in (
    "january february march april may june july august september october november december",
    "jan feb mar apr may jun jul aug sep oct nov dec",
    "januar februar märz april mai juni juli august september oktober november dezember",
    "janvier février mars avril mai juin juillet août septembre octobre novembre décembre",
    "enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre",
):
    _MONTHS |= {name: i for i, name in enumerate(_names.split(), 1)}
_MONTHS |= {"sept": 9, "jän": 1, "jänner": 1}
_MONTH = "|".join(sorted(_MONTHS, key=len, reverse=True))
_DATES = (
    regex.compile(r"\b(?P<y>\d{4})-(?P<m>\d{1,2})-(?P<d>\d{1,2})\b"),
    regex.compile(r"\b(?P<d>\d{1,2})\.\s?(?P<m>\d{1,2})\.(?P<y>\d{4}|\d{2})?(?!\d)"),
    regex.compile(r"\b(?P<d>\d{1,2})/(?P<m>\d{1,2})/(?P<y>\d{4}|\d{2})\b"),
    regex.compile(
        rf"\b(?P<d>\d{{1,2}})(?:st|nd|rd|th|er|\.|º)?\s?(?:of |de |d')?\s?(?P<name>{_MONTH})\b\.?(?:,?\s(?:de\s)?(?P<y>\d{{4}}))?",
        regex.IGNORECASE,
    ),
    regex.compile(
        rf"\b(?P<name>{_MONTH})\b\.?\s(?P<d>\d{{1,2}})(?:st|nd|rd|th)?\b(?:,?\s(?P<y>\d{{4}}))?",
        regex.IGNORECASE,
    ),
)
_TIMES = (
    regex.compile(
        r"\b(?P<h>\d{1,2})[:h](?P<m>\d{2})(?!\d|\.\d)\s?(?P<half>[ap]\.?m\b)?", regex.IGNORECASE
    ),
    # With a stop between it may be a price: only where a word beside it says what it is.
    regex.compile(
        r"(?:(?<=\b(?:at|um|gegen|bis|until|by|à|las)\s)\b(?P<h>\d{1,2})\.(?P<m>\d{2})(?!\d|\.\d)|"
        r"\b(?P<h>\d{1,2})\.(?P<m>\d{2})(?=\s?(?:[ap]\.?m\b|uhr\b|o'clock\b|h\b)))\s?(?P<half>[ap]\.?m\b)?",
        regex.IGNORECASE,
    ),
    regex.compile(r"(?<![:.])\b(?P<h>\d{1,2})\s?(?P<half>[ap]\.?m\b)", regex.IGNORECASE),
    regex.compile(
        r"(?<![:.])\b(?P<h>\d{1,2})\s(?:o'clock|uhr|heures?)\b(?:\s(?P<m>\d{2})\b)?",
        regex.IGNORECASE,
    ),
)
_PAST = regex.compile(
    r"\b(?P<m>five|ten|twenty|twenty-five|a quarter|quarter|half)\s(?P<way>past|to)\s(?P<h>one|two|three|four|"
    r"five|six|seven|eight|nine|ten|eleven|twelve)\b",
    regex.IGNORECASE,
)
_GERMAN_PAST = regex.compile(
    r"\b(?P<m>halb|(?:viertel|fünf|zehn|zwanzig) (?:nach|vor))\s(?P<h>eins|zwei|drei|vier|fünf|sechs|"
    r"sieben|acht|neun|zehn|elf|zwölf)\b",
    regex.IGNORECASE,
)
_GERMAN = {w: i for i, w in enumerate(
    "eins zwei drei vier fünf sechs sieben acht neun zehn elf zwölf".split(), 1
)}  # fmt: skip
_SMALL = {w: i for i, w in enumerate(
    "zero one two three four five six seven eight nine ten eleven twelve".split()
)}  # fmt: skip
_MINUTES = {"five": 5, "ten": 10, "twenty": 20, "twenty-five": 25, "half": 30, "quarter": 15, "a quarter": 15}  # fmt: skip
_QUOTE = regex.compile(
    # No opening mark within: one that is never closed must not be looked through from every other.
    r"“([^“”]{3,})”|„([^„“”]{3,})[“”]|\"([^\"\n]{3,})\"|«\s?([^«»]{3,}?)\s?»|「([^「」]{2,})」"
)


def quotes_in(text: str) -> dict[str, str]:
    """Quotations: as they stand, by what they say."""
    found = (next(g for g in m.groups() if g) for m in _QUOTE.finditer(text))
    return {folded(q, ignore_case=True).rstrip(".,!?"): q for q in found}


def dates_in(text: str) -> dict[str, str]:
    """Dates by month and day, with the year where it is told."""
    found: dict[str, str] = {}
    for pattern in _DATES:
        for match in pattern.finditer(text):
            told = match.groupdict()
            month = _MONTHS[told["name"].lower()] if told.get("name") else int(told["m"])
            day, year = int(told["d"]), told.get("y")
            if not (1 <= month <= 12 and 1 <= day <= 31):
                continue
            found.setdefault(
                f"{month}-{day}" + (f"-{year[-2:]}" if year else ""), match.group().strip()
            )
    return found


def same_date(said: str, known: dict[str, str]) -> bool:
    """Whether a date is among those known; one without a year is that of any."""
    short = "-".join(said.split("-")[:2])
    return said in known or any(
        k == short or (said == short and k.startswith(f"{short}-")) for k in known
    )


def times_in(text: str) -> dict[str, str]:
    """Times of day as minutes, each in the halves of the day that it can mean."""
    found: dict[str, str] = {}
    for pattern in _TIMES:
        for match in pattern.finditer(text):
            told = match.groupdict()
            hour, minute = int(told["h"]), int(told.get("m") or 0)
            half = (told.get("half") or "").lower()[:1]
            if hour > 24 or minute > 59 or (half and not 1 <= hour <= 12):
                continue
            if half:
                hour = hour % 12 + (12 if half == "p" else 0)
            found.setdefault(f"{hour % 24}:{minute:02}", match.group().strip())
    for match in _PAST.finditer(text):
        hour, minute = _SMALL[match["h"].lower()], _MINUTES[match["m"].lower()]
        if match["way"].lower() == "to":
            hour, minute = hour - 1, 60 - minute
        found.setdefault(f"{hour % 12}:{minute:02}", match.group().strip())
    for match in _GERMAN_PAST.finditer(text):
        part, _, way = match["m"].lower().partition(" ")
        minute = {"halb": -30, "viertel": 15, "fünf": 5, "zehn": 10, "zwanzig": 20}[part]
        told = 60 * _GERMAN[match["h"].lower()] + (-minute if way == "vor" else minute)
        found.setdefault(f"{told // 60 % 12}:{told % 60:02}", match.group().strip())
    return found


def same_time(said: str, known: dict[str, str]) -> bool:
    """Whether a time is among those known; 4:05 may be 16:05, 16:05 is never 4:05 at night."""
    hour, minute = said.split(":")
    other = f"{int(hour) + 12}:{minute}" if int(hour) < 12 else f"{int(hour) - 12}:{minute}"
    return said in known or other in known


def numbers_said(text: str) -> dict[str, str]:
    """Numbers in digits and words, dates and times apart."""
    rest = text
    for pattern in (*_DATES, *_TIMES[1:], _PAST, _GERMAN_PAST):
        rest = pattern.sub(" ", rest)
    found: dict[str, str] = {}
    for number in numbers_in(rest, _mark(rest)):
        found.setdefault(f"{abs(number).normalize():f}", f"{number:f}")
    for value, said in numbers_in_words(rest):
        found.setdefault(str(value), said)
    # What hangs on letters or dashes (MS-204, A4) is a number of something all the same.
    for digits in regex.findall(r"(?<=\p{L}[-‑]?)\d+\b", rest):
        found.setdefault(str(int(digits)), digits)
    return found


def _mark(text: str) -> str:
    """The decimal mark that a text uses: a comma before other than three digits says so."""
    return COMMA if regex.search(r"\d,\d{1,2}(?!\d)", text) else POINT


_NAME = regex.compile(
    r"(?<![\p{L}\p{M}\d'’])(?:\p{Lu}[\p{Ll}\p{M}]+|\p{Lu}{2,})(?:[-'’]\p{Lu}[\p{Ll}\p{M}]+)*"
    r"(?:\s(?:\p{Lu}[\p{Ll}\p{M}]+|\p{Lu}{2,})(?:[-'’]\p{Lu}[\p{Ll}\p{M}]+)*)*"
)
_TITLE = regex.compile(
    r"^(?:mr|mrs|ms|miss|dr|sir|madam|dear|captain|herr|frau|kapitän|monsieur|madame|señora?|mme|m|prof)\.?$",
    regex.IGNORECASE,
)
_NEVER = frozenset(
    "i monday tuesday wednesday thursday friday saturday sunday sir madam dear kind regards mr mrs "
    "ms dr miss ok ps re fyi am pm usd eur gbp id url pdf json html faq asap "
    "montag dienstag mittwoch donnerstag freitag samstag sonntag sie ihnen ihr ihre ihren ihrem "
    "lundi mardi mercredi jeudi vendredi samedi dimanche "
    "english german french spanish".split()
) | frozenset(_MONTHS)
# Languages that write every noun with a capital.
_NOUNS = ("de", "lb")


def names_in(text: str, language: str) -> dict[str, str]:
    """Names: capitalised words that are no common word of the language where a capital says little.

    language: ISO 639-1 of the text. Within a sentence of most languages a capital makes a name; at
    its beginning, in words all in capitals, and in languages that write nouns with capitals, only
    a word that the language's dictionary does not hold is one (pyspellchecker; where it has no
    dictionary for the language, none is).
    """
    return _by_capitals(text, language)[0]


def perhaps_names(text: str, language: str) -> dict[str, str]:
    """Words that `names_in` takes for words, and that may be names all the same.

    Their capital says little where they stand, and the dictionary holds them as rare ones: Rose at
    the beginning of a sentence.
    """
    sure, doubted = _by_capitals(text, language)
    return {name: said for name, said in doubted.items() if name not in sure}


def _by_capitals(text: str, language: str) -> tuple[dict[str, str], dict[str, str]]:
    """Names, and rare words of the dictionary whose capital says little; as they stand, by plain form."""
    found: dict[str, str] = {}
    doubted: dict[str, str] = {}
    for sentence in sentences_in(regex.sub(r"[“”„\"«»(){}\[\]*_#|]", " ", text), language):
        shouted = sentence.upper() == sentence
        for match in _NAME.finditer(sentence):
            words = regex.split(r"\s", match.group().strip())
            while words and _TITLE.match(words[0]):
                words = words[1:]
            kept: list[str] = []
            first = match.start() == 0 or not regex.search(r"\p{L}", sentence[: match.start()])
            for place, word in enumerate(words):
                plain = _bare_name(word)
                doubtful = shouted or language in _NOUNS or (first and place == 0) or word.isupper()
                if plain in _NEVER:
                    continue
                if doubtful and _common(plain, language):
                    if first and place == 0 and not shouted and _rare(plain, language):
                        doubted.setdefault(plain, word)
                    continue
                kept.append(word)
            if kept:
                # One name, however many words: Anna Berg.
                found.setdefault(" ".join(map(_bare_name, kept)), " ".join(kept))
    return found, doubted


def _bare_name(word: str) -> str:
    return word.casefold().removesuffix("'s").removesuffix("’s")


# A word that the dictionary has met more often than this is hardly a name (its commonest: 38 million).
_OFTEN = 100_000


def _rare(word: str, language: str) -> bool:
    words = _dictionary(language)
    return words is not None and words[word] < _OFTEN


def _common(word: str, language: str) -> bool:
    """Whether a dictionary of the language holds a word; yes where there is none to look into."""
    words = _dictionary(language)
    if words is None or word in words:
        return True
    # Words put together of two that it holds, and inflected ones.
    if language in _NOUNS:
        return any(
            word[:i] in words and word[i + len(joint) :] in words
            for i in range(3, len(word) - 2)
            for joint in ("s", "n", "en", "")
            if word[i:].startswith(joint)
        ) or any(word.removesuffix(e) in words for e in ("s", "n", "en", "es", "er"))
    # The English one knows American spellings alone.
    spelled = {word, *(word.replace(ours, theirs) for ours, theirs in _BRITISH)}
    return any(w.removesuffix(e) in words for w in spelled for e in ("", "s", "es", "ed", "ing"))


_BRITISH = (
    ("our", "or"),
    ("is", "iz"),
    ("ys", "yz"),
    ("tre", "ter"),
    ("ll", "l"),
    ("ence", "ense"),
)


DICTIONARIES = ("de", "en", "es", "fr", "it", "nl", "pt", "ru")


@lru_cache(maxsize=4)
def _dictionary(language: str) -> Any:
    if language not in DICTIONARIES:
        return None
    from spellchecker import SpellChecker

    return SpellChecker(language=language, distance=1).word_frequency.dictionary


def plain_words(text: str) -> str:
    """A text for looking names up in: accents and case left aside.

    >>> plain_words("Zoë’s Café")
    "zoe's cafe"
    """
    apart = unicodedata.normalize("NFD", folded(text, ignore_case=True))
    return "".join(c for c in apart if not unicodedata.combining(c))
