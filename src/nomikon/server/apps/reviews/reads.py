"""What reviews answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, NotRequired, TypedDict

from nomikon.core.twins import EXPECTS
from nomikon.engine.units import PARTS
from nomikon.server.apps.briefs.reads import MessageShape, ReasonShape, WordChangeShape
from nomikon.server.apps.datasets.reads import UnreadShape
from nomikon.server.apps.trials.reads import ArmShape
from nomikon.server.typed import Blank, Field, Filled, OneOf


class RemarkShape(TypedDict):
    source: str
    text: str
    output: int
    case: int
    label: str
    quote: str
    wanted: str
    id: Annotated[str, Field(help_text="What tells it from others.")]
    moved: bool


class FaultShape(TypedDict):
    title: str
    label: str
    source: Annotated[str, OneOf("mark", "span", "fault", "better", "measure", "try", "twin")]
    n: int
    cases: int
    remarks: list[RemarkShape]
    key: str


class EmbedderShape(TypedDict):
    """What groups remarks by meaning; price of a million tokens in billionths of the currency.

    missing: remarks without a vector yet; tokens: about so many are sent for them."""

    connection: int
    model: str
    price_nano: int | None
    missing: int
    tokens: int


class FaultsShape(TypedDict):
    """said: how many remarks in free words there are, and about how many tokens they have."""

    faults: list[FaultShape]
    embedder: EmbedderShape | None
    said: int
    said_tokens: int


class ProposalRow(TypedDict):
    id: Annotated[Filled, Field(max_length=20)]
    kind: Annotated[str, OneOf("add", "amend", "strike")]
    clause: Annotated[int, Field(min_value=0)]
    text: Annotated[str, Field(max_length=200000)]
    reason: Filled


class AmendmentProposal(ProposalRow):
    before: str
    fault: int | None
    repaired: str


class ProposedShape(TypedDict):
    proposals: list[AmendmentProposal]
    refused: list[UnreadShape]


class UnmetWish(TypedDict):
    wish: str
    why: str


class WishesShape(TypedDict):
    """proposals: fault is the place from 1 of the first wish that each grants. messages: the text
    with those that were taken; null where none was. reasons: of these."""

    proposals: list[AmendmentProposal]
    met: list[str]
    unmet: list[UnmetWish]
    messages: list[MessageShape] | None
    reasons: list[ReasonShape]


class RefusedProposal(TypedDict):
    id: str
    reason: str


class AppliedShape(TypedDict):
    messages: list[MessageShape]
    tokens_before: int
    tokens_after: int
    refused: list[RefusedProposal]
    reasons: Annotated[
        list[ReasonShape], Field(help_text="Of what is taken, to be saved with the version.")
    ]


class RelationShape(TypedDict):
    n: int
    rho: float | None
    low: float | None
    high: float | None
    why_null: str | None


class OrderShape(TypedDict):
    of: Annotated[str, OneOf("answers", "criteria")]
    pairs: int
    turned: int
    first: float | None
    low: float | None
    high: float | None


class ApartShape(TypedDict):
    output: int
    score: float
    mark: str


class JudgeShape(TypedDict):
    measure: str
    kind: str
    model: str
    judged: int
    failed: int
    marked: int
    alpha: float | None
    alpha_low: float | None
    alpha_high: float | None
    with_marks: RelationShape
    with_length: RelationShape
    order: OrderShape | None
    apart: list[ApartShape]


class PairShape(TypedDict):
    left: int
    right: int
    case: int
    number: int
    inputs: dict[str, Any]
    left_text: str
    right_text: str
    outcome: Annotated[str, OneOf("left", "right", "tie")] | None


class PairsShape(TypedDict):
    pairs: list[PairShape]
    n_same: int
    settled: int


class PreferRequest(TypedDict):
    left: int
    right: int
    outcome: Filled
    reason: Annotated[Blank, Field(required=False, default="", max_length=2000)]


class StrengthShape(TypedDict):
    arm: int
    strength: float
    low: float | None
    high: float | None
    wins: int
    losses: int
    ties: int


class PreferenceResult(TypedDict):
    items: list[StrengthShape]
    side_bias: float | None
    side_low: float | None
    side_high: float | None
    n: int
    why: str


class PreferencesShape(TypedDict):
    result: PreferenceResult | None


class ProposedPrecedent(TypedDict):
    kind: Annotated[str, OneOf("must-say", "must-not-say", "equals", "question")]
    text: str
    why: str


class PrecedentShape(TypedDict):
    id: int
    case: int
    kind: Annotated[str, OneOf("must-say", "must-not-say", "equals", "question")]
    text: str
    judge: str
    created_by: str
    created_at: datetime
    retired: bool


class BrokenPrecedent(PrecedentShape):
    output: int
    why: str


class ArmPrecedents(TypedDict):
    arm: ArmShape
    held: int
    broken: int
    open: int
    rows: list[BrokenPrecedent]


class PrecedentBoard(TypedDict):
    n: int
    to_ask: int
    cost_about: int | None
    simulated_about: Annotated[int, Field(help_text="the part of it on simulated models")]
    arms: list[ArmPrecedents]


class SpanShape(TypedDict):
    start: int
    end: int
    quote: NotRequired[str]
    comment: Annotated[Filled, Field(max_length=2000)]


class MarkShape(TypedDict):
    judgement: Annotated[str, OneOf("good", "usable", "bad")]
    comment: str
    spans: list[SpanShape]
    faults: list[str]
    better: str | None
    reader: str
    created_at: datetime


class FormerSaid(TypedDict):
    mark: int
    output: int
    trial_number: int
    judgement: str
    comment: str
    spans: list[SpanShape]
    faults: list[str]
    better: str | None
    reader: str


class FaultKindShape(TypedDict):
    name: str
    n: int


class ReadableTrial(TypedDict):
    id: int
    number: int
    question: str


class NamedMark(TypedDict):
    reader: str
    judgement: str
    comment: str


class DisagreementShape(TypedDict):
    output: int
    case: int
    marks: list[NamedMark]


class ReaderCount(TypedDict):
    name: str
    n: int


class KappaShape(TypedDict):
    a: str
    b: str
    kappa: float | None
    n: int


class ReadersShape(TypedDict):
    readers: list[ReaderCount]
    n_units: int
    alpha: float | None
    low: float | None
    high: float | None
    why_null: str
    kappa: list[KappaShape]
    n_apart: int
    apart: list[DisagreementShape]


class MeasureApart(TypedDict):
    output: int
    case: int
    score: float
    mark: float


class MeasureAgainstMarks(TypedDict):
    measure: str
    n: int
    rho: float | None
    low: float | None
    high: float | None
    why_null: str | None
    n_apart: int
    apart: list[MeasureApart]


class ReadingRow(TypedDict):
    output: int
    judgement: str | None
    same: NotRequired[int]
    inherits: NotRequired[int | None]
    former: NotRequired[FormerSaid | None]


class ReadableArm(TypedDict):
    id: int
    label: str


class ReadingShape(TypedDict):
    arms: list[ReadableArm]
    tags: list[str]
    changed: int
    trial: int | None
    trial_number: int | None
    queue: list[ReadingRow]
    marked: int
    fault_kinds: list[FaultKindShape]
    trials: list[ReadableTrial]
    order: str
    drawn: bool


class ScoreShape(TypedDict):
    measure: str
    score: float | None
    why: str


class TurnShape(TypedDict):
    role: str
    text: str


class ToolCallShape(TypedDict):
    name: str
    arguments: str


class CallShape(TypedDict):
    position: int
    part: Annotated[str, OneOf(*PARTS)]
    model: str
    failure: str
    cost: int | None
    step: str
    continues: bool
    messages: list[MessageShape]
    settings: dict[str, Any]
    text: str
    reasoning: str
    refusal: str
    tool_calls: list[ToolCallShape]
    finish_reason: str
    tokens_in: int | None
    tokens_out: int | None
    tokens_cached: int | None
    tokens_reasoning: int | None
    tokens_estimated: bool
    latency_ms: float
    attempts: int
    wasted: Annotated[int, Field(help_text="tokens of attempts that broke off, in and out")]
    reused: bool
    answered_at: datetime
    model_identity: str


class OutputCase(TypedDict):
    number: int
    id: Annotated[str, Field(help_text="its own id; empty where it has none")]
    revision: int
    inputs: dict[str, Any]
    reference: str | None
    forms: list[str]
    conversation: Any | None
    tags: list[str]


class FormerShape(TypedDict):
    id: int
    outcome: str
    failure: str
    text: str
    cost: int | None
    created_at: datetime


class SelectionShape(TypedDict):
    revisions: Annotated[list[int], Field(help_text="the cases found, in the order asked for")]
    of: Annotated[int, Field(help_text="all cases of the trial")]
    outputs: int
    differing: Annotated[int, Field(help_text="cases whose chosen arms do not score alike")]


class PartChangeShape(TypedDict):
    name: str
    kind: Annotated[str, OneOf("same", "changed", "gone", "new")]
    before: str | None
    after: str | None


class DifferingShape(TypedDict):
    how: Annotated[str, OneOf("words", "keys", "rows", "lines")]
    same: bool
    words: list[WordChangeShape]
    parts: list[PartChangeShape]
    cut: bool


class MeasureFigure(TypedDict):
    measure: str
    mean: float | None
    low: float | None
    high: float | None
    n_cases: int


class ArmMarks(TypedDict):
    good: int
    usable: int
    bad: int


class ArmInFull(TypedDict):
    arm: int
    measures: list[MeasureFigure]
    marks: ArmMarks
    held: Annotated[int, Field(help_text="precedents it holds")]
    broken: int
    won: Annotated[int | None, Field(help_text="cases better than the reference of the plan")]
    lost: int | None


class ArmsInFull(TypedDict):
    measures: Annotated[list[str], Field(help_text="the scorecard's, in its order")]
    precedents: int
    reference: Annotated[int | None, Field(help_text="the arm that others are held against")]
    arms: list[ArmInFull]


class AskedTwin(TypedDict):
    """A twin that a measure had asked about an answer. words: from the case's input to the twin's;
    answer_words: from the answer to the case to that to the twin. holds: null where it cannot be told."""

    measure: str
    kind: str
    what: str
    expects: Annotated[str, OneOf(*EXPECTS)]
    about: dict[str, Any]
    token: str
    words: list[WordChangeShape]
    answer: str
    answer_words: list[WordChangeShape]
    holds: bool | None
    why: str


class OutputShape(TypedDict):
    id: int
    trial: int
    trial_number: int
    brief: int
    arm: ArmShape
    case: OutputCase
    uses: Annotated[list[str], Field(help_text="inputs that the prompt names")]
    repeat: int
    outcome: str
    why: str
    suspected: str
    failure: str
    text: str
    reasoning: str
    turns: list[TurnShape]
    finish_reason: str
    tokens_in: int | None
    tokens_out: int | None
    cost: int | None
    latency_ms: float | None
    first_ms: float | None
    total: float | None
    total_why: str
    scores: list[ScoreShape]
    calls: list[CallShape]
    twins: list[AskedTwin]
    current: bool
    former: list[FormerShape]
    mark: MarkShape | None


class DraftShape(TypedDict):
    reader: str
    text: str
    forms: list[str]


class ReferenceRow(TypedDict):
    """A case whose reference is written. start: what an arm answered. own: what this reader wrote;
    others: what the others did, shown only once the reader has written, too, or two others have."""

    revision: int
    number: int
    split: str
    inputs: dict[str, Any]
    conversation: Any | None
    reference: str | None
    forms: list[str]
    start: str | None
    own: DraftShape | None
    others: list[DraftShape]
    words: Annotated[
        list[WordChangeShape],
        Field(help_text="how the second of two that differ stands against the first"),
    ]


class StartShape(TypedDict):
    arm: int
    name: str


class ReferencePage(TypedDict):
    """n_open: without a reference, or without this reader's where two write each. n_waiting: for
    another person. n_differ: to be settled. n_same and n_both: of those that two have written, how
    many they wrote alike."""

    total: int
    offset: int
    rows: list[ReferenceRow]
    starts: list[StartShape]
    n_open: int
    n_waiting: int
    n_differ: int
    n_same: int
    n_both: int


class ReferenceWritten(TypedDict):
    """became: the reference, one that waits for another person, or one that differs from theirs."""

    became: str
    row: ReferenceRow


class MissingPart(TypedDict):
    """thin: what is wanting, "" where nothing is."""

    kind: str
    name: str
    working: int
    held_out: int
    score: float | None
    thin: str


class MissingGap(TypedDict):
    tag: str
    label: str
    expected: float


class MissingShape(TypedDict):
    """told: of how many of the n cases the language was looked at."""

    job: str
    n: int
    told: int
    parts: list[MissingPart]
    gaps: list[MissingGap]
    starts: list[StartShape]


class AlikeCase(TypedDict):
    number: int
    inputs: dict[str, Any]
    reference: str | None
    likeness: float


class AlikeShape(TypedDict):
    cases: list[AlikeCase]
