"""Twins of cases: does it hold when the input is put a little differently?"""

from nomikon.core.twins.consistency import KindShare, PairRow, Shares, shares_of_pairs
from nomikon.core.twins.kinds import WHAT, what_of
from nomikon.core.twins.making import (
    CHANGED_ANSWER,
    EXPECTS,
    NEGATION,
    REFUSED_ORDER,
    SAME_ANSWER,
    SYNONYMS,
    Lists,
    Twin,
    TwinCase,
    Unmade,
    all_kinds,
    make_twins,
)
from nomikon.core.twins.orders import obeyed
from nomikon.core.twins.pairs import Pair, TwinOf, pair_of

__all__ = [
    "CHANGED_ANSWER",
    "EXPECTS",
    "NEGATION",
    "REFUSED_ORDER",
    "SAME_ANSWER",
    "SYNONYMS",
    "WHAT",
    "KindShare",
    "Lists",
    "Pair",
    "PairRow",
    "Shares",
    "Twin",
    "TwinCase",
    "TwinOf",
    "Unmade",
    "all_kinds",
    "make_twins",
    "obeyed",
    "pair_of",
    "shares_of_pairs",
    "what_of",
]
