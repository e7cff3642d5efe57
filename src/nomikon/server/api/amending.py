"""From what was said about answers to amendments: faults, the request, proposals, the text they give."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.errors import DomainError
from nomikon.core.prompts import check_messages
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.evidence import Fault
from nomikon.core.prompts.mending import propose_by_rule
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.proposals import (
    Proposal,
    apply_proposals,
    check_proposal,
)
from nomikon.core.prompts.reasons import Answered, reason_of
from nomikon.core.trials.estimates import estimate_messages
from nomikon.server.api.common import documented, given, taken
from nomikon.server.api.drafts import version_numbered
from nomikon.server.api.trials import trial_or_404
from nomikon.server.briefs.actions.keep_instruction import KeepInstruction
from nomikon.server.briefs.drafting import columns_of, findings_of
from nomikon.server.briefs.instructions import wordings_of
from nomikon.server.briefs.message_rows import message_rows
from nomikon.server.briefs.models import Brief, Version
from nomikon.server.briefs.reads import ReasonShape, WordingShape
from nomikon.server.briefs.takes import KeepWordingRequest
from nomikon.server.consultations.subjects import chosen_faults
from nomikon.server.people import actor_of
from nomikon.server.reviews.faults import faults_of
from nomikon.server.reviews.reads import (
    AmendmentProposal,
    AppliedShape,
    FaultShape,
    FaultsShape,
    ProposedShape,
    RefusedProposal,
    RemarkShape,
)
from nomikon.server.reviews.takes import AmendByRuleRequest, ApplyRequest, FaultsQuery
from nomikon.server.trials.models import Trial
from nomikon.server.typed import copied


def _version(brief: Brief, number: int) -> Version:
    found = version_numbered(brief, number, "version")
    assert found is not None
    return found


@documented("trial_faults", gives=FaultsShape, asks=FaultsQuery)
@api_view(["GET"])
def faults(request: Request, trial_id: int, number: int) -> Response:
    """What people, measures and judges say against one version's answers in a trial, grouped.

    `model` keeps to one model's own answers.
    """
    trial = trial_or_404(trial_id)
    version = _version(trial.brief, number)
    model = request.query_params.get("model", "")
    found = faults_of(trial, version, int(model) if model.isdigit() else None)
    return given(FaultsShape)({"faults": [_told(f) for f in found]})


def _told(fault: Fault) -> FaultShape:
    return copied(FaultShape, fault, remarks=[copied(RemarkShape, r) for r in fault.remarks])


def _chosen(request: Request, brief_id: int) -> tuple[Version, list[Fault], AmendByRuleRequest]:
    """The version to amend, the faults that were ticked, and the rest of the request."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(AmendByRuleRequest, request)
    trial = get_object_or_404(Trial, pk=data["trial"], brief=brief)
    version = _version(brief, data["version"])
    return version, chosen_faults(version, trial, data), data


@documented("amend_by_rule", takes=AmendByRuleRequest, gives=ProposedShape)
@api_view(["POST"])
def by_rule(request: Request, brief_id: int) -> Response:
    """Proposals that need no model: from findings with a fix, and from what failed measures ask for."""
    version, chosen, data = _chosen(request, brief_id)
    trial = Trial.objects.select_related("scorecard").get(pk=data["trial"])
    messages = check_messages(version.messages)
    findings = findings_of(version.brief, messages, version.settings)
    rows = trial.scorecard.document.get("measures", [])
    proposals = propose_by_rule(messages, chosen, rows, findings, columns_of(version.brief))
    shown = with_before(messages, [p.__dict__ for p in proposals])
    return given(ProposedShape)({"proposals": shown, "refused": []})


def with_before(
    messages: tuple[Message, ...], rows: Sequence[Mapping[str, Any]]
) -> list[AmendmentProposal]:
    """Proposals with the text of the clause that each is about."""
    texts = {c.number: c.text for c in clauses_of(messages)}
    return [copied(AmendmentProposal, row, before=texts.get(row["clause"], "")) for row in rows]


@documented("apply_amendments", takes=ApplyRequest, gives=AppliedShape)
@api_view(["POST"])
def apply(request: Request, brief_id: int) -> Response:
    """The text with the proposals that are taken, edited ones checked like new; nothing is saved."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(ApplyRequest, request)
    messages = check_messages(_version(brief, data["version"]).messages)
    columns = columns_of(brief)
    good: list[Proposal] = []
    refused: list[RefusedProposal] = []
    reasons: list[ReasonShape] = []
    for row in data["proposals"]:
        made = Proposal(row["id"], row["kind"], row["clause"], row["text"], row["reason"])
        try:
            check_proposal(made, messages, good, columns)
        except DomainError as error:
            refused.append({"id": made.id, "reason": error.message})
        else:
            good.append(made)
            fault = Answered.of(row["fault"]) if row["fault"] else None
            reason = reason_of(made.kind, made.clause, made.text, made.reason, fault)
            reasons.append(copied(ReasonShape, reason))
    after = apply_proposals(messages, good)
    return given(AppliedShape)(
        {
            "messages": message_rows(after),
            "tokens_before": estimate_messages([m.content for m in messages]),
            "tokens_after": estimate_messages([m.content for m in after]),
            "refused": refused,
            "reasons": reasons,
        },
    )


@documented("instructions", gives=list[WordingShape])
@api_view(["GET"])
def instructions(request: Request, role: str) -> Response:
    """Every wording of what a proposing model is told, the newest first."""
    return given(list[WordingShape])(wordings_of(role))


@documented("keep_instruction", takes=KeepWordingRequest, gives=list[WordingShape])
@api_view(["POST"])
def keep_instruction(request: Request, role: str) -> Response:
    """Keep a wording as the next version: models are told it from now on."""
    data = taken(KeepWordingRequest, request)
    KeepInstruction(role, data["text"], data["note"], actor_of(request), timezone.now()).execute()
    return given(list[WordingShape])(wordings_of(role))
