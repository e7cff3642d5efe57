"""Whole numbers as people and addresses write them."""

from __future__ import annotations

import re

# More digits are no number of anything here, and no database column holds them.
LONGEST = 15
_WHOLE = re.compile(rf"[0-9]{{1,{LONGEST}}}\Z")


def whole_number(text: str | None) -> int | None:
    """A text of ASCII digits as a number; None for anything else.

    >>> whole_number("12"), whole_number("²"), whole_number("9" * 30)
    (12, None, None)
    """
    return int(text) if text and _WHOLE.match(text) else None
