"""Briefs, versions, drafts and scorecards."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.errors import PromptError
from nomikon.core.measures import MEASURES
from nomikon.core.prompts import amendments_between, check_messages, render
from nomikon.server.api import shapes
from nomikon.server.api.common import documented, given, taken
from nomikon.server.briefs.actions.create_brief import CreateBrief
from nomikon.server.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.briefs.actions.save_version import SaveVersion
from nomikon.server.briefs.actions.silence_finding import SilenceFinding
from nomikon.server.briefs.drafting import amendment_row, report_on
from nomikon.server.briefs.models import Brief, Version
from nomikon.server.briefs.overview import brief_detail
from nomikon.server.people import actor_of


@documented("create_brief", takes=shapes.BriefRequest, gives=shapes.BriefMade)
@api_view(["POST"])
def briefs(request: Request) -> Response:
    """Open a new brief."""
    data = taken(shapes.BriefRequest, request)
    brief = CreateBrief(**data, actor=actor_of(request), now=timezone.now()).execute()
    return given(shapes.BriefMade, {"id": brief.pk})


@documented("brief", gives=shapes.BriefDetail)
@api_view(["GET"])
def brief(request: Request, brief_id: int) -> Response:
    """The frame around a brief: stages, lineage, datasets, scorecard."""
    return given(shapes.BriefDetail, brief_detail(get_object_or_404(Brief, pk=brief_id)))


@documented("change_brief", takes=shapes.BriefRequest, gives=shapes.BriefMade)
@api_view(["PUT"])
def change_brief(request: Request, brief_id: int) -> Response:
    """Change a brief's name, job or task."""
    data = taken(shapes.BriefRequest, request)
    found = get_object_or_404(Brief, pk=brief_id)
    change = CreateBrief(**data, actor=actor_of(request), now=timezone.now())
    change.change(found)
    return given(shapes.BriefMade, {"id": found.pk})


def _parent(found: Brief, number: int | None) -> Version | None:
    if number is None:
        return None
    parent = found.versions.filter(number=number).first()
    if parent is None:
        raise PromptError(f"this brief has no version {number}", field="parent")
    return parent


@documented("save_version", takes=shapes.VersionRequest, gives=shapes.VersionDetail)
@api_view(["POST"])
def versions(request: Request, brief_id: int) -> Response:
    """Save the text under work as a new version."""
    found = get_object_or_404(Brief, pk=brief_id)
    data = taken(shapes.VersionRequest, request)
    parent = _parent(found, data["parent"])
    saved = SaveVersion(
        brief=found,
        messages=data["messages"],
        settings=data["settings"],
        parent=parent,
        note=data["note"],
        actor=actor_of(request),
        now=timezone.now(),
    ).execute()
    return given(shapes.VersionDetail, _version_row(saved))


def _version_row(v: Version) -> dict[str, object]:
    return {
        "id": v.pk,
        "number": v.number,
        "parent": v.parent.number if v.parent else None,
        "note": v.note,
        "origin": v.origin,
        "messages": v.messages,
        "settings": v.settings,
        "created_at": v.created_at,
        "created_by": v.created_by,
    }


@documented("version", gives=shapes.VersionDetail)
@api_view(["GET"])
def version(request: Request, brief_id: int, number: int) -> Response:
    """One version whole."""
    return given(
        shapes.VersionDetail,
        _version_row(
            get_object_or_404(
                Version.objects.select_related("parent"), brief_id=brief_id, number=number
            )
        ),
    )


@documented("changes", gives=shapes.ChangesShape)
@api_view(["GET"])
def changes(request: Request, brief_id: int, number: int, against: int) -> Response:
    """What leads from one version to another, clause by clause."""
    new = get_object_or_404(Version, brief_id=brief_id, number=number)
    old = get_object_or_404(Version, brief_id=brief_id, number=against)
    found = amendments_between(check_messages(old.messages), check_messages(new.messages))
    return given(
        shapes.ChangesShape,
        {
            "amendments": [amendment_row(a) for a in found.amendments],
            "kept": found.kept,
            "against": old.number,
            "settings_before": old.settings,
            "settings_after": new.settings,
        },
    )


@documented("check_draft", takes=shapes.DraftRequest, gives=shapes.DraftReport)
@api_view(["POST"])
def draft(request: Request, brief_id: int) -> Response:
    """What can be said about a text before it is saved."""
    found = get_object_or_404(Brief, pk=brief_id)
    data = taken(shapes.DraftRequest, request)
    parent = _parent(found, data["parent"])
    return given(shapes.DraftReport, report_on(found, data["messages"], data["settings"], parent))


@documented("silence_finding", takes=shapes.SilenceRequest, gives=shapes.SilencedShape(many=True))
@api_view(["POST"])
def silence(request: Request, brief_id: int) -> Response:
    """Silence a rule of findings for this brief, with a reason; without one it speaks again."""
    get_object_or_404(Brief, pk=brief_id)
    data = taken(shapes.SilenceRequest, request)
    brief = SilenceFinding(
        brief_id, data["rule"], data["reason"], actor_of(request), timezone.now()
    ).execute()
    rows = [{"rule": r, "reason": why} for r, why in sorted(brief.silenced.items())]
    return given(shapes.SilencedShape, rows, many=True)


@documented("render_draft", takes=shapes.RenderRequest, gives=shapes.RenderedShape)
@api_view(["POST"])
def rendered(request: Request) -> Response:
    """A draft filled from one case, literally as it would be sent."""
    data = taken(shapes.RenderRequest, request)
    done = render(check_messages(data["messages"]), data["inputs"])
    return given(
        shapes.RenderedShape,
        {
            "messages": [m.__dict__ for m in done.messages],
            "missing": done.missing,
            "unused": done.unused,
        },
    )


@documented("measures", gives=shapes.MeasureShape(many=True))
@api_view(["GET"])
def measures(request: Request) -> Response:
    """Every measure with its parameters."""
    return given(
        shapes.MeasureShape,
        [
            {
                "name": m.name,
                "description": m.description,
                "needs_reference": m.needs_reference,
                "parameters": dict(m.parameters),
            }
            for m in MEASURES.values()
        ],
        many=True,
    )


@documented("save_scorecard", takes=shapes.ScorecardRequest, gives=shapes.ScorecardShape)
@api_view(["POST"])
def scorecards(request: Request, brief_id: int) -> Response:
    """Save a scorecard; the former ones stay."""
    found = get_object_or_404(Brief, pk=brief_id)
    data = taken(shapes.ScorecardRequest, request)
    card = SaveScorecard(found, data["document"], actor_of(request), timezone.now()).execute()
    return given(shapes.ScorecardShape, card)
