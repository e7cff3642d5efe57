"""The text under work: its working copy, what is said about it, and what it would send."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.prompts import (
    amendments_between,
    check_messages,
    check_settings,
    parse_prompt_file,
    render,
)
from nomikon.core.prompts.alternatives import alternatives
from nomikon.models.request_code import (
    KEPT_KEY,
    as_curl,
    as_holes,
    as_python,
    calls_of,
    variables_of,
)
from nomikon.server.apps.briefs.actions.correct_reading import CorrectReading
from nomikon.server.apps.briefs.actions.silence_finding import SilenceFinding
from nomikon.server.apps.briefs.message_rows import message_rows
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.briefs.numbered import version_numbered
from nomikon.server.apps.briefs.reads import (
    AlternativeShape,
    CodeShape,
    CopyKept,
    CopyShape,
    DraftReport,
    ExampleTexts,
    RenderedMessage,
    RenderedShape,
    SilencedShape,
    TakenShape,
    WordChangeShape,
)
from nomikon.server.apps.briefs.takes import (
    CodeRequest,
    CopyRequest,
    DifferencesRequest,
    DraftReportRequest,
    DraftRequest,
    LeaveRequest,
    OpenAnswerRequest,
    ReadingRequest,
    RenderRequest,
    SilenceRequest,
)
from nomikon.server.apps.briefs.working_copies import KeepCopy, load_copy
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.connections.spec import connection_spec
from nomikon.server.apps.drafts.reading import proposed_card, reading_of
from nomikon.server.apps.drafts.reads import (
    ProposedMeasureShape,
    ReadFact,
    TenorShape,
)
from nomikon.server.apps.drafts.report import report_on
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


@documented("draft_report", takes=DraftReportRequest, gives=DraftReport)
@api_view(["POST"])
def draft(request: Request, brief_id: int) -> Response:
    """What can be said about a text under work; bad text is reported, not refused."""
    found = get_object_or_404(Brief, pk=brief_id)
    data = taken(DraftReportRequest, request)
    parent = version_numbered(found, data["parent"])
    told = report_on(found, data["messages"], data["settings"], parent, data["dataset"])
    return given(DraftReport)(copied(DraftReport, told))


@documented("read_draft", takes=DraftRequest, gives=TenorShape)
@api_view(["POST"])
def read(request: Request, brief_id: int) -> Response:
    """What a text under work is read to ask for, each part with its words and the check it calls for."""
    found = get_object_or_404(Brief, pk=brief_id)
    data = taken(DraftRequest, request)
    return given(TenorShape)(reading_of(found, data["messages"], data["settings"]))


@documented("correct_reading", takes=ReadingRequest, gives=list[ReadFact])
@api_view(["POST"])
def correct_reading(request: Request, brief_id: int) -> Response:
    """Put right how words of the prompt are read; what is known of them is given back."""
    get_object_or_404(Brief, pk=brief_id)
    data = taken(ReadingRequest, request)
    row = {"part": data["part"], "text": data["text"], "value": data["value"]}
    brief = CorrectReading(
        brief_id, row, data["forget"], actor_of(request), timezone.now()
    ).execute()
    return given(list[ReadFact])([copied(ReadFact, r) for r in brief.readings])


@documented("first_scorecard", gives=list[ProposedMeasureShape])
@api_view(["GET"])
def first_scorecard(request: Request, brief_id: int) -> Response:
    """Measures proposed for a brief that has none: from its newest prompt and its references."""
    found = get_object_or_404(Brief, pk=brief_id)
    return given(list[ProposedMeasureShape])(proposed_card(found))


@documented("working_copy", gives=CopyShape)
@api_view(["GET"])
def copy(request: Request, brief_id: int, base: int) -> Response:
    """The unsaved text on a version (0: on none), and what it said before."""
    found = get_object_or_404(Brief, pk=brief_id)
    return given(CopyShape)(
        copied(CopyShape, load_copy(found, version_numbered(found, base or None, "base")))
    )


@documented("keep_copy", takes=CopyRequest, gives=CopyKept)
@api_view(["PUT"])
def keep_copy(request: Request, brief_id: int) -> Response:
    """Keep the unsaved text; refused with what is there when another tab changed it meanwhile."""
    found = get_object_or_404(Brief, pk=brief_id)
    data = taken(CopyRequest, request)
    kept = KeepCopy(
        brief=found,
        base=version_numbered(found, data["base"], "base"),
        second_parent=version_numbered(found, data["second_parent"], "second_parent"),
        revision=data["revision"],
        messages=[dict(m) for m in data["messages"]],
        settings=data["settings"],
        actor=actor_of(request),
        now=timezone.now(),
        reason=data["reason"],
    ).execute()
    return given(CopyKept)({"revision": kept.revision})


@documented("leave_amendments", takes=LeaveRequest, gives=TakenShape)
@api_view(["POST"])
def leave(request: Request, brief_id: int) -> Response:
    """The text without some of its amendments against a version, and those that require them."""
    found = get_object_or_404(Brief, pk=brief_id)
    data = taken(LeaveRequest, request)
    parent = version_numbered(found, data["parent"])
    assert parent is not None
    revision = amendments_between(
        check_messages(parent.messages),
        check_messages(data["messages"]),
        parent.settings,
        check_settings(data["settings"]),
    )
    take = revision.without(data["leave"])
    messages, settings = revision.apply(take)
    return given(TakenShape)(
        {
            "messages": message_rows(messages),
            "settings": settings,
            "left": [a.id for a in revision.amendments if a.id not in take],
        },
    )


@documented("silence_finding", takes=SilenceRequest, gives=list[SilencedShape])
@api_view(["POST"])
def silence(request: Request, brief_id: int) -> Response:
    """Silence a rule of findings for this brief, with a reason; without one it speaks again."""
    get_object_or_404(Brief, pk=brief_id)
    data = taken(SilenceRequest, request)
    brief = SilenceFinding(
        brief_id, data["rule"], data["reason"], actor_of(request), timezone.now()
    ).execute()
    rows: list[SilencedShape] = [
        {"rule": r, "reason": why} for r, why in sorted(brief.silenced.items())
    ]
    return given(list[SilencedShape])(rows)


@documented("render_draft", takes=RenderRequest, gives=RenderedShape)
@api_view(["POST"])
def rendered(request: Request) -> Response:
    """A draft filled from one case, literally as it would be sent."""
    data = taken(RenderRequest, request)
    done = render(check_messages(data["messages"]), data["inputs"])
    return given(RenderedShape)(
        {
            "messages": [copied(RenderedMessage, m) for m in done.messages],
            "missing": done.missing,
            "unused": done.unused,
        },
    )


@documented("request_code", takes=CodeRequest, gives=CodeShape)
@api_view(["POST"])
def request_code(request: Request) -> Response:
    """The calls of one case as curl and Python, ready to run."""
    data = taken(CodeRequest, request)
    model = get_object_or_404(Model.objects.select_related("connection"), pk=data["model"])
    connection = connection_spec(model.connection, model)
    stored = model.connection
    key_env = KEPT_KEY if stored.key_cipher else stored.key_env or None
    messages = check_messages(data["messages"])
    values = variables_of(messages, data["inputs"]) if data["variables"] else None
    calls = calls_of(
        messages,
        check_settings(data["settings"]),
        data["inputs"] if values is None else as_holes(values),
        connection,
        model.name,
        tuple(model.unsupported),
    )
    return given(CodeShape)(
        {
            "curl": as_curl(calls, connection, model.name, key_env),
            "python": as_python(calls, connection, model.name, key_env, values),
            "key_env": key_env,
            "calls": len(calls),
        },
    )


@documented("differences", takes=DifferencesRequest, gives=list[AlternativeShape])
@api_view(["POST"])
def differences(request: Request) -> Response:
    """Which of several answers are the same, and what differs between the others."""
    data = taken(DifferencesRequest, request)
    return given(list[AlternativeShape])(
        [
            {
                "text": a.text,
                "which": list(a.which),
                "words": [copied(WordChangeShape, w) for w in a.words],
            }
            for a in alternatives(data["texts"])
        ]
    )


@documented("open_answer", takes=OpenAnswerRequest, gives=ExampleTexts)
@api_view(["POST"])
def open_answer(request: Request) -> Response:
    """The messages of a prompt that a model has written: a prompt file, or a text of one message."""
    text = taken(OpenAnswerRequest, request)["text"].strip()
    lines = text.splitlines()
    if len(lines) > 2 and lines[0].startswith("```") and lines[-1].strip() == "```":
        text = "\n".join(lines[1:-1])
    if text.startswith("---"):
        messages = parse_prompt_file(text).messages
    else:
        messages = check_messages([{"role": "user", "content": text}])
    return given(ExampleTexts)({"messages": message_rows(messages)})
