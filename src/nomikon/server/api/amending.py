"""From what was said about answers to amendments: faults, the request, proposals, the text they give."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts import as_rows, check_messages
from nomikon.core.prompts.amending import amend_inputs, amend_prompt
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.evidence import Fault
from nomikon.core.prompts.proposals import (
    Proposal,
    apply_proposals,
    check_proposal,
    read_proposals,
)
from nomikon.core.trials.estimates import estimate_messages
from nomikon.server.api import shapes_amending as sa
from nomikon.server.api import shapes_draft as ds
from nomikon.server.api.common import documented, given, taken
from nomikon.server.api.drafts import version_numbered
from nomikon.server.api.trials import trial_or_404
from nomikon.server.briefs.models import Brief, Version
from nomikon.server.briefs.questions import job_of
from nomikon.server.reviews.faults import faults_of
from nomikon.server.trials.models import Trial


def _version(brief: Brief, number: int) -> Version:
    found = version_numbered(brief, number, "version")
    assert found is not None
    return found


@documented("trial_faults", gives=sa.FaultsShape)
@api_view(["GET"])
def faults(request: Request, trial_id: int, number: int) -> Response:
    """What people, measures and judges say against one version's answers in a trial, grouped."""
    trial = trial_or_404(trial_id)
    version = _version(trial.brief, number)
    return given(sa.FaultsShape, {"faults": [_told(f) for f in faults_of(trial, version)]})


def _told(fault: Fault) -> dict[str, Any]:
    return {**fault.__dict__, "remarks": [r.__dict__ for r in fault.remarks]}


@documented("ask_amendments", takes=sa.AskAmendmentsRequest, gives=ds.AlikeShape)
@api_view(["POST"])
def ask(request: Request, brief_id: int) -> Response:
    """The request that has a model propose amendments for chosen faults, to be shown and changed."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(sa.AskAmendmentsRequest, request)
    trial = get_object_or_404(Trial, pk=data["trial"], brief=brief)
    version = _version(brief, data["version"])
    found = faults_of(trial, version)
    if any(not 0 <= i < len(found) for i in data["faults"]):
        raise PromptError("these faults have changed meanwhile: look at them again", field="faults")
    chosen = [found[i] for i in data["faults"]]
    inputs = amend_inputs(check_messages(version.messages), chosen, job_of(brief))
    return given(ds.AlikeShape, {"messages": as_rows(amend_prompt()), "inputs": inputs})


@documented("read_amendments", takes=sa.ReadAmendmentsRequest, gives=sa.ProposedShape)
@api_view(["POST"])
def read(request: Request, brief_id: int) -> Response:
    """A model's reply as proposals; what cannot stand is refused with its reason."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(sa.ReadAmendmentsRequest, request)
    messages = check_messages(_version(brief, data["version"]).messages)
    found = read_proposals(data["text"], messages, data["n_faults"])
    texts = {c.number: c.text for c in clauses_of(messages)}
    return given(
        sa.ProposedShape,
        {
            "proposals": [
                {**p.__dict__, "before": texts.get(p.clause, "")} for p in found.proposals
            ],
            "refused": [{"place": place, "reason": why} for place, why in found.refused],
        },
    )


@documented("apply_amendments", takes=sa.ApplyRequest, gives=sa.AppliedShape)
@api_view(["POST"])
def apply(request: Request, brief_id: int) -> Response:
    """The text with the proposals that are taken, edited ones checked like new; nothing is saved."""
    brief = get_object_or_404(Brief, pk=brief_id)
    data = taken(sa.ApplyRequest, request)
    messages = check_messages(_version(brief, data["version"]).messages)
    good: list[Proposal] = []
    refused = []
    for row in data["proposals"]:
        made = Proposal(row["id"], row["kind"], row["clause"], row["text"], row["reason"])
        try:
            check_proposal(made, messages, good)
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
