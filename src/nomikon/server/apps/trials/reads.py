"""What trials answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, TypedDict

from nomikon.server.typed import Field, OneOf


class RescorePlanShape(TypedDict):
    judges: list[str]
    twins: bool
    calls: int
    cost: int | None
    simulated_cost: int
    unpriced: list[str]


class CorrectedTrial(TypedDict):
    trial: int
    outputs: int
    arms: list[RescoredArm]


class CorrectionShape(TypedDict):
    before: str | None
    after: str | None
    forms_before: list[str]
    forms_after: list[str]
    reason: str
    corrected_at: datetime
    corrected_by: str


class CorrectedShape(TypedDict):
    revision: int
    reference: str | None
    forms: list[str]
    trials: list[CorrectedTrial]
    corrections: list[CorrectionShape]


class ProblemRow(TypedDict):
    # error stops it; ask: only with a person's yes.
    severity: Annotated[str, OneOf("error", "warning", "ask")]
    arm: str
    text: str
    field: str


class ArmEstimateShape(TypedDict):
    label: str
    calls: int
    tokens_in: int
    tokens_out: int
    cost: int | None
    model: str
    error_in: float | None
    error_out: float | None


class ExtensionShape(TypedDict):
    added: int
    outputs: int
    arms: list[str]
    n_cases: int
    repeats: int
    cost: int | None
    simulated_cost: int
    in_store: int | None
    problems: list[ProblemRow]


class ConditionShape(TypedDict):
    column: str
    test: str
    value: str


class CasesChoiceShape(TypedDict):
    which: str
    n: int | None
    seed: int
    tag: str
    words: str
    numbers: str
    where: list[ConditionShape]


class ChoicesShape(TypedDict):
    """What a trial was planned from, as a plan takes it."""

    question: str
    versions: list[int]
    models: list[int]
    settings: list[dict[str, Any]]
    dataset: Annotated[int, Field(help_text="its dataset, whatever version")]
    split: str
    repeats: int
    continuations: int
    user_model: int | None
    racing: bool
    cases: CasesChoiceShape | None
    baselines: list[int]


class BroughtShape(TypedDict):
    id: int
    name: str
    answers: Annotated[int, Field(help_text="of the cases that the plan takes")]


class PlanShape(TypedDict):
    seconds: Annotated[
        float | None,
        Field(help_text="about how long it takes; null where a model was never asked"),
    ]
    outputs: int
    calls: int
    n_cases: int
    tokens_in: int
    tokens_out: int
    cost: Annotated[int | None, Field(help_text="all told; null where something has no price")]
    simulated_cost: Annotated[int, Field(help_text="the part of it on simulated models")]
    unpriced: list[str]
    reference: Annotated[
        int | None, Field(help_text="place of the arm that the others are held against")
    ]
    looks: int
    in_store: int | None
    beside_calls: int
    beside_cost: int | None
    beside_simulated: int
    arms: list[ArmEstimateShape]
    brought: list[BroughtShape]
    problems: list[ProblemRow]


class BestArm(TypedDict):
    name: str
    mean: float
    low: float | None
    high: float | None


class ArmShape(TypedDict):
    id: int
    position: int
    letter: str
    name: Annotated[str, Field(help_text="What tells it from the other arms of its trial.")]
    version: Annotated[int | None, Field(help_text="null where its answers were brought in")]
    brought_in: bool
    in_words: Annotated[str, Field(help_text="version and model, or whose answers were brought in")]
    without: list[int]
    version_label: str
    model: str
    model_short: Annotated[str, Field(help_text="As little of its name as tells it from others.")]
    simulated: bool
    settings: dict[str, Any]
    settings_short: str


class ArmFigures(ArmShape):
    n: int
    cut: int
    declined: int
    empty: int
    failed: int
    failures: dict[str, int]
    n_cases: int
    mean: float | None
    low: float | None
    high: float | None
    method: str | None
    latency_ms: float | None
    cost: int | None
    cost_per_1000: int | None
    tokens_in: int
    tokens_out: int


class ThresholdShape(TypedDict):
    measure: str
    rule: str
    needed: float
    mean: float | None
    low: float | None
    high: float | None
    state: Annotated[str, OneOf("met", "missed", "unsure")]


class TrialEstimate(TypedDict):
    calls: int
    tokens_in: int
    tokens_out: int
    cost: int | None


class TrialFacts(TypedDict):
    id: int
    brief: int
    number: int
    note: str
    archived: bool
    choice: Annotated[str, Field(help_text="which cases, where it takes some only")]
    question: str
    purpose: Annotated[str, OneOf("compare", "weigh", "watch", "culprits", "twins")]
    state: Annotated[str, OneOf("queued", "running", "complete", "paused", "cancelled", "failed")]
    asked: Annotated[str, OneOf("", "stop", "pause")]
    message: str
    budget: int | None
    split: str
    repeats: int
    continuations: int
    racing: bool
    reference: Annotated[
        int | None, Field(help_text="the arm that its plan holds the others against")
    ]
    extensions: int
    n_cases: int
    n_outputs: int
    estimate: TrialEstimate
    scorecard: int
    dataset_version: int
    dataset: str
    created_at: datetime
    started_at: datetime | None
    finished_at: datetime | None


class TrialRow(TrialFacts):
    done: int


class ListedTrial(TrialRow):
    n_arms: int
    arms: Annotated[list[str], Field(help_text="names of the first few")]
    best: Annotated[BestArm | None, Field(help_text="the highest mean, once it is complete")]
    spent: Annotated[int | None, Field(help_text="all told; null where nothing has a price")]
    simulated_spent: Annotated[int, Field(help_text="the part of it on simulated models")]
    by: Annotated[str, Field(help_text="who started it")]
    simulated: bool


class DroppedShape(TypedDict):
    cases: int
    against: str
    p: float


class UnscoredShape(TypedDict):
    """A measure that could not be worked out for some answers; output: the first of them."""

    measure: str
    why: str
    count: int
    output: int


class ArmOnBoard(ArmFigures):
    ahead_of: Annotated[list[int], Field(help_text="arms that it is shown to be ahead of")]
    mean_as_zero: Annotated[
        float | None,
        Field(help_text="with missing scores counted 0; null where none is missing"),
    ]
    unseen: Annotated[str, Field(help_text="what rare answers lost whole could go unseen")]
    n_sources: int | None
    effective_cases: float | None
    dropped: DroppedShape | None
    thresholds: list[ThresholdShape]


class ReworkedShape(TypedDict):
    """When stored figures were last brought to new rules, and how many that changed."""

    at: datetime
    outcomes: int
    scores: int


class DoubtfulOutput(TypedDict):
    id: int
    arm: int
    case: int
    suspected: str
    why: str


class DoubtfulShape(TypedDict):
    count: int
    turns: Annotated[bool, Field(help_text="Deciding on them could turn the verdict.")]
    outputs: list[DoubtfulOutput]


class TrialSummary(TrialFacts):
    measures: Annotated[list[str], Field(help_text="the scorecard's, in its order")]
    unscored: list[UnscoredShape]
    reworked: ReworkedShape | None
    examples: Annotated[
        int, Field(help_text="cases that an arm shows as worked examples: left out")
    ]
    done: int
    spent: Annotated[int | None, Field(help_text="all told; null where nothing has a price")]
    simulated_spent: Annotated[int, Field(help_text="the part of it on simulated models")]
    nominal: int | None
    beside: int
    connections: list[int]
    trouble: str
    reused: int
    unjudged: int
    doubtful: DoubtfulShape
    spared: int
    looks: int
    judges: list[str]
    arms: list[ArmOnBoard]


class CellCase(TypedDict):
    revision: int
    number: int
    id: Annotated[str, Field(help_text="its own id; empty where it has none")]
    text: str
    tags: list[str]
    label: Annotated[str, Field(help_text="the reference, where it is short enough for a label")]


class CellColumns(TypedDict):
    """Every output, column by column: the n-th of each is the n-th output's."""

    output: list[int]
    arm: Annotated[list[int], Field(help_text="positions of the arms")]
    revision: list[int]
    repeat: list[int]
    outcome: list[str]
    total: list[float | None]


class CellsShape(TypedDict):
    cases: list[CellCase]
    outputs: CellColumns
    event: int


class SettledOutcome(TypedDict):
    answers: Annotated[int, Field(help_text="For how many identical answers the decision holds.")]


class CompareFigures(TypedDict):
    a: int
    b: int
    n_cases: int
    difference: float | None
    low: float | None
    high: float | None
    p: float | None
    p_holm: float | None
    wins: int
    ties: int
    losses: int
    cases_needed: int | None
    method: str | None
    why_null: str | None
    n_sources: int | None
    effective_cases: float | None
    level_used: float | None
    held_low: float | None
    held_high: float | None
    unseen_loss: float | None
    undone_by: float | None


class SideShape(TypedDict):
    output: int
    score: float
    text: str


class ChangedCase(TypedDict):
    revision: int
    number: int
    id: Annotated[str, Field(help_text="its own id; empty where it has none")]
    text: str
    reference: str | None
    difference: float
    a: SideShape
    b: SideShape
    read: Annotated[bool, Field(help_text="whether somebody marked the answer of a")]


class FamilyMember(CompareFigures):
    arm: ArmShape


class WidthShape(TypedDict):
    arm: int
    half: Annotated[
        float, Field(help_text="half width of the interval that holds for all arms together")
    ]


class TogetherShape(TypedDict):
    credible: Annotated[list[int], Field(help_text="arms that no other beats")]
    widths: list[WidthShape]


class EarlierShape(TypedDict):
    trial: int
    trial_number: int
    words: str


class ComparisonShape(TypedDict):
    earlier: Annotated[
        EarlierShape | None,
        Field(help_text="what the first trial of these arms on these cases said"),
    ]
    n_family: Annotated[int, Field(help_text="how many tests are corrected for together")]
    widened: Annotated[
        str, Field(help_text="what choosing another reference than the plan's costs")
    ]
    family: list[FamilyMember]
    a: ArmShape
    b: ArmShape
    words: str
    short: Annotated[str, Field(help_text="the same without the figures of the test")]
    no_worse: bool | None
    no_worse_words: str
    level: float
    margin: float
    complete: bool
    figures: CompareFigures | None
    as_zero: Annotated[
        CompareFigures | None,
        Field(help_text="with missing scores counted 0; null where none is missing"),
    ]
    changed: list[ChangedCase]


class BesideRow(TypedDict):
    arm: int
    twin: Annotated[int, Field(help_text="the same arm in the other trial")]
    name: str
    n: int
    n_other: int
    n_common: Annotated[int, Field(help_text="cases that both have")]
    paired: Annotated[bool, Field(help_text="over these alone, case by case")]
    mean: float | None
    other_mean: float | None
    difference: float | None
    low: float | None
    high: float | None


class BesideShape(TypedDict):
    trial: int
    other: int
    same_scorecard: bool
    rows: list[BesideRow]
    alone: Annotated[list[str], Field(help_text="arms that the other trial has not")]


class ReworkedMean(TypedDict):
    """What the adopted arm scores by the rules of today, where they are others than then."""

    at: datetime
    mean: float | None
    low: float | None
    high: float | None


class RescoredArm(TypedDict):
    arm: int
    before: float | None
    after: float | None


class RescoredShape(TypedDict):
    scorecard: int
    former: int
    outputs: int
    to_judge: int
    arms: list[RescoredArm]


class LabelFiguresShape(TypedDict):
    label: str
    n: int
    precision: float | None
    recall: float | None
    f1: float | None
    f1_interval: list[float] | None


class LabelledOutput(TypedDict):
    output: int
    case: int
    repeat: int
    said: str | None


class LabelCell(TypedDict):
    row: int
    column: int
    outputs: list[LabelledOutput]


class LabelsShape(TypedDict):
    choices: list[str]
    field: str
    rows: list[str]
    columns: list[str]
    matrix: list[list[int]]
    accuracy: float | None
    macro_f1: float | None
    accuracy_interval: list[float] | None
    macro_f1_interval: list[float] | None
    per_label: list[LabelFiguresShape]
    cells: list[LabelCell]


class ShareShape(TypedDict):
    source: str
    variance: float
    share: float


class EffectShape(TypedDict):
    factor: str
    level: str
    effect: float
    low: float
    high: float


class SliceShape(TypedDict):
    name: str
    n_cases: int
    difference: float
    low: float
    high: float
    p: float
    p_holm: float
    look: bool


class SpreadShape(TypedDict):
    shares: list[ShareShape]
    effects: list[EffectShape]
    negative: list[str]
    repeat_sd: float | None
    why_null: str | None
    slices: list[SliceShape]
    too_small: int


class MeritFigure(TypedDict):
    value: float | None
    low: float | None
    high: float | None
    why_null: str | None


class GateShape(TypedDict):
    measure: str
    rate: Annotated[float, Field(help_text="share of answers that pass it")]


class ArmMerits(TypedDict):
    arm: int
    n_good: int
    n: int
    came_first: Annotated[float | None, Field(help_text="share of resamples; it decides nothing")]
    ungated: Annotated[float | None, Field(help_text="mean had no gate failed; null without gates")]
    gates: list[GateShape]
    cost_per_good: Annotated[MeritFigure, Field(help_text="in billionths of the currency")]
    median_ms: MeritFigure
    slow_ms: Annotated[MeritFigure, Field(help_text="95 of 100 answers take no longer")]


class MeritsShape(TypedDict):
    good_from: float
    arms: list[ArmMerits]
