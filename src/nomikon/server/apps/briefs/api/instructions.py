"""What proposing models are told: every wording, and keeping one."""

from __future__ import annotations

from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.server.apps.briefs.actions.keep_instruction import KeepInstruction
from nomikon.server.apps.briefs.instructions import wordings_of
from nomikon.server.apps.briefs.reads import WordingShape
from nomikon.server.apps.briefs.takes import KeepWordingRequest
from nomikon.server.people import actor_of
from nomikon.server.views import documented, given, taken


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
