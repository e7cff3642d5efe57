"""The stand-in's own rule for cutting text into pieces."""

from __future__ import annotations

import re

# A piece is up to five letters with the blank before it, up to three digits, a
# run of blanks, or one other character.
_PIECE = re.compile(r" ?[^\W\d_]{1,5}|\d{1,3}|\s+|.", re.DOTALL)


def pieces(text: str) -> list[str]:
    """The text cut into pieces; joined they give the text back."""
    return _PIECE.findall(text)


def count(text: str) -> int:
    """Number of pieces."""
    return sum(1 for _ in _PIECE.finditer(text))
