"""What twins answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, TypedDict

from nomikon.server.apps.briefs.reads import WordChangeShape
from nomikon.server.apps.trials.reads import ProblemRow
from nomikon.server.typed import Field, OneOf


class WhyNone(TypedDict):
    why: str
    n: Annotated[int, Field(help_text="cases")]


class TwinExample(TypedDict):
    case: int
    words: list[WordChangeShape]


class TwinKind(TypedDict):
    kind: str
    what: str
    expects: Annotated[list[str], Field(help_text="of same, changed, refused_order")]
    n: int
    unmade: list[WhyNone]
    example: TwinExample | None


class TwinsLook(TypedDict):
    n_cases: int
    n_twins: int
    kinds: list[TwinKind]


class KindInSet(TypedDict):
    kind: str
    what: str
    n: int


class TwinRun(TypedDict):
    trial: int
    number: int
    state: str
    done: int
    of_outputs: int
    arms: list[str]
    created_at: datetime


class TwinSetShape(TypedDict):
    id: int
    of: Annotated[str, Field(help_text="name of the dataset whose cases they are twins of")]
    of_dataset: int
    dataset: int
    n_cases: int
    n_twins: int
    n_left: int
    each: int
    seed: int
    created_at: datetime
    created_by: str
    kinds: list[KindInSet]
    runs: Annotated[list[TwinRun], Field(help_text="newest first")]


class TwinShape(TypedDict):
    id: int
    case: Annotated[int, Field(help_text="number of the case it is a twin of")]
    number: int
    kind: str
    what: str
    expects: Annotated[str, OneOf("same", "changed", "refused_order")]
    about: dict[str, Any]
    token: str
    left: bool
    input: str
    words: Annotated[
        list[WordChangeShape], Field(help_text="from that input of the case to its own")
    ]


class TwinPage(TypedDict):
    n: Annotated[int, Field(help_text="of all that were asked for")]
    rows: list[TwinShape]


class WrittenTwinShape(TypedDict):
    case: int
    kind: Annotated[str, OneOf("reworded", "there-and-back", "harder", "border")]
    what: str
    text: str
    answer: str | None
    words: Annotated[list[WordChangeShape], Field(help_text="from the case’s input to it")]


class AskPlanShape(TypedDict):
    calls: int
    n_cases: int
    n_twins: int
    n_arms: int
    cost: int | None
    simulated_cost: int
    seconds: float | None
    in_store: int | None
    problems: list[ProblemRow]


class AskedTwins(TypedDict):
    trial: int


class HeldArm(TypedDict):
    arm: int
    name: str
    version: int
    model: str
    simulated: bool
    share: float | None
    low: float | None
    high: float | None
    holds: int
    broken: int
    unknown: int
    obeyed: Annotated[int, Field(help_text="smuggled orders that were followed")]
    n_orders: int


class HeldCell(TypedDict):
    arm: int
    share: float | None
    low: float | None
    high: float | None
    holds: int
    broken: int
    unknown: int


class HeldKind(TypedDict):
    kind: str
    what: str
    cells: list[HeldCell]


class HeldComparison(TypedDict):
    arm: int
    against: int
    difference: float | None
    low: float | None
    high: float | None
    shown: Annotated[str, OneOf("better", "worse", "not shown")]


class HeldCase(TypedDict):
    case: int
    cells: Annotated[
        dict[str, list[int]], Field(help_text="by kind: twins that hold, and those that break")
    ]
    broken: int


class HeldShape(TypedDict):
    state: str
    done: int
    of_outputs: int
    trial_number: int
    arms: list[HeldArm]
    kinds: list[HeldKind]
    comparisons: list[HeldComparison]
    cases: Annotated[list[HeldCase], Field(help_text="of one arm, those that break most first")]
    cases_of: int | None
    n_cases: int


class HeldPair(TwinShape):
    arm: int
    holds: float | None
    why: str
    obeyed: bool
    answer: Annotated[str, Field(help_text="to the case")]
    answer_words: Annotated[
        list[WordChangeShape], Field(help_text="from that answer to the one to the twin")
    ]
    output: Annotated[int | None, Field(help_text="that answers the twin")]


class HeldPairs(TypedDict):
    n: int
    rows: list[HeldPair]
