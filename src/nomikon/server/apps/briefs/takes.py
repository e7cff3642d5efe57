"""What briefs takes."""

from __future__ import annotations

from typing import Annotated, Any, NotRequired, TypedDict

from nomikon.server.apps.briefs.reads import (
    CopyStateShape,
    MessageShape,
    ReasonShape,
    WrittenClauseShape,
)
from nomikon.server.typed import Blank, Field, Filled, OneOf


class SilenceRequest(TypedDict):
    rule: Filled
    reason: Annotated[Blank | None, Field(max_length=300)]


class MarkTryRequest(TypedDict):
    """What is said of one answer of a try; what is left out stays as it is."""

    key: Annotated[Filled, Field(max_length=100)]
    judgement: Annotated[
        str | None, OneOf("", "good", "usable", "bad"), Field(required=False, default=None)
    ]
    best: Annotated[bool | None, Field(required=False, default=None)]
    comment: Annotated[
        Annotated[Blank, Field(max_length=2000)] | None, Field(required=False, default=None)
    ]


class TryFormRequest(TypedDict):
    revision: Annotated[int, Field(min_value=0)]
    content: dict[str, Any]


class PieceRequest(TypedDict):
    """Words to keep. source: whence they are, as far as it is known: {model, try, version}."""

    text: Annotated[Filled, Field(max_length=200_000)]
    source: Annotated[dict[str, Any], Field(required=False, default=dict)]


class PiecesRequest(TypedDict):
    """The kept pieces in their order; those left out are taken out."""

    order: Annotated[list[int], Field(max_length=2000)]


class SideBySideQuery(TypedDict):
    versions: Annotated[str, Field(help_text="two to four numbers with commas between them")]


class FindVersionsQuery(TypedDict):
    q: Annotated[
        Annotated[Blank, Field(max_length=300)],
        Field(
            required=False,
            default="",
            help_text="words of text, note or tag, a setting with its value, or a day as 2026-11-30",
        ),
    ]


class TriesQuery(TypedDict):
    number: Annotated[int | None, Field(required=False, default=None)]


class ReadingRequest(TypedDict):
    """What a person says of words of a prompt; value null: they say nothing of the kind."""

    part: Filled
    text: Annotated[Blank, Field(required=False, default="", max_length=2000)]
    value: Annotated[Any | None, Field(required=False, default=None)]
    forget: Annotated[
        bool, Field(required=False, default=False, help_text="take it back: rules read them again")
    ]


class FaresRequest(TypedDict):
    """Checks as entries of a scorecard."""

    checks: Annotated[list[dict[str, Any]], Field(max_length=40)]


class ProposedRow(TypedDict):
    """A proposal as a reply was read."""

    id: Annotated[Filled, Field(max_length=20)]
    kind: Annotated[str, OneOf("add", "amend", "strike")]
    clause: Annotated[int, Field(min_value=0)]
    text: Annotated[Blank, Field(max_length=200000)]
    reason: Filled


class WishesRequest(TypedDict):
    messages: list[MessageShape]
    wishes: Annotated[list[str], Field(max_length=20)]
    take: Annotated[list[str], Field(required=False, default=list, max_length=40)]
    proposed: Annotated[
        list[ProposedRow],
        Field(
            required=False, default=list, max_length=40, help_text="by a model, in place of rules"
        ),
    ]


class DraftRequest(TypedDict):
    messages: list[MessageShape]
    settings: Annotated[dict[str, Any], Field(required=False, default=dict)]
    parent: Annotated[int | None, Field(required=False, default=None)]


class DraftReportRequest(DraftRequest):
    dataset: Annotated[
        int | None,
        Field(required=False, default=None, help_text="whose columns fill the placeholders"),
    ]


class VersionRequest(DraftRequest):
    reasons: Annotated[list[ReasonShape], Field(required=False, default=list)]
    note: Annotated[Blank, Field(required=False, default="", max_length=300)]
    second_parent: Annotated[int | None, Field(required=False, default=None)]
    origin: Annotated[
        Annotated[str, OneOf("typed", "drafted", "amended", "imported", "trimmed")],
        Field(required=False, default="typed"),
    ]


class RenderRequest(TypedDict):
    messages: list[MessageShape]
    inputs: dict[str, Any]


class BriefRequest(TypedDict):
    name: Annotated[Blank, Field(max_length=120)]
    job: Annotated[Blank, Field(required=False, default="")]
    task: Annotated[Filled, Field(required=False, default="other")]


class BriefChangeRequest(BriefRequest):
    seen: Annotated[
        dict[str, Any] | None,
        Field(required=False, default=None, help_text="what the form showed when it was opened"),
    ]


class ScorecardRequest(TypedDict):
    document: dict[str, Any]
    seen: Annotated[
        int | None,
        Field(required=False, default=None, help_text="number of the scorecard it was made from"),
    ]


class KeepWordingRequest(TypedDict):
    text: str
    note: Annotated[Blank, Field(required=False, default="")]


class CopyRequest(CopyStateShape):
    base: int | None
    second_parent: Annotated[int | None, Field(required=False, default=None)]
    revision: Annotated[int, Field(min_value=0)]


class LeaveRequest(TypedDict):
    parent: int
    messages: list[MessageShape]
    settings: Annotated[dict[str, Any], Field(required=False, default=dict)]
    leave: Annotated[list[Filled], Field(allow_empty=False, max_length=5000)]


class TakeRequest(TypedDict):
    take: Annotated[list[Filled], Field(max_length=5000)]


class AnnotateRequest(TypedDict):
    note: Annotated[Blank | None, Field(required=False, default=None, max_length=300)]
    tags: Annotated[
        list[Annotated[Filled, Field(max_length=60)]] | None, Field(required=False, default=None)
    ]
    archived: Annotated[bool | None, Field(required=False, default=None)]
    seen: Annotated[
        dict[str, Any] | None,
        Field(required=False, default=None, help_text="what the form showed when it was opened"),
    ]


class CodeRequest(TypedDict):
    model: int
    messages: list[MessageShape]
    settings: Annotated[dict[str, Any], Field(required=False, default=dict)]
    inputs: Annotated[dict[str, Any], Field(required=False, default=dict)]
    variables: Annotated[
        bool, Field(required=False, default=False, help_text="placeholders stay, as variables")
    ]


class PresetRequest(TypedDict):
    name: Annotated[Blank, Field(max_length=60)]
    task: Annotated[Filled, Field(required=False, default="other")]
    settings: dict[str, Any]
    reason: Annotated[Blank, Field(required=False, default="", max_length=200)]


class ShelfRequest(TypedDict):
    name: Annotated[Blank, Field(max_length=120)]
    task: Annotated[Filled, Field(required=False, default="other")]
    about: Annotated[Blank, Field(required=False, default="", max_length=300)]
    tags: Annotated[list[Filled], Field(required=False, default=list)]
    messages: list[MessageShape]
    settings: Annotated[dict[str, Any], Field(required=False, default=dict)]


class OpenAnswerRequest(TypedDict):
    text: Annotated[str, Field(max_length=4000000)]


class DifferencesRequest(TypedDict):
    texts: Annotated[
        list[Annotated[str, Field(max_length=200000)]], Field(allow_empty=False, max_length=24)
    ]


class ShelfQuery(TypedDict):
    q: NotRequired[Annotated[Filled, Field(help_text="words of a text")]]
    task: NotRequired[Filled]
    tag: NotRequired[Filled]
    source: NotRequired[Filled]
    setting: NotRequired[Filled]
    value: NotRequired[Filled]


class ComposeRequest(TypedDict):
    clauses: list[WrittenClauseShape]


class TextRequest(TypedDict):
    messages: list[MessageShape]


class SettleRequest(TextRequest):
    key: Annotated[Filled, Field(max_length=80)]
    state: Filled
    answer: Annotated[Blank, Field(required=False, default="")]
