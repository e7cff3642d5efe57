"""What twins take."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, NotRequired, TypedDict

from nomikon.server.typed import Blank, Field, Filled, OneOf


class OwnList(TypedDict):
    name: str
    values: list[str]


class MakeTwinsRequest(TypedDict):
    dataset: int
    n_cases: Annotated[
        int,
        Field(min_value=0, max_value=100_000, help_text="at random; 0 for all working cases"),
    ]
    kinds: Annotated[list[str], Field(required=False, default=list)]
    each: Annotated[int, Field(required=False, default=1)]
    seed: Annotated[int, Field(required=False, default=0, min_value=0)]
    lists: Annotated[list[OwnList], Field(required=False, default=list)]
    synonyms: Annotated[
        list[list[str]],
        Field(required=False, default=list, help_text="groups of words that mean the same"),
    ]


class WrittenTwinIn(TypedDict):
    case: int
    kind: Annotated[str, OneOf("reworded", "there-and-back", "harder", "border")]
    text: Filled
    answer: str | None


class KeepTwinsRequest(TypedDict):
    dataset: int
    model: Annotated[Blank, Field(max_length=200, help_text="who wrote them")]
    twins: Annotated[list[WrittenTwinIn], Field(allow_empty=False, max_length=500)]


class LeaveTwinsRequest(TypedDict):
    twins: list[int]
    left: bool


class AskTwinsRequest(TypedDict):
    versions: Annotated[list[int], Field(help_text="numbers; the first is held against")]
    models: list[int]
    repeats: Annotated[int, Field(required=False, default=1, min_value=1, max_value=20)]
    budget: Annotated[Decimal | None, Field(required=False, default=None)]


class FurtherRequest(TypedDict):
    arm: int
    most: Annotated[int, Field(required=False, default=200)]


class HeldQuery(TypedDict):
    arm: Annotated[int | None, Field(required=False, default=None)]


class TwinsQuery(TypedDict):
    kind: Annotated[Blank, Field(required=False, default="", help_text="of one kind only")]
    offset: NotRequired[int]


class PairsQuery(TypedDict):
    arm: Annotated[int | None, Field(required=False, default=None)]
    kind: Annotated[Blank, Field(required=False, default="")]
    case: Annotated[int | None, Field(required=False, default=None, help_text="a case’s number")]
    only: Annotated[
        str,
        Field(
            required=False,
            default="all",
            choices=["all", "broken", "unknown", "obeyed"],
        ),
    ]
    offset: NotRequired[int]
