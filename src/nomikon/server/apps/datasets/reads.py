"""What datasets answers."""

from __future__ import annotations

from typing import Annotated, Any, TypedDict

from nomikon.server.apps.briefs.reads import WordChangeShape
from nomikon.server.typed import Blank, Field, Filled, OneOf


class DatasetShape(TypedDict):
    id: int
    name: str
    archived: bool
    taken_back: Annotated[
        str | None,
        Field(help_text="the last import or change of many, where it can be taken back"),
    ]
    version: int
    version_id: int
    changed: int
    open: bool
    columns: list[str]
    kinds: dict[str, str]
    working: int
    held_out: int
    tied: Annotated[str | None, Field(help_text="the path of the file or folder it is read from")]


class TieShape(TypedDict):
    """path: below the folder of files. The rest is how it is taken in, as an import says it."""

    path: Filled
    mapping: dict[str, dict[str, str]]
    by: list[str]
    gone: Annotated[str, OneOf("keep", "remove")]
    split: Annotated[str, OneOf("working", "held-out")]
    encoding: Blank
    delimiter: Blank


class TiedShape(TypedDict):
    """how: None where it is tied to nothing. changed: since it was read. missing: it is gone."""

    how: TieShape | None
    changed: bool
    missing: bool


class OfferedFileShape(TypedDict):
    path: str
    folder: bool
    size: int


class FilesShape(TypedDict):
    folder: str
    files: list[OfferedFileShape]


class BulkShape(DatasetShape):
    n_changed: int


class CaseShape(TypedDict):
    revision: int
    number: int
    id: Annotated[str, Field(help_text="its own id; empty where it has none")]
    inputs: dict[str, Any]
    reference: str | None
    forms: list[str]
    conversation: Any | None
    tags: list[str]
    source: str
    split: str


class CasePage(TypedDict):
    total: int
    offset: int
    cases: list[CaseShape]


class DatasetMade(TypedDict):
    id: int


class PlaceShape(TypedDict):
    revision: int
    split: str
    position: int | None


class EditedRow(TypedDict):
    before: PlaceShape | None
    case: CaseShape | None


class EditedShape(DatasetShape):
    rows: list[EditedRow]


class PreviewColumn(TypedDict):
    name: str
    use: str
    kind: Annotated[str, OneOf("text", "long-text", "number", "label", "json")]
    fills: bool
    examples: list[str]


class RefusedShape(TypedDict):
    line: int
    reason: str
    cells: Annotated[list[str], Field(help_text="what stands there, in the order of the columns")]


class TablePreview(TypedDict):
    columns: list[PreviewColumn]
    rows: int
    n_refused: int
    refused: list[RefusedShape]
    encoding: str
    delimiter: str
    notes: list[str]
    sheets: Annotated[list[str], Field(help_text="of a workbook; `delimiter` takes one of them")]
    unfilled: list[str]


class CellChange(TypedDict):
    column: str
    before: str
    after: str


class UpdateChange(TypedDict):
    line: int
    number: Annotated[int, Field(help_text="of the case")]
    cells: list[CellChange]


class UpdatePreview(TypedDict):
    """What an update would do; `changes` and `gone_numbers` are the first of many."""

    new: int
    changed: int
    equal: int
    gone: Annotated[int, Field(help_text="cases that no row speaks of")]
    removes: Annotated[
        bool, Field(help_text="whether these would be taken out: never where a line was refused")
    ]
    changes: list[UpdateChange]
    gone_numbers: list[int]
    n_refused: int
    refused: list[RefusedShape]


class ValueCount(TypedDict):
    value: str
    n: int


class DimensionCounts(TypedDict):
    name: str
    values: list[ValueCount]


class CoverageShape(TypedDict):
    dimensions: list[DimensionCounts]
    pairs: int
    pairs_possible: int


class ProposalShape(TypedDict):
    values: dict[str, str]
    reference: str | None
    tags: list[str]
    near_case: int | None
    near_proposal: int | None
    likeness: float | None


class UnreadShape(TypedDict):
    place: int
    reason: str


class ProposalsShape(TypedDict):
    cases: list[ProposalShape]
    refused: list[UnreadShape]
    before: CoverageShape
    after: CoverageShape


class PinsShape(TypedDict):
    cases: list[CaseShape]


class NearPairShape(TypedDict):
    a: int
    b: int
    likeness: float


class LengthsShape(TypedDict):
    column: str
    least: int
    lower: float
    median: float
    upper: float
    p95: float
    greatest: int
    empty: int


class QualityShape(TypedDict):
    near: bool
    duplicates: list[NearPairShape]
    n_duplicates: int
    leaks: list[NearPairShape]
    n_leaks: int
    n_groups: int
    labels: dict[str, int] | None
    lengths: list[LengthsShape]
    empty: list[int]
    outliers: list[int]
    tags: dict[str, int]
    smallest_difference: float | None


class CopyValue(TypedDict):
    column: str
    words: Annotated[list[WordChangeShape], Field(help_text="against the first case of its group")]
    same: bool


class CopyCase(TypedDict):
    revision: int
    number: int
    split: str
    source: str
    reference: str | None
    values: list[CopyValue]


class CopyGroupShape(TypedDict):
    key: Annotated[int, Field(help_text="number of its first case")]
    exact: bool
    likeness: Annotated[float, Field(help_text="of its two least alike, from 0.8 to 1")]
    leaks: Annotated[bool, Field(help_text="it stands on both sides of the split")]
    settled: Annotated[str, Field(help_text="kept, source, or nothing yet")]
    references_differ: bool
    n: int
    cases: Annotated[list[CopyCase], Field(help_text="the first of them")]


class CopiesShape(TypedDict):
    total: int
    n_open: int
    n_exact: Annotated[int, Field(help_text="cases that say what another says")]
    version: int
    changed: int
    groups: list[CopyGroupShape]


class SplitShape(TypedDict):
    held_out: int
    of: int


class ColumnSample(TypedDict):
    number: int
    before: dict[str, Any]
    after: dict[str, Any]


class WithoutValue(TypedDict):
    number: int
    why: str


class ColumnsShape(TypedDict):
    """n_changed: cases that were changed, 0 where it was only looked at. n_without: those that a formula
    gives no value; without: the first of them."""

    n_changed: int
    n_without: int
    without: list[WithoutValue]
    samples: list[ColumnSample]
    read_by: Annotated[
        int | None, Field(help_text="the newest version, where its text reads a column that goes")
    ]
    saved: Annotated[int | None, Field(help_text="the version whose placeholders followed")]


class EncodingReadShape(TypedDict):
    encoding: str
    fits: bool
    lines: list[str]


class DelimiterReadShape(TypedDict):
    mark: str
    columns: int
    fitting: int
    rows: int
    header: list[str]
    odd_line: int
    odd: list[str]


class HardLinesShape(TypedDict):
    """How each encoding and each delimiter reads the lines that tell it; the likeliest first."""

    encodings: list[EncodingReadShape]
    delimiters: list[DelimiterReadShape]
