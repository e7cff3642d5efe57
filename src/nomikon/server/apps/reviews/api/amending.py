"""From what was said about answers to amendments: faults, the request, proposals, the text they give."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.digits import whole_number
from nomikon.core.errors import DomainError
from nomikon.core.prompts import check_messages
from nomikon.core.prompts.evidence import Fault
from nomikon.core.prompts.mending import propose_by_rule
from nomikon.core.prompts.proposals import (
    Proposal,
    apply_proposals,
    check_proposal,
)
from nomikon.core.prompts.reasons import Answered, reason_of
from nomikon.core.trials.estimates import estimate_messages
from nomikon.server.apps.briefs.facts import read_as
from nomikon.server.apps.briefs.message_rows import message_rows
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.briefs.numbered import version_numbered
from nomikon.server.apps.briefs.reads import ReasonShape
from nomikon.server.apps.datasets.columns import columns_of
from nomikon.server.apps.datasets.models import WORKING
from nomikon.server.apps.drafts.report import findings_of
from nomikon.server.apps.reviews.faults import chosen_faults, faults_of
from nomikon.server.apps.reviews.proposed import with_before
from nomikon.server.apps.reviews.reads import (
    AppliedShape,
    FaultShape,
    FaultsShape,
    ProposedShape,
    RefusedProposal,
    RemarkShape,
)
from nomikon.server.apps.reviews.takes import AmendByRuleRequest, ApplyRequest, FaultsQuery
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.apps.trials.models import Trial
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


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
    found = faults_of(trial, version, whole_number(model))
    return given(FaultsShape)({"faults": [_told(f) for f in found]})


def _told(fault: Fault) -> FaultShape:
    return copied(FaultShape, fault, remarks=[copied(RemarkShape, r) for r in fault.remarks])


def _chosen(request: Request, brief_id: int) -> tuple[Version, list[Fault], AmendByRuleRequest]:
    """The version to amend, the faults that were ticked, and the rest of the request."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(AmendByRuleRequest, request)
    trial = get_object_or_404(Trial, pk=data["trial"], brief=brief)
    version = _version(brief, data["version"])
    return version, chosen_faults(version, trial, data["faults"], data["model"]), data


@documented("amend_by_rule", takes=AmendByRuleRequest, gives=ProposedShape)
@api_view(["POST"])
def by_rule(request: Request, brief_id: int) -> Response:
    """Proposals that need no model: from findings with a fix, and from what failed measures ask for."""
    version, chosen, data = _chosen(request, brief_id)
    trial = Trial.objects.select_related("scorecard", "dataset_version").get(pk=data["trial"])
    messages = check_messages(version.messages)
    findings = findings_of(version.brief, messages, version.settings)
    rows = trial.scorecard.document.get("measures", [])
    # What is tuned on held-out cases is no check: their labels are not told either.
    working = trial.dataset_version.entries.filter(split=WORKING)
    references = [r for r in working.values_list("revision__reference", flat=True) if r]
    proposals = propose_by_rule(
        messages, chosen, rows, findings, columns_of(version.brief), references,
        read_as(version.brief, messages),
    )  # fmt: skip
    shown = with_before(messages, [p.__dict__ for p in proposals])
    return given(ProposedShape)({"proposals": shown, "refused": []})


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
