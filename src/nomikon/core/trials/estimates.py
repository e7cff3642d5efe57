"""Estimates before a call is paid for: tokens and price."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from functools import lru_cache

# Servers add a few tokens around every message (role marks, separators).
TOKENS_PER_MESSAGE = 4
# What an answer is taken to need where neither a limit nor a reference tells.
DEFAULT_OUTPUT_TOKENS = 160
# A subword vocabulary cuts long words about every six letters.
LETTERS_PER_PIECE = 6
_PIECES = re.compile(r"[A-Za-z]+|\d{1,3}|\s+|.", re.DOTALL)

NANO = 1_000_000_000


@lru_cache(maxsize=8192)
def estimate_tokens(text: str) -> int:
    """Rough number of tokens in a text, from its words, digits and marks.

    Not a tokenizer: real counts differ by some tens of per cent either way.

    >>> estimate_tokens('The ferry is late.')
    5
    """
    count = 0
    for piece in _PIECES.findall(text):
        if piece.isspace():
            count += piece.count("\n")
        elif piece.isalpha() and piece.isascii():
            count += math.ceil(len(piece) / LETTERS_PER_PIECE)
        else:
            count += 1
    return count


def estimate_messages(contents: Sequence[str]) -> int:
    """Rough number of prompt tokens of one call, message marks included.

    >>> estimate_messages(['Hi', 'Hello'])
    10
    """
    return sum(estimate_tokens(c) + TOKENS_PER_MESSAGE for c in contents)


def estimate_output_tokens(reference: str | None, max_tokens: int | None) -> int:
    """Rough number of tokens an answer will take: its reference's length, else a default.

    >>> estimate_output_tokens('yes', None)
    6
    """
    if reference:
        guess = math.ceil(estimate_tokens(reference) * 1.2) + 4
    else:
        guess = DEFAULT_OUTPUT_TOKENS
    return min(guess, max_tokens) if max_tokens else guess


def cost_nano(
    tokens_in: int,
    tokens_out: int,
    price_in_nano: int | None,
    price_out_nano: int | None,
    *,
    cached: tuple[int, int | None] = (0, None),
    reasoning: tuple[int, int | None] = (0, None),
) -> int | None:
    """Price of a call in billionths of the currency; None where the model has no price.

    price_*_nano: billionths of the currency per million tokens. cached, reasoning: how many of
    the tokens in were read from the server's own store, and how many of those out were spent on
    reasoning, each with its price; None is the price of the others.

    >>> cost_nano(1_000, 200, 500_000_000, 2_000_000_000)
    900000
    """
    if price_in_nano is None or price_out_nano is None:
        return None
    spent = tokens_in * price_in_nano + tokens_out * price_out_nano
    for (count, price), others, of in (
        (cached, price_in_nano, tokens_in),
        (reasoning, price_out_nano, tokens_out),
    ):
        if price is not None:
            spent += min(count, of) * (price - others)
    return round(spent / 1_000_000)
