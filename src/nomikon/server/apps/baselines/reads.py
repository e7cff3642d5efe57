"""What baselines give."""

from __future__ import annotations

from typing import Annotated, Any, TypedDict

from nomikon.server.apps.datasets.reads import RefusedShape
from nomikon.server.typed import Field


class BaselineShape(TypedDict):
    id: int
    name: str
    note: str
    archived: bool
    dataset: int
    n_cases: Annotated[int, Field(help_text="cases that its dataset has now")]
    n_answered: int


class BaselineRow(TypedDict):
    """A case, and what stands there as its answer; what is wanted is kept from who answers."""

    case: int
    number: int
    split: str
    inputs: dict[str, Any]
    conversation: Any
    text: Annotated[str | None, Field(help_text="null where there is no answer yet")]
    changed: Annotated[bool, Field(help_text="the case was changed since it was answered")]
    written_by: str


class BaselineSheet(TypedDict):
    total: int
    offset: int
    rows: list[BaselineRow]


class AnswerColumn(TypedDict):
    name: str
    use: str
    examples: list[str]


class AnswersLook(TypedDict):
    """What a file of answers would do, or did."""

    columns: list[AnswerColumn]
    by: list[str]
    inputs: Annotated[list[str], Field(help_text="by which a row can find its case")]
    rows: int
    new: int
    changed: int
    same: int
    n_refused: int
    refused: Annotated[list[RefusedShape], Field(help_text="lines that find no case, or not one")]
    samples: Annotated[list[BaselineRow], Field(help_text="the first that found theirs")]
    unanswered: Annotated[int, Field(help_text="cases that would have no answer still")]
    amiss: Annotated[
        str, Field(help_text='what has to be said before it can be read; "" if nothing')
    ]


class LogCaseShape(TypedDict):
    line: int
    source: str
    message: str
    turns: Annotated[list[str], Field(help_text="the user's, where the talk is asked as a whole")]
    history: str
    system: str
    answer: str | None


class LogLook(TypedDict):
    """What a log would bring."""

    n_talks: int
    n_cases: int
    n_answers: Annotated[int, Field(help_text="cases that the log has an answer to")]
    n_system: int
    message: Annotated[str, Field(help_text="the input that the user's turn fills")]
    notes: list[str]
    encoding: str
    n_refused: int
    refused: list[RefusedShape]
    samples: list[LogCaseShape]


class LogDone(TypedDict):
    added: int
    dataset_version: int
    baseline: int | None
    n_answers: int
    n_refused: int
    refused: list[RefusedShape]
