"""Twins of cases: does it hold when the input is put a little differently?"""

from nomikon.core.twins.making import (
    EXPECTS,
    Lists,
    Twin,
    TwinCase,
    Unmade,
    all_kinds,
    make_twins,
)
from nomikon.core.twins.orders import obeyed

__all__ = [
    "EXPECTS",
    "Lists",
    "Twin",
    "TwinCase",
    "Unmade",
    "all_kinds",
    "make_twins",
    "obeyed",
]
