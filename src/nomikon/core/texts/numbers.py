"""Numbers in running text, and what looks like one and is none: dates, times, versions, ranges' dashes."""

from __future__ import annotations

import unicodedata
from decimal import Decimal, InvalidOperation

import regex

POINT, COMMA = ".", ","
# Blanks and apostrophes that part thousands: 1 200, 1'200.
_PART = r"[ \u00a0\u202f\u2009'’]"
# Dates, times, fractions and numbers of several points are no numbers.
_NONE = regex.compile(
    r"""
    \d{4}-\d{1,2}-\d{1,2}(?:[T ]\d{1,2}:\d{2}(?::\d{2})?)?      # 2031-05-04 16:05
  | \d{1,2}\.\d{1,2}\.(?:\d{4}|\d{2})(?!\d)                      # 4.5.2031
  | \d+/\d+(?:/\d+)?                                             # 4/5/2031, 3/4
  | \d{1,2}:\d{2}(?::\d{2})?(?:\s?[ap]\.?m\b\.?)?                # 16:05
  | \d{1,2}\s?[ap]\.?m\b\.?                                      # 5 pm
  | \d+(?:\.\d+){2,}                                             # 1.2.3
    """,
    regex.VERBOSE | regex.IGNORECASE,
)
_GROUPED = {
    POINT: rf"\d{{1,3}}(?:,\d{{3}})+(?!\d)|\d{{1,3}}(?:{_PART}\d{{3}})+(?!\d)",
    COMMA: rf"\d{{1,3}}(?:\.\d{{3}})+(?!\d)|\d{{1,3}}(?:{_PART}\d{{3}})+(?!\d)",
}
_NUMBER = {
    mark: regex.compile(
        # No number begins in the middle of a word or of another number (v3, COVID-19).
        rf"(?<![\w.,])(?<!\p{{L}}[-‑])(?P<sign>[-+−–]?)"
        rf"(?P<whole>{grouped}|\d+)?(?P<rest>{regex.escape(mark)}\d+)?"
        rf"(?P<power>[eE][-+]?\d{{1,4}}(?!\w))?(?![{regex.escape(mark)}]?\d)"
    )
    for mark, grouped in _GROUPED.items()
}
_ASIDE = str.maketrans({"٫": ".", "٬": ",", "％": "%"})


def numbers_in(text: str, decimal: str = POINT) -> list[Decimal]:
    """Numbers in a text, in order. decimal: the decimal mark, a point or a comma.

    A sign belongs to a number where nothing stands directly before it, so that the second
    number of a range (3-5) is no negative one. Thousands may be parted by the other mark, a
    blank or an apostrophe. Dates, times, fractions, version numbers and what hangs on a
    letter (v3) are none.

    >>> [str(n) for n in numbers_in('1,200.5 of −3, at 16:05, 3-5 %')]
    ['1200.5', '-3', '3', '5']
    >>> [str(n) for n in numbers_in('1.200,5', ',')]
    ['1200.5']
    """
    plain = "".join(_digit(c) for c in text.translate(_ASIDE))
    plain = _NONE.sub(lambda m: " " + "·" * (len(m.group()) - 1), plain)
    found: list[Decimal] = []
    for match in _NUMBER[decimal].finditer(plain):
        whole, rest = match["whole"], match["rest"]
        if whole is None and rest is None:
            continue
        sign = match["sign"]
        # A dash after a number or a word is a dash: 3-5, 3 – 5.
        before = plain[: match.start()].rstrip()
        if sign and sign in "-−–" and before and (before[-1].isdigit() or before[-1] == "%"):
            sign = ""
        digits = regex.sub(r"\D", "", whole or "0")
        text_of = ("-" if sign and sign in "-−–" else "") + digits
        if rest is not None:
            text_of += "." + rest[1:]
        try:
            value = Decimal(text_of + (match["power"] or ""))
        except InvalidOperation:
            continue
        # 400 digits or 1e999: no number anyone means.
        if value.adjusted() < 300:
            found.append(value)
    return found


def _digit(sign: str) -> str:
    """Digits of every script as those of ASCII."""
    if sign.isascii() or not sign.isdecimal():
        return sign
    return str(unicodedata.decimal(sign))


_UNSURE = {
    POINT: regex.compile(r"(?<![\d.,])\d+(?:[ '’.\u00a0\u202f]\d{3})*,(?:\d{1,2}|\d{4,})(?![\d,])"),
    COMMA: regex.compile(
        r"(?<![\d.,])\d+(?:[ '’,\u00a0\u202f]\d{3})*\.(?:\d{1,2}|\d{4,})(?![\d.])"
    ),
}


def unsure_number(text: str, decimal: str) -> str:
    """The first number written as if the other sign were the decimal mark; "" where there is none.

    >>> unsure_number("3,5 kg", "."), unsure_number("3,500 kg", ".")
    ('3,5', '')
    """
    found = _UNSURE[decimal].search(_NONE.sub(" ", text))
    return found.group() if found else ""
