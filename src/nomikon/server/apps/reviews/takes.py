"""What reviews takes."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, NotRequired, TypedDict

from nomikon.server.apps.reviews.reads import ProposalRow, SpanShape
from nomikon.server.typed import Blank, Field, Filled, OneOf


class AmendByRuleRequest(TypedDict):
    trial: int
    version: int
    faults: Annotated[list[Annotated[Filled, Field(max_length=40)]], Field(max_length=12)]
    model: Annotated[int | None, Field(required=False, default=None)]


class AnsweredFault(TypedDict):
    """The fault that a proposal answers; outputs: answers it was seen in."""

    label: Annotated[Blank, Field(max_length=200)]
    title: Blank
    cases: Annotated[int, Field(min_value=0)]
    outputs: list[int]


class TakenProposal(ProposalRow):
    fault: Annotated[AnsweredFault | None, Field(required=False, default=None)]


class PlaceRemarkRequest(TypedDict):
    model: Annotated[int | None, Field(required=False, default=None)]
    remark: Annotated[Filled, Field(max_length=64)]
    beside: Annotated[
        str | None,
        Field(max_length=64, help_text="Its own for a group of its own; null takes it back."),
    ]


class EmbedRequest(TypedDict):
    connection: Annotated[int | None, Field(help_text="Null: by their words again.")]
    model: Annotated[Blank, Field(required=False, default="", max_length=200)]
    price: Annotated[
        Decimal | None,
        Field(
            required=False,
            default=None,
            min_value=0,
            max_value=100_000,
            max_digits=15,
            decimal_places=6,
        ),
    ]


class ApplyRequest(TypedDict):
    version: int
    proposals: list[TakenProposal]


class PairsRequest(TypedDict):
    arms: Annotated[list[int], Field(max_length=50)]


class ProposePrecedents(TypedDict):
    comment: Annotated[Blank, Field(required=False, default="")]
    spans: Annotated[list[SpanShape], Field(required=False, default=list)]
    better: Annotated[str | None, Field(required=False, default=None)]


class KeepPrecedentRequest(TypedDict):
    kind: Filled
    text: str
    judge: Annotated[int | None, Field(required=False, default=None)]


class ReferencesQuery(TypedDict):
    which: NotRequired[Annotated[str, OneOf("open", "differ", "all")]]
    arm: NotRequired[Annotated[int, Field(help_text="whose answers are shown as a start")]]
    two: NotRequired[Annotated[Blank, Field(help_text="true where two people write each")]]
    offset: NotRequired[int]
    limit: NotRequired[int]


class MissingQuery(TypedDict):
    arm: NotRequired[Annotated[int, Field(help_text="whose scores stand beside the counts")]]


class AlikeQuery(TypedDict):
    kind: Annotated[str, OneOf("tag", "label", "manner", "length", "language")]
    name: Filled
    among: Annotated[int, Field(help_text="another dataset of the brief")]


class WriteReferenceRequest(TypedDict):
    """before: the reference that was seen. two: another person writes it, too."""

    before: str | None
    reference: Annotated[Filled, Field(max_length=10000000)]
    forms: Annotated[list[str], Field(required=False, default=list)]
    two: Annotated[bool, Field(required=False, default=False)]


class FaultsQuery(TypedDict):
    model: NotRequired[Annotated[int, Field(help_text="in this model's own answers only")]]


class SelectionQuery(TypedDict):
    arms: NotRequired[Annotated[Filled, Field(help_text="ids parted by commas; all without it")]]
    words: NotRequired[Annotated[Blank, Field(help_text="in an answer, an input or a reference")]]
    tag: NotRequired[Filled]
    label: NotRequired[Annotated[Filled, Field(help_text="the whole reference of a case")]]
    cell: NotRequired[
        Annotated[
            Filled,
            Field(help_text="of the table of labels: a JSON list of arm, field, wanted, given"),
        ]
    ]
    outcome: NotRequired[Annotated[Filled, Field(help_text="an outcome, or `no answer`")]]
    measure: NotRequired[Annotated[Filled, Field(help_text="whose scores low and high are about")]]
    low: NotRequired[Filled]
    high: NotRequired[Filled]
    mark: NotRequired[Annotated[Filled, Field(help_text="good, usable, bad, marked or unmarked")]]
    repeat: NotRequired[Filled]
    differ: NotRequired[Annotated[str, OneOf("true", "false")]]
    alike: NotRequired[Annotated[str, OneOf("true", "false")]]
    repeats_differ: NotRequired[Annotated[str, OneOf("true", "false")]]
    order: NotRequired[
        Annotated[Filled, Field(help_text="dataset, arrival, differ, worst, best or repeats")]
    ]
    turned: NotRequired[Annotated[str, OneOf("true", "false")]]


class DifferencesQuery(TypedDict):
    to: NotRequired[Annotated[int, Field(help_text="another output; what is wanted without it")]]


class ReadingQuery(TypedDict):
    order: NotRequired[Filled]
    trial: NotRequired[Annotated[int, Field(help_text="the newest without it")]]
    arm: NotRequired[int]
    tag: NotRequired[Filled]


class MarkRequest(TypedDict):
    judgement: Filled
    comment: Annotated[Blank, Field(required=False, default="")]
    spans: Annotated[list[SpanShape], Field(required=False, default=list)]
    faults: Annotated[
        list[Annotated[Filled, Field(max_length=60)]], Field(required=False, default=list)
    ]
    drawn: Annotated[bool, Field(required=False, default=True)]
    former: Annotated[int | None, Field(required=False, default=None)]
    since: Annotated[Blank, Field(required=False, default="")]
    better: Annotated[str | None, Field(required=False, default=None)]


class InheritRequest(TypedDict):
    from_output: int
    drawn: Annotated[bool, Field(required=False, default=True)]
