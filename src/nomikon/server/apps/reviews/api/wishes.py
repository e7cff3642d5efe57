"""Wishes for a text under work: by rule, taken one by one."""

from __future__ import annotations

from collections.abc import Sequence

from django.shortcuts import get_object_or_404
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.errors import AmendmentError
from nomikon.core.prompts import Message, check_messages
from nomikon.core.prompts.proposals import Proposal, apply_proposals, check_proposal
from nomikon.core.prompts.reasons import reason_of
from nomikon.core.prompts.wishes import Granted, grant_wishes
from nomikon.server.apps.briefs.facts import read_as
from nomikon.server.apps.briefs.message_rows import message_rows
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.briefs.reads import ReasonShape
from nomikon.server.apps.briefs.takes import FaresRequest, ProposedRow, WishesRequest
from nomikon.server.apps.datasets.columns import columns_of
from nomikon.server.apps.drafts.reads import FareShape
from nomikon.server.apps.reviews.fares import fares_of
from nomikon.server.apps.reviews.proposed import with_before
from nomikon.server.apps.reviews.reads import WishesShape
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


def _checked(
    rows: Sequence[ProposedRow], messages: tuple[Message, ...], columns: Sequence[str]
) -> list[Proposal]:
    made: list[Proposal] = []
    for row in rows:
        proposal = Proposal(row["id"], row["kind"], row["clause"], row["text"], row["reason"])
        check_proposal(proposal, messages, made, columns)
        made.append(proposal)
    return made


@documented("check_fares", takes=FaresRequest, gives=list[FareShape])
@api_view(["POST"])
def fares(request: Request, brief_id: int) -> Response:
    """How stored answers would fare by checks that no scorecard has yet; nothing is kept."""
    found = get_object_or_404(Brief, pk=brief_id)
    return given(list[FareShape])(fares_of(found, taken(FaresRequest, request)["checks"]))


@documented("wishes", takes=WishesRequest, gives=WishesShape)
@api_view(["POST"])
def wishes(request: Request, brief_id: int) -> Response:
    """What rules propose for wishes, which are met already, and which no rule can read.

    With `take` the text comes back with these proposals; nothing is saved.
    """
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(WishesRequest, request)
    messages = check_messages(data["messages"])
    said = data["wishes"]
    if data["proposed"]:
        # A model's are checked again, each beside those before it, as a person may have changed them.
        done = Granted(_checked(data["proposed"], messages, columns_of(brief)))
    else:
        done = grant_wishes(messages, said, columns_of(brief), read_as(brief, messages))
    chosen = [p for p in done.proposals if p.id in data["take"]]
    if len(chosen) < len(set(data["take"])):
        raise AmendmentError(
            "the text was changed since this was proposed: look at it again", field="take"
        )
    reasons = [reason_of(p.kind, p.clause, p.text, p.reason) for p in chosen]
    return given(WishesShape)(
        {
            "proposals": with_before(messages, [p.__dict__ for p in done.proposals]),
            "met": [said[n - 1] for n in done.met],
            "unmet": [{"wish": said[n - 1], "why": why} for n, why in done.unmet],
            "messages": message_rows(apply_proposals(messages, chosen)) if chosen else None,
            "reasons": [copied(ReasonShape, r) for r in reasons],
        }
    )
