"""From what was said about answers to amendments: faults, the request, proposals, the text they give."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts import as_rows, check_messages
from nomikon.core.prompts.amending import (
    FOR_ADAPTING,
    FOR_AMENDING,
    FOR_TRIMMING,
    amend_inputs,
    amend_prompt,
)
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.evidence import Fault
from nomikon.core.prompts.mending import propose_by_rule
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.proposals import (
    Proposal,
    apply_proposals,
    check_proposal,
    only_shorter,
    read_proposals,
)
from nomikon.core.trials.estimates import estimate_messages
from nomikon.server.api import shapes_amending as sa
from nomikon.server.api import shapes_draft as ds
from nomikon.server.api import shapes_queries as sq
from nomikon.server.api.common import documented, given, taken
from nomikon.server.api.drafts import version_numbered
from nomikon.server.api.trials import trial_or_404
from nomikon.server.briefs.actions.keep_instruction import KeepInstruction
from nomikon.server.briefs.drafting import columns_of, findings_of
from nomikon.server.briefs.instructions import instruction_for, wordings_of
from nomikon.server.briefs.models import Brief, Version
from nomikon.server.briefs.questions import job_of
from nomikon.server.connections.models import Model
from nomikon.server.people import actor_of
from nomikon.server.reviews.faults import faults_of
from nomikon.server.reviews.habits import habits_of
from nomikon.server.trials.models import Trial


def _version(brief: Brief, number: int) -> Version:
    found = version_numbered(brief, number, "version")
    assert found is not None
    return found


@documented("trial_faults", gives=sa.FaultsShape, asks=sq.FaultsQuery)
@api_view(["GET"])
def faults(request: Request, trial_id: int, number: int) -> Response:
    """What people, measures and judges say against one version's answers in a trial, grouped.

    `model` keeps to one model's own answers.
    """
    trial = trial_or_404(trial_id)
    version = _version(trial.brief, number)
    model = request.query_params.get("model", "")
    found = faults_of(trial, version, int(model) if model.isdigit() else None)
    return given(sa.FaultsShape, {"faults": [_told(f) for f in found]})


def _told(fault: Fault) -> dict[str, Any]:
    return {**fault.__dict__, "remarks": [r.__dict__ for r in fault.remarks]}


@documented("ask_amendments", takes=sa.AskAmendmentsRequest, gives=ds.AlikeShape)
@api_view(["POST"])
def ask(request: Request, brief_id: int) -> Response:
    """The request that has a model propose amendments for chosen faults, to be shown and changed."""
    version, chosen, data = _chosen(request, brief_id)
    brief, purpose = version.brief, data["purpose"]
    model = ""
    if purpose == FOR_ADAPTING:
        found = get_object_or_404(Model, pk=data["model"])
        model = habits_of(found, data["trial"], version)
    elif not chosen and purpose == FOR_AMENDING:
        raise PromptError("tick a fault that is to be put right", field="faults")
    inputs = amend_inputs(check_messages(version.messages), chosen, job_of(brief), model)
    asked = as_rows(amend_prompt(instruction_for(purpose)))
    return given(ds.AlikeShape, {"messages": asked, "inputs": inputs})


def _chosen(request: Request, brief_id: int) -> tuple[Version, list[Fault], dict[str, Any]]:
    """The version to amend, the faults that were ticked, and the rest of the request."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(sa.AskAmendmentsRequest, request)
    trial = get_object_or_404(Trial, pk=data["trial"], brief=brief)
    version = _version(brief, data["version"])
    # A prompt is made shorter by itself: no fault is answered by it.
    trimming = data["purpose"] == FOR_TRIMMING
    found = [] if trimming else faults_of(trial, version, data["model"])
    by_key = {f.key: f for f in found}
    if not trimming and any(key not in by_key for key in data["faults"]):
        raise PromptError(
            "a ticked fault is not there any more: what was said of it has been changed. Look at "
            "the faults again",
            field="faults",
        )
    return version, [] if trimming else [by_key[key] for key in data["faults"]], data


@documented("amend_by_rule", takes=sa.AskAmendmentsRequest, gives=sa.ProposedShape)
@api_view(["POST"])
def by_rule(request: Request, brief_id: int) -> Response:
    """Proposals that need no model: from findings with a fix, and from what failed measures ask for."""
    version, chosen, data = _chosen(request, brief_id)
    trial = Trial.objects.select_related("scorecard").get(pk=data["trial"])
    messages = check_messages(version.messages)
    findings = findings_of(version.brief, messages, version.settings)
    rows = trial.scorecard.document.get("measures", [])
    proposals = propose_by_rule(messages, chosen, rows, findings, columns_of(version.brief))
    return given(sa.ProposedShape, _proposed(messages, proposals, []))


def _proposed(
    messages: tuple[Message, ...], proposals: list[Proposal], refused: list[tuple[int, str]]
) -> dict[str, Any]:
    texts = {c.number: c.text for c in clauses_of(messages)}
    return {
        "proposals": [{**p.__dict__, "before": texts.get(p.clause, "")} for p in proposals],
        "refused": [{"place": place, "reason": why} for place, why in refused],
    }


@documented("read_amendments", takes=sa.ReadAmendmentsRequest, gives=sa.ProposedShape)
@api_view(["POST"])
def read(request: Request, brief_id: int) -> Response:
    """A model's reply as proposals; what cannot stand is refused with its reason."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(sa.ReadAmendmentsRequest, request)
    messages = check_messages(_version(brief, data["version"]).messages)
    found = read_proposals(data["text"], messages, data["n_faults"], columns_of(brief))
    kept, refused = found.proposals, list(found.refused)
    if data["purpose"] == FOR_TRIMMING:
        kept, longer = only_shorter(kept, messages)
        refused += longer
    return given(sa.ProposedShape, _proposed(messages, kept, refused))


@documented("apply_amendments", takes=sa.ApplyRequest, gives=sa.AppliedShape)
@api_view(["POST"])
def apply(request: Request, brief_id: int) -> Response:
    """The text with the proposals that are taken, edited ones checked like new; nothing is saved."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(sa.ApplyRequest, request)
    messages = check_messages(_version(brief, data["version"]).messages)
    columns = columns_of(brief)
    good: list[Proposal] = []
    refused = []
    for row in data["proposals"]:
        made = Proposal(row["id"], row["kind"], row["clause"], row["text"], row["reason"])
        try:
            check_proposal(made, messages, good, columns)
        except DomainError as error:
            refused.append({"id": made.id, "reason": error.message})
        else:
            good.append(made)
    after = apply_proposals(messages, good)
    return given(
        sa.AppliedShape,
        {
            "messages": as_rows(after),
            "tokens_before": estimate_messages([m.content for m in messages]),
            "tokens_after": estimate_messages([m.content for m in after]),
            "refused": refused,
        },
    )


@documented("instructions", gives=sa.WordingShape(many=True))
@api_view(["GET"])
def instructions(request: Request, purpose: str) -> Response:
    """Every wording of what a proposing model is told, the newest first."""
    return given(sa.WordingShape, wordings_of(purpose), many=True)


@documented("keep_instruction", takes=sa.KeepWordingRequest, gives=sa.WordingShape(many=True))
@api_view(["POST"])
def keep_instruction(request: Request, purpose: str) -> Response:
    """Keep a wording as the next version: models are told it from now on."""
    data = taken(sa.KeepWordingRequest, request)
    KeepInstruction(
        purpose, data["text"], data["note"], actor_of(request), timezone.now()
    ).execute()
    return given(sa.WordingShape, wordings_of(purpose), many=True)
