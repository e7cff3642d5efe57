"""What was asked while a text was under work, what is set for the next try, and pieces kept of answers."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.digits import whole_number
from nomikon.server.apps.briefs.actions.keep_pieces import ArrangePieces, KeepPiece
from nomikon.server.apps.briefs.models import Brief, Try
from nomikon.server.apps.briefs.reads import (
    KeptTryShape,
    PieceShape,
    TriesShape,
    TryFormShape,
    TryRequest,
)
from nomikon.server.apps.briefs.takes import (
    MarkTryRequest,
    PieceRequest,
    PiecesRequest,
    TriesQuery,
    TryFormRequest,
)
from nomikon.server.apps.briefs.tries import MarkTry
from nomikon.server.apps.briefs.try_forms import KeepForm, load_form
from nomikon.server.apps.drafts.pricing import price_of
from nomikon.server.apps.drafts.reads import TryPriceShape
from nomikon.server.apps.drafts.under_way import UNDER_WAY
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


@documented("tries", gives=TriesShape, asks=TriesQuery, methods=["GET"])
@api_view(["GET"])
def tries(request: Request, brief_id: int) -> Response:
    """A text that was asked while it was under work, with its answers: the last, or the one of a number."""
    brief = get_object_or_404(Brief, pk=brief_id)
    number = whole_number(request.query_params.get("number", ""))
    rows = brief.tries.select_related("version", "after")
    row = rows.order_by("number").last() if number is None else rows.filter(number=number).first()
    return given(TriesShape)(_told(brief, row))


def _told(brief: Brief, row: Try | None) -> TriesShape:
    found: KeptTryShape | None = None
    if row is not None:
        found = copied(
            KeptTryShape,
            row,
            version=row.version.number if row.version else None,
            after=row.after.number if row.after else None,
            running=UNDER_WAY.runs((brief.pk, row.number)),
            # Those kept before there were several inputs have no row.
            answers=[{"row": None, **a} for a in row.answers],
        )
    return {"count": brief.tries.count(), "found": found}


@documented("mark_try", takes=MarkTryRequest, gives=TriesShape)
@api_view(["PATCH"])
def mark_try(request: Request, brief_id: int, number: int) -> Response:
    """Say what an answer of a try is worth: evidence for faults and proposals, never for agreement."""
    brief = get_object_or_404(Brief, pk=brief_id)
    get_object_or_404(Try, brief=brief, number=number)
    data = taken(MarkTryRequest, request)
    row = MarkTry(brief, number, data["key"], dict(data)).execute()
    return given(TriesShape)(_told(brief, row))


@documented("stop_try", gives=TriesShape)
@api_view(["POST"])
def stop_try(request: Request, brief_id: int, number: int) -> Response:
    """Ask nothing more of a try; what has come stays, what is in flight is broken off."""
    brief = get_object_or_404(Brief, pk=brief_id)
    row = get_object_or_404(Try, brief=brief, number=number)
    UNDER_WAY.stop((brief.pk, number))
    return given(TriesShape)(_told(brief, row))


@documented("try_price", takes=TryRequest, gives=TryPriceShape)
@api_view(["POST"])
def try_price(request: Request, brief_id: int) -> Response:
    """About what a try would cost; nothing is asked."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(TryRequest, request)
    return given(TryPriceShape)(price_of(brief, data["jobs"], data["messages"]))


@documented("try_form", gives=TryFormShape)
@api_view(["GET"])
def try_form(request: Request, brief_id: int) -> Response:
    """What is set for the next try: inputs typed, models, settings."""
    return given(TryFormShape)(load_form(get_object_or_404(Brief, pk=brief_id)))


@documented("keep_try_form", takes=TryFormRequest, gives=TryFormShape)
@api_view(["PUT"])
def keep_try_form(request: Request, brief_id: int) -> Response:
    """Keep what is set; refused with what is there when another tab changed it meanwhile."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(TryFormRequest, request)
    KeepForm(brief, data["revision"], data["content"], actor_of(request), timezone.now()).execute()
    return given(TryFormShape)(load_form(brief))


@documented("pieces", gives=list[PieceShape])
@api_view(["GET"])
def pieces(request: Request, brief_id: int) -> Response:
    """What was kept of answers, in its order."""
    return given(list[PieceShape])(_pieces(get_object_or_404(Brief, pk=brief_id)))


@documented("keep_piece", takes=PieceRequest, gives=list[PieceShape])
@api_view(["POST"])
def keep_piece(request: Request, brief_id: int) -> Response:
    """Keep words of an answer in the brief's collection."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(PieceRequest, request)
    KeepPiece(brief, data["text"], data["source"], actor_of(request), timezone.now()).execute()
    return given(list[PieceShape])(_pieces(brief))


@documented("arrange_pieces", takes=PiecesRequest, gives=list[PieceShape])
@api_view(["POST"])
def arrange_pieces(request: Request, brief_id: int) -> Response:
    """Put the collection in order; what is left out is taken out."""
    brief = get_object_or_404(Brief, pk=brief_id)
    order = taken(PiecesRequest, request)["order"]
    ArrangePieces(brief, order, actor_of(request), timezone.now()).execute()
    return given(list[PieceShape])(_pieces(brief))


def _pieces(brief: Brief) -> list[PieceShape]:
    return [copied(PieceShape, p) for p in brief.pieces.filter(taken_out=False)]
