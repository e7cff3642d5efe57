"""What datasets takes."""

from __future__ import annotations

from typing import Annotated, Any, NotRequired, TypedDict

from nomikon.server.apps.datasets.reads import TieShape
from nomikon.server.takes import Page
from nomikon.server.typed import Blank, Field, Filled, OneOf


class DatasetRequest(TypedDict):
    name: Annotated[Blank, Field(required=False, default="")]


class DatasetChangeRequest(TypedDict):
    name: Annotated[Blank | None, Field(required=False, default=None)]
    archived: Annotated[bool | None, Field(required=False, default=None)]
    seen: Annotated[
        dict[str, Any] | None,
        Field(required=False, default=None, help_text="name and archived as they were shown"),
    ]


class BulkRequest(TypedDict):
    """A change of all rows from `first` to `last` of what a view shows."""

    split: Annotated[Blank, Field(required=False, default="")]
    q: Annotated[Blank, Field(required=False, default="")]
    where: Annotated[Blank, Field(required=False, default="")]
    sort: Annotated[Blank, Field(required=False, default="")]
    down: Annotated[Blank, Field(required=False, default="")]
    first: Annotated[int, Field(min_value=0)]
    last: Annotated[int, Field(min_value=0)]
    version: Annotated[int, Field(help_text="the id of the version that was looked at")]
    changed: int
    act: Annotated[str, OneOf("tag", "untag", "move", "set", "out")]
    value: Annotated[Blank, Field(required=False, default="", max_length=1000000)]
    column: Annotated[Blank, Field(required=False, default="", max_length=200)]


class EditShape(TypedDict):
    revision: NotRequired[int | None]
    values: NotRequired[dict[str, Annotated[str, Field(max_length=10000000)]]]
    reference: NotRequired[Annotated[str | None, Field(max_length=10000000)]]
    forms: NotRequired[list[Annotated[str, Field(max_length=1000000)]]]
    tags: NotRequired[list[Blank]]
    source: NotRequired[Blank]
    split: NotRequired[Filled]
    conversation: NotRequired[Any | None]
    put_back: NotRequired[int | None]
    position: NotRequired[Annotated[int | None, Field(min_value=0)]]
    out: NotRequired[bool]


class EditRequest(TypedDict):
    edits: Annotated[list[EditShape], Field(required=False, default=list)]
    columns: Annotated[
        list[Annotated[Filled, Field(max_length=120)]], Field(required=False, default=list)
    ]
    kinds: Annotated[dict[str, Filled], Field(required=False, default=dict)]
    why: Annotated[Blank, Field(required=False, default="", max_length=300)]


class DimensionShape(TypedDict):
    name: Annotated[Blank, Field(max_length=60)]
    values: Annotated[list[Annotated[Blank, Field(max_length=80)]], Field(max_length=40)]


class CoverageRequest(TypedDict):
    dimensions: Annotated[list[DimensionShape], Field(required=False, default=list)]
    tags: Annotated[list[list[Filled]], Field(required=False, default=list)]


class KeepCaseRequest(TypedDict):
    inputs: dict[str, Any]
    reference: Annotated[Blank | None, Field(required=False, default=None)]
    tags: Annotated[list[Filled], Field(required=False, default=list)]
    split: Annotated[Filled, Field(required=False, default="working")]


class PinRequest(TypedDict):
    revision: int
    pinned: bool


class SplitRequest(TypedDict):
    share: float
    seed: Annotated[int, Field(required=False, default=0, min_value=0, max_value=2147483648)]
    by: Annotated[Filled, Field(required=False, default="reference")]


class CasesQuery(Page):
    split: NotRequired[Annotated[Filled, Field(help_text="working or held-out")]]
    q: NotRequired[Annotated[Filled, Field(help_text="words that stand anywhere in a case")]]
    where: NotRequired[Annotated[Filled, Field(help_text="a JSON list of {column, test, value}")]]
    sort: NotRequired[Annotated[Filled, Field(help_text="a column")]]
    down: NotRequired[Annotated[str, OneOf("true", "false")]]


class QualityQuery(TypedDict):
    near: NotRequired[
        Annotated[
            Annotated[str, OneOf("true", "false")],
            Field(help_text="look for near-copies among very many"),
        ]
    ]


class CopiesQuery(Page):
    which: NotRequired[Annotated[str, OneOf("open", "all")]]


class CopiesRequest(TypedDict):
    """groups: numbers of their first cases; without it all that are not settled."""

    groups: Annotated[list[int] | None, Field(required=False, default=None)]
    act: Annotated[str, OneOf("one", "exact", "source", "keep")]
    version: Annotated[int, Field(help_text="the id of the version that was looked at")]
    changed: int


class ColumnsRequest(TypedDict):
    """store: whether it is done, or only looked at. follow: a version whose placeholders follow a new
    name in a further version."""

    act: Annotated[str, OneOf("rename", "remove", "join", "split", "compute")]
    columns: Annotated[list[str], Field(max_length=1000)]
    to: Annotated[list[Blank], Field(required=False, default=list, max_length=50)]
    mark: Annotated[
        str,
        Field(required=False, default="", allow_blank=True, trim_whitespace=False, max_length=50),
    ]
    formula: Annotated[
        Blank,
        Field(
            required=False,
            default="",
            max_length=2000,
            help_text="an expression over inputs.x, reference and reference_json.x",
        ),
    ]
    version: Annotated[int, Field(help_text="the id of the version that was looked at")]
    changed: int
    store: Annotated[bool, Field(required=False, default=False)]
    follow: Annotated[int | None, Field(required=False, default=None)]


class TieRequest(TypedDict):
    how: TieShape | None
