"""What briefs answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, TypedDict

from nomikon.server.typed import Blank, Field, Filled, OneOf


class MessageShape(TypedDict):
    role: Filled
    content: Annotated[str, Field(max_length=4000000)]
    step: Annotated[Filled | None, Field(required=False, default=None)]


class ClauseShape(TypedDict):
    number: int
    message: int
    kind: str
    start: int
    end: int
    text: str


class WordChangeShape(TypedDict):
    kind: Annotated[str, OneOf("same", "gone", "new")]
    text: str


class AmendmentShape(TypedDict):
    id: str
    kind: Annotated[str, OneOf("add", "amend", "strike", "move", "layout")]
    before: ClauseShape | None
    after: ClauseShape | None
    requires: list[str]
    detail: str
    words: list[WordChangeShape]


class TagShape(TypedDict):
    message: int
    kind: str
    name: str
    start: int
    end: int


class DraftProblemShape(TypedDict):
    field: str
    text: str
    severity: Annotated[str, OneOf("error", "warning", "note")]
    message: Annotated[int | None, Field(help_text="The message it is in, from 0.")]
    line: Annotated[int | None, Field(help_text="The line of that message, from 1.")]


class FixShape(TypedDict):
    start: int
    end: int
    text: str


class FindingShape(TypedDict):
    rule: str
    severity: Annotated[str, OneOf("note", "warning", "error")]
    text: str
    message: int | None
    clause: int | None
    start: int
    end: int
    fix: FixShape | None


class SilencedShape(TypedDict):
    rule: str
    reason: str


class CameFromShape(TypedDict):
    number: int
    parent: int


class DraftReport(TypedDict):
    clauses: list[ClauseShape]
    tags: list[TagShape]
    placeholders: list[str]
    unfilled: list[str]
    unused: list[str]
    problems: list[DraftProblemShape]
    findings: list[FindingShape]
    silenced: list[SilencedShape]
    tokens: int
    parent: int | None
    amendments: list[AmendmentShape]
    kept: int
    rewritten: bool
    came_from: list[CameFromShape]


class ReasonShape(TypedDict):
    """Why a proposed amendment was made; clause as numbered in the parent."""

    kind: Annotated[str, OneOf("add", "amend", "strike")]
    clause: int
    text: str
    reason: Annotated[Filled, Field(max_length=1000)]
    fault: Annotated[Blank, Field(required=False, max_length=400, default="")]
    cases: Annotated[int, Field(required=False, default=0)]
    outputs: Annotated[list[int], Field(required=False, default=list, max_length=50)]


class VersionDetail(TypedDict):
    id: int
    number: int
    parent: int | None
    second_parent: int | None
    note: str
    tags: list[str]
    archived: bool
    origin: str
    messages: list[MessageShape]
    settings: dict[str, Any]
    reasons: list[ReasonShape]
    created_at: datetime
    created_by: str


class ChangesShape(TypedDict):
    amendments: list[AmendmentShape]
    kept: int
    rewritten: bool
    against: int
    settings_before: dict[str, Any]
    settings_after: dict[str, Any]


class SideCell(TypedDict):
    clause: ClauseShape
    kind: Annotated[str, OneOf("first", "same", "amended", "moved", "added")]
    words: Annotated[
        list[WordChangeShape], Field(help_text="what leads to it from the first version's clause")
    ]


class SideRow(TypedDict):
    """One clause as each version says it, null where a version has none of it. role, step: of its message."""

    role: str
    step: str | None
    cells: list[SideCell | None]


class SideBySideShape(TypedDict):
    versions: list[int]
    settings: Annotated[list[str], Field(help_text="of each, in short")]
    rows: list[SideRow]


class RenderedMessage(TypedDict):
    role: str
    content: str
    step: str | None


class RenderedShape(TypedDict):
    messages: list[RenderedMessage]
    missing: list[str]
    unused: list[str]


class ScorecardShape(TypedDict):
    id: int
    number: int
    document: dict[str, Any]
    created_at: datetime


class BriefMade(TypedDict):
    id: int


class MeasureExample(TypedDict):
    parameters: dict[str, Any]
    output: str
    reference: str | None
    score: float | None


class SortShape(TypedDict):
    sort: str
    options: list[str]
    default: Annotated[bool, Field(help_text="What a flag is where it is not given.")]


class MeasureShape(TypedDict):
    sorts: dict[str, SortShape]
    judged: bool
    name: str
    description: str
    needs_reference: bool
    parameters: dict[str, str]
    family: str
    example: MeasureExample


class WordingShape(TypedDict):
    number: int
    text: str
    note: str
    created_at: datetime | None
    created_by: str


class BareMessage(TypedDict):
    """A message of a working copy: kept as typed, whether it can be sent or not."""

    role: Annotated[Filled, Field(max_length=20)]
    content: Annotated[str, Field(max_length=4000000)]
    step: Annotated[str | None, Field(required=False, default=None)]


class CopyStateShape(TypedDict):
    messages: list[BareMessage]
    settings: dict[str, Any]
    reason: Annotated[
        Annotated[Blank, Field(max_length=300)],
        Field(required=False, default="", help_text="what it was changed for"),
    ]


class CopyShape(CopyStateShape):
    revision: int
    second_parent: int | None
    changed_at: datetime | None
    changed_by: str
    before: list[CopyStateShape]


class CopyKept(TypedDict):
    revision: int


class TakenShape(TypedDict):
    messages: list[MessageShape]
    settings: dict[str, Any]
    left: list[str]


class MergeChoiceShape(TypedDict):
    amendment: AmendmentShape
    side: Annotated[str, OneOf("ours", "theirs", "both")]


class MergeShape(TypedDict):
    base: int
    kept: int
    choices: list[MergeChoiceShape]
    proposed: list[str]


class ClauseEventShape(TypedDict):
    version: int
    kind: Annotated[str, OneOf("add", "amend", "move")]
    number: int
    before: str | None
    after: str
    note: str
    created_at: datetime
    created_by: str
    score: float | None
    score_before: float | None


class ImportedVersions(TypedDict):
    versions: list[int]


class CodeShape(TypedDict):
    curl: str
    python: str
    key_env: str | None
    calls: int


class PresetShape(TypedDict):
    id: int | None
    name: str
    task: str
    settings: dict[str, Any]
    reason: str


class ShelfRow(TypedDict):
    key: str
    source: Annotated[str, OneOf("shipped", "own", "version")]
    name: str
    task: str
    about: str
    tags: list[str]
    messages: list[MessageShape]
    settings: dict[str, Any]
    settings_in_short: str
    brief: int | None
    brief_name: str
    number: int | None


class ShelfShape(TypedDict):
    entries: list[ShelfRow]
    more: bool
    tags: list[str]


class KeptShape(TypedDict):
    id: int


class ExampleTexts(TypedDict):
    messages: list[MessageShape]


class SaidTurn(TypedDict):
    role: Annotated[str, OneOf("user", "assistant")]
    content: Annotated[str, Field(max_length=1_000_000)]


class TalkOn(TypedDict):
    """How a talk goes on. said: before it; turn: what is said now; user, most, model: who is played."""

    said: Annotated[list[SaidTurn], Field(max_length=400)]
    turn: Annotated[Annotated[Blank, Field(max_length=200_000)], Field(required=False, default="")]
    user: Annotated[Annotated[Blank, Field(max_length=4000)], Field(required=False, default="")]
    most: Annotated[int, Field(required=False, default=4, min_value=1, max_value=40)]
    model: Annotated[int | None, Field(required=False, default=None)]


class TryJob(TypedDict):
    key: Annotated[str, Field(max_length=100)]
    model: int
    messages: Annotated[
        list[MessageShape] | None,
        Field(required=False, default=None, help_text="null: those that all jobs share"),
    ]
    settings: Annotated[dict[str, Any], Field(required=False, default=dict)]
    inputs: Annotated[dict[str, Any], Field(required=False, default=dict)]
    reference: Annotated[str | None, Field(required=False, default=None)]
    repeat: Annotated[int, Field(required=False, default=0, min_value=0, max_value=10000)]
    of: Annotated[
        int | None,
        Field(required=False, default=None, help_text="A saved version that is set beside."),
    ]
    row: Annotated[int | None, Field(required=False, default=None, min_value=0)]
    talk: Annotated[TalkOn | None, Field(required=False, default=None)]
    begun: Annotated[
        str,
        Field(
            required=False,
            default="",
            max_length=1_000_000,
            help_text="an answer that was cut: its rest is asked for",
        ),
    ]


class TryRow(TypedDict):
    """One of several inputs that a text is asked of. case: its number, null where it was typed."""

    inputs: dict[str, Any]
    reference: str | None
    case: int | None


class CarriedAnswer(TypedDict):
    """An answer of a former try that holds here, too: it is not asked and not paid for again."""

    number: Annotated[int, Field(help_text="of the former try")]
    key: Annotated[str, Field(max_length=100)]
    row: int | None


class KeptTry(TypedDict):
    """What a try that stays is of. version: the one in hand; case: its number, null where it was typed.

    rows: the inputs, where there are several, by the place that jobs name. step: the only one asked.
    talk: the turns after the text, the asked one last; after: the try it goes on from.
    """

    version: int | None
    changed: bool
    case: int | None
    rows: Annotated[list[TryRow], Field(required=False, default=list, max_length=500)]
    step: Annotated[Annotated[Blank, Field(max_length=120)], Field(required=False, default="")]
    talk: Annotated[list[SaidTurn], Field(required=False, default=list, max_length=400)]
    after: Annotated[int | None, Field(required=False, default=None)]
    carry: Annotated[list[CarriedAnswer], Field(required=False, default=list, max_length=500)]


class TryRequest(TypedDict):
    messages: Annotated[list[MessageShape], Field(required=False, default=list)]
    jobs: Annotated[list[TryJob], Field(allow_empty=False, max_length=2000)]
    keep: Annotated[KeptTry | None, Field(required=False, default=None)]


class TriedAnswer(TypedDict):
    key: str
    model: int
    model_name: str
    simulated: bool
    settings: dict[str, Any]
    of: int | None
    repeat: int
    row: int | None
    result: dict[str, Any] | None
    problem: str
    judgement: Annotated[str, OneOf("", "good", "usable", "bad")]
    best: bool
    comment: str


class KeptTryShape(TypedDict):
    number: int
    version: int | None
    changed: bool
    messages: list[MessageShape]
    settings: dict[str, Any]
    inputs: dict[str, Any]
    reference: str | None
    case: int | None
    rows: list[TryRow]
    step: str
    talk: list[SaidTurn]
    after: Annotated[int | None, Field(help_text="the number of the try it goes on from")]
    running: Annotated[bool, Field(help_text="answers are still on their way")]
    answers: list[TriedAnswer]
    created_at: datetime
    created_by: str


class TriesShape(TypedDict):
    """found: the try asked for, or the last; null where there is none. count: of all."""

    count: int
    found: KeptTryShape | None


class TryFormShape(TypedDict):
    """What is set for the next try; revision 0 where nothing was set yet."""

    revision: int
    content: dict[str, Any]


class PieceShape(TypedDict):
    id: int
    text: str
    source: dict[str, Any]
    created_at: datetime
    created_by: str


class AlternativeShape(TypedDict):
    text: str
    which: list[int]
    words: list[WordChangeShape]


class CriterionShape(TypedDict):
    name: str
    asks: str
    levels: list[str]
    weight: float


class InstructionShape(TypedDict):
    measure: str
    text: str


class WrittenClauseShape(TypedDict):
    role: Filled
    part: Filled
    text: Filled
    reason: Filled


class WrittenRefusal(TypedDict):
    place: int
    reason: str


class ComposedShape(TypedDict):
    messages: list[MessageShape]
    reasons: list[ReasonShape]
    tokens: int


class QuestionShape(TypedDict):
    key: str
    text: str
    why: str
    answers: list[str]
    asked_by: str
    state: Annotated[str, OneOf("open", "answered", "skipped", "indifferent")]
    answer: str


class QuestionsShape(TypedDict):
    questions: list[QuestionShape]


class QuestionAmendment(TypedDict):
    clause: int
    text: str
    reason: str
    messages: list[MessageShape]


class SettledShape(TypedDict):
    questions: list[QuestionShape]
    proposed: QuestionAmendment | None
