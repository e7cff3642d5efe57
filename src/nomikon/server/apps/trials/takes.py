"""What trials takes."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Any, NotRequired, TypedDict

from nomikon.core.cases.arranging import TESTS
from nomikon.server.typed import Blank, Field, Filled, OneOf


class CorrectRequest(TypedDict):
    before: str | None
    reference: str | None
    forms: Annotated[
        list[str] | None,
        Field(required=False, default=None, help_text="further right forms; without it they stay"),
    ]
    reason: Annotated[Blank, Field(required=False, default="", max_length=300)]


class LabelsQuery(TypedDict):
    field: NotRequired[
        Annotated[Filled, Field(help_text="a key of the references; the first without it")]
    ]


class ReferenceRequest(TypedDict):
    """One arm of a plan: a version's number, a model's id, and which row of settings; or the id of
    answers from elsewhere."""

    version: Annotated[int, Field(required=False, default=0)]
    model: Annotated[int, Field(required=False, default=0)]
    baseline: Annotated[int | None, Field(required=False, default=None)]
    settings: Annotated[int, Field(required=False, default=0, min_value=0)]


class ConditionRequest(TypedDict):
    """What must hold of a case, as the grid of cases has it."""

    column: Annotated[Filled, Field(max_length=200)]
    test: Annotated[str, OneOf(*TESTS)]
    value: Annotated[Blank, Field(required=False, default="", max_length=2000)]


class CasesChoiceRequest(TypedDict):
    """Which cases of the split: all, the first n, n at random, by tag, by words, by number,
    or where conditions hold."""

    which: Annotated[str, OneOf("all", "first", "random", "tag", "words", "numbers", "where")]
    n: Annotated[int | None, Field(required=False, default=None)]
    seed: Annotated[int, Field(required=False, default=0, min_value=0, max_value=2147483647)]
    tag: Annotated[Blank, Field(required=False, default="", max_length=200)]
    words: Annotated[Blank, Field(required=False, default="", max_length=300)]
    numbers: Annotated[Blank, Field(required=False, default="", max_length=20000)]
    where: Annotated[list[ConditionRequest], Field(required=False, default=list, max_length=40)]


class PlanRequest(TypedDict):
    versions: Annotated[list[int], Field(allow_empty=True)]
    models: Annotated[list[int], Field(allow_empty=True)]
    settings: Annotated[list[dict[str, Any]], Field(required=False, default=list)]
    dataset_version: int
    split: Annotated[Filled, Field(default="working")]
    repeats: Annotated[int, Field(default=1)]
    seed: Annotated[int, Field(required=False, default=0, min_value=0, max_value=2147483647)]
    fresh: Annotated[bool, Field(required=False, default=False)]
    continuations: Annotated[int, Field(required=False, default=0)]
    user_model: Annotated[int | None, Field(required=False, default=None)]
    racing: Annotated[bool, Field(required=False, default=False)]
    reference: Annotated[ReferenceRequest | None, Field(required=False, default=None)]
    cases: Annotated[CasesChoiceRequest | None, Field(required=False, default=None)]
    baselines: Annotated[
        list[int], Field(required=False, default=list, help_text="answers from elsewhere")
    ]


class BudgetRequest(TypedDict):
    budget: Annotated[Decimal | None, Field(required=False, default=None)]


class TrialRequest(PlanRequest, BudgetRequest):
    unscored: Annotated[
        bool,
        Field(
            required=False,
            default=False,
            help_text="run it although no answer can get a score",
        ),
    ]
    question: Annotated[Blank, Field(required=False, default="", max_length=300)]


class AfreshRequest(BudgetRequest):
    arm: Annotated[int | None, Field(required=False, default=None)]
    output: Annotated[int | None, Field(required=False, default=None)]


class ExtendRequest(BudgetRequest):
    versions: Annotated[list[int], Field(required=False, default=list)]
    models: Annotated[list[int], Field(required=False, default=list)]
    settings: Annotated[list[dict[str, Any]], Field(required=False, default=list)]
    dataset_version: Annotated[int | None, Field(required=False, default=None)]
    repeats: Annotated[int | None, Field(required=False, default=None)]
    baselines: Annotated[
        list[int], Field(required=False, default=list, help_text="answers from elsewhere")
    ]
    rest: Annotated[
        bool,
        Field(
            required=False,
            default=False,
            help_text="the cases that a trial of some of them left out",
        ),
    ]


class NoteTrialRequest(TypedDict):
    question: Annotated[Blank | None, Field(required=False, default=None, max_length=300)]
    note: Annotated[Blank | None, Field(required=False, default=None, max_length=4000)]
    archived: Annotated[bool | None, Field(required=False, default=None)]


class SettleOutcomeRequest(TypedDict):
    outcome: Annotated[Filled, Field(max_length=10)]


class RescoreRequest(BudgetRequest):
    scorecard: int
