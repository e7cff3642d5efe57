"""What drafts answers of how a text is read."""

from __future__ import annotations

from typing import Annotated, Any, TypedDict

from nomikon.core.prompts.tenor.facts import FACT_PARTS, LONGEST_WORDS
from nomikon.server.typed import Blank, Field, OneOf


class ReadLine(TypedDict):
    """One part of the tenor. check: the measure that would check it, null where none does;
    measured: whether the scorecard has it. fact: what a model says of the words, as a person would
    confirm it."""

    part: str
    says: str
    message: int | None
    clause: int | None
    start: int
    end: int
    source: str
    check: dict[str, Any] | None
    measured: bool
    fact: Annotated[dict[str, Any] | None, Field(required=False, default=None)]


class ReadFact(TypedDict):
    """What a person put right: value null says that the words say nothing of the kind."""

    part: Annotated[str, OneOf(*FACT_PARTS)]
    text: Annotated[Blank, Field(max_length=LONGEST_WORDS)]
    value: Annotated[Any | None, Field(required=False, default=None)]


class ProposedMeasureShape(TypedDict):
    """An entry of a scorecard that is proposed, and why."""

    measure: dict[str, Any]
    why: str


class FareShape(TypedDict):
    """n: stored answers that were looked at, the newest; kept: how many keep the rule."""

    n: int
    kept: int


class TenorShape(TypedDict):
    language: Annotated[str, Field(help_text="of the instructions; empty where it is not read")]
    lines: list[ReadLine]
    unstated: Annotated[
        list[str], Field(help_text="measures of form whose rule the prompt does not state")
    ]
    unseen: Annotated[list[str], Field(help_text="what no measure of the scorecard looks at")]
    scorecard: int | None
    facts: list[ReadFact]


class TryPriceShape(TypedDict):
    """In billionths of the currency; simulated: what the simulated models would have cost, which is
    never added. unpriced: models without a price. gone: calls of models that are not there any more."""

    calls: int
    cost: int
    simulated: int
    simulated_calls: int
    seconds: Annotated[
        float | None, Field(help_text="about how long it takes; null where nothing tells")
    ]
    unpriced: list[str]
    gone: int
