"""What culprits answers."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, TypedDict

from nomikon.server.apps.rounds.reads import RoundsProblem
from nomikon.server.typed import Field, OneOf


class SearchedAmendment(TypedDict):
    id: str
    kind: Annotated[str, OneOf("add", "amend", "strike", "move", "layout")]
    clause: Annotated[
        int | None, Field(help_text="in the newer version, in the older where it was struck")
    ]
    text: str
    requires: list[str]


class SearchPlanShape(TypedDict):
    amendments: list[SearchedAmendment]
    texts: Annotated[int, Field(help_text="that neither version is")]
    exact: bool
    orders: int
    n_better: int
    n_worse: int
    n_cases: int
    calls: int
    cost: int | None
    simulated_cost: int
    in_store: int | None
    problems: list[RoundsProblem]
    found: Annotated[int | None, Field(help_text="the newest search between these two")]


class CulpritShare(TypedDict):
    amendments: list[str]
    share: float
    low: float
    high: float
    added: float | None
    taken_back: float | None
    parts: Annotated[bool, Field(help_text="what it does depends on the other amendments")]
    word: Annotated[str, OneOf("helped", "hurt", "not shown")]
    better: Annotated[int, Field(help_text="cases that it moved most of all to the better")]
    worse: int


class MovedCase(TypedDict):
    case: int
    revision: int
    change: float
    shares: list[float]
    by: Annotated[int | None, Field(help_text="the place of the share that moved it most")]


class SearchRow(TypedDict):
    id: int
    older: int
    newer: int
    older_arm: int
    newer_arm: int
    model: str
    of: int
    of_number: int
    trial: int
    trial_number: int
    state: str
    done: int
    of_outputs: int
    created_at: datetime


class SearchShape(SearchRow):
    amendments: list[SearchedAmendment]
    how: Annotated[str, OneOf("exact", "ends", "orders", "")]
    difference: float | None
    n_used: int
    n_dropped: int
    shares: list[CulpritShare]
    cases: list[MovedCase]
    saved: Annotated[
        list[int], Field(help_text="versions made from the newer one by leaving some out")
    ]
    message: str


class SavedWithoutShape(TypedDict):
    number: int
    dataset_version: int
    versions: list[int]
