"""What sort of value each parameter of a measure takes, so that a form can ask for it."""

from __future__ import annotations

from dataclasses import dataclass

from nomikon.core.measures.length import UNITS

TEXT, LONG, TEXTS, WHOLE, NUMBER, FLAG = "text", "long", "texts", "whole", "number", "flag"
CHOICE, JSON, CRITERIA, MODEL = "choice", "json", "criteria", "model"
SORTS = (TEXT, LONG, TEXTS, WHOLE, NUMBER, FLAG, CHOICE, JSON, CRITERIA, MODEL)


@dataclass(frozen=True)
class Sort:
    """One of SORTS; options of a choice, the default first."""

    sort: str
    options: tuple[str, ...] = ()


_BY_NAME: dict[str, Sort] = {
    **dict.fromkeys(("absent", "again", "fenced", "ignore_case", "reference", "whole"), Sort(FLAG)),
    **dict.fromkeys(
        ("all", "allow", "any", "columns", "elements", "phrases", "table", "values", "words"),
        Sort(TEXTS),
    ),
    **dict.fromkeys(
        ("bullets", "headings", "letters", "max_bullets", "max_rows", "min_bullets", "min_rows",
         "numbered", "times"),
        Sort(WHOLE),
    ),
    **dict.fromkeys(("max", "max_ms", "min", "relative", "tolerance"), Sort(NUMBER)),
    **dict.fromkeys(("code", "connection", "delimiter", "field", "pattern", "separator"), Sort(TEXT)),
    **dict.fromkeys(("asks", "instruction", "is"), Sort(LONG)),
    **dict.fromkeys(("fields", "schema", "settings"), Sort(JSON)),
    "by": Sort(CHOICE, ("normalised", "exact", "edits")),
    "criteria": Sort(CRITERIA),
    "kind": Sort(CHOICE, ("any", "object", "array")),
    "kinds": Sort(TEXTS),
    "model": Sort(MODEL),
    "take": Sort(CHOICE, ("last", "first", "only")),
    "unit": Sort(CHOICE, tuple(UNITS)),
    "want": Sort(CHOICE, ("formal", "informal")),
}  # fmt: skip
# The same name means something else in one measure.
_OF_ONE: dict[tuple[str, str], Sort] = {("no-leak", "words"): Sort(WHOLE)}


def sort_of(measure: str, parameter: str) -> Sort:
    """The sort of a parameter; JSON where nothing is known of it (a measure installed beside ours)."""
    return _OF_ONE.get((measure, parameter)) or _BY_NAME.get(parameter) or Sort(JSON)


def is_known(measure: str, parameter: str) -> bool:
    """Whether a sort was named for it."""
    return (measure, parameter) in _OF_ONE or parameter in _BY_NAME
