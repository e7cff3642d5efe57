"""From what was said about answers to amendments: faults, the request, proposals, the text they give."""

from __future__ import annotations

from collections.abc import Mapping

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.digits import whole_number
from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts import check_messages
from nomikon.core.prompts.evidence import Fault, remark_id
from nomikon.core.prompts.mending import propose_by_rule
from nomikon.core.prompts.proposals import (
    Proposal,
    apply_proposals,
    check_proposal,
)
from nomikon.core.prompts.reasons import Answered, reason_of
from nomikon.core.trials.estimates import NANO, estimate_messages, estimate_tokens
from nomikon.server.apps.briefs.facts import read_as
from nomikon.server.apps.briefs.message_rows import message_rows
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.briefs.numbered import version_numbered
from nomikon.server.apps.briefs.reads import ReasonShape
from nomikon.server.apps.connections.models import Connection
from nomikon.server.apps.datasets.columns import columns_of
from nomikon.server.apps.datasets.models import WORKING
from nomikon.server.apps.drafts.report import findings_of
from nomikon.server.apps.reviews.actions.embed_remarks import EmbedRemarks, GroupByWords
from nomikon.server.apps.reviews.actions.place_remark import PlaceRemark
from nomikon.server.apps.reviews.faults import chosen_faults, faults_of, said_of
from nomikon.server.apps.reviews.placing import embedder_of, moved_in, without_vector
from nomikon.server.apps.reviews.proposed import with_before
from nomikon.server.apps.reviews.reads import (
    AppliedShape,
    EmbedderShape,
    FaultShape,
    FaultsShape,
    ProposedShape,
    RefusedProposal,
    RemarkShape,
)
from nomikon.server.apps.reviews.takes import (
    AmendByRuleRequest,
    ApplyRequest,
    EmbedRequest,
    FaultsQuery,
    PlaceRemarkRequest,
)
from nomikon.server.apps.trials.found import trial_or_404
from nomikon.server.apps.trials.models import Trial
from nomikon.server.people import actor_of
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
    return given(FaultsShape)(_faults(trial, version, whole_number(model)))


def _faults(trial: Trial, version: Version, model: int | None = None) -> FaultsShape:
    found = faults_of(trial, version, model)
    moved, embedder, said = moved_in(trial.brief), embedder_of(trial.brief), said_of(trial, version)
    told: EmbedderShape | None = None
    if embedder is not None:
        missing = without_vector(embedder, said)
        told = {
            "connection": embedder.connection_id,
            "model": embedder.model,
            "price_nano": embedder.price_nano,
            "missing": len(missing),
            "tokens": sum(estimate_tokens(t) for t in missing),
        }
    return {
        "faults": [_told(f, moved) for f in found],
        "embedder": told,
        "said": len(said),
        "said_tokens": sum(estimate_tokens(r.text) for r in said),
    }


def _told(fault: Fault, moved: Mapping[str, str]) -> FaultShape:
    remarks = [
        copied(RemarkShape, r, id=remark_id(r), moved=remark_id(r) in moved) for r in fault.remarks
    ]
    return copied(FaultShape, fault, remarks=remarks)


@documented("place_remark", takes=PlaceRemarkRequest, gives=FaultsShape)
@api_view(["POST"])
def place_remark(request: Request, trial_id: int, number: int) -> Response:
    """Put a remark with another one's group, in a group of its own, or back; the grouping remembers it."""
    trial = trial_or_404(trial_id)
    version = _version(trial.brief, number)
    data = taken(PlaceRemarkRequest, request)
    there = {remark_id(r): r for f in faults_of(trial, version, data["model"]) for r in f.remarks}
    if data["remark"] not in there:
        raise PromptError("this remark is not there any more", field="remark")
    if data["beside"] is not None and data["beside"] not in there:
        raise PromptError("the remark it was put with is not there any more", field="beside")
    beside = None if data["beside"] is None else there[data["beside"]]
    PlaceRemark(
        trial.brief, there[data["remark"]], beside, actor_of(request), timezone.now()
    ).execute()
    return given(FaultsShape)(_faults(trial, version, data["model"]))


@documented("group_remarks", takes=EmbedRequest, gives=FaultsShape)
@api_view(["POST"])
def group_remarks(request: Request, trial_id: int, number: int) -> Response:
    """Group what people said by meaning, by a connection's embeddings model; or by its words again."""
    trial = trial_or_404(trial_id)
    version = _version(trial.brief, number)
    data = taken(EmbedRequest, request)
    if data["connection"] is None:
        GroupByWords(trial.brief, actor_of(request), timezone.now()).execute()
        return given(FaultsShape)(_faults(trial, version))
    connection = Connection.objects.filter(pk=data["connection"]).first()
    if connection is None:
        raise PromptError("this connection is not there any more", field="connection")
    price = None if data["price"] is None else int(data["price"] * NANO)
    EmbedRemarks(
        trial.brief, connection, data["model"], price, said_of(trial, version), actor_of(request),
        timezone.now(),
    ).execute()  # fmt: skip
    return given(FaultsShape)(_faults(trial, version))


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
