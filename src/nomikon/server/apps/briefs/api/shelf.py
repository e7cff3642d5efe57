"""The starter shelf and settings presets."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from django.utils import timezone
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from nomikon.core.prompts.presets import PRESETS
from nomikon.server.apps.briefs.actions.keep_on_shelf import KeepOnShelf, TakeOffShelf
from nomikon.server.apps.briefs.actions.keep_preset import KeepPreset, RemovePreset
from nomikon.server.apps.briefs.models import OwnPreset, ShelfEntry
from nomikon.server.apps.briefs.reads import KeptShape, PresetShape, ShelfRow, ShelfShape
from nomikon.server.apps.briefs.shelf import MOST_FOUND, Search, search_shelf, shelf_row, shipped
from nomikon.server.apps.briefs.takes import PresetRequest, ShelfQuery, ShelfRequest
from nomikon.server.people import actor_of
from nomikon.server.typed import copied
from nomikon.server.views import documented, given, taken


@documented("shelf", gives=ShelfShape, asks=ShelfQuery)
@api_view(["GET"])
def shelf(request: Request) -> Response:
    """Texts to begin with; q, task, tag, source, setting and value narrow them."""
    asked = {k: request.query_params.get(k, "").strip() for k in ("task", "tag", "source")}
    found = search_shelf(
        Search(
            words=request.query_params.get("q", ""),
            setting=request.query_params.get("setting", "").strip(),
            value=request.query_params.get("value", "").strip(),
            **asked,
        )
    )
    own = ShelfEntry.objects.filter(taken_off=False).values_list("tags", flat=True)
    tags = {t for e in shipped() for t in e.tags} | {t for row in own for t in row}
    return given(ShelfShape)(
        {
            "entries": [copied(ShelfRow, shelf_row(e)) for e in found],
            "more": len(found) == MOST_FOUND,
            "tags": sorted(tags, key=str.lower),
        },
    )


@documented("keep_on_shelf", takes=ShelfRequest, gives=KeptShape)
@api_view(["POST"])
def keep(request: Request) -> Response:
    """Put a text of one's own on the shelf."""
    data = taken(ShelfRequest, request)
    entry = KeepOnShelf(**data, actor=actor_of(request), now=timezone.now()).execute()
    return given(KeptShape)({"id": entry.pk})


@documented("take_off_shelf", gives=KeptShape)
@api_view(["POST"])
def take_off(request: Request, entry_id: int) -> Response:
    """Take a text of one's own off the shelf."""
    entry = get_object_or_404(ShelfEntry, pk=entry_id)
    TakeOffShelf(entry, actor_of(request), timezone.now()).execute()
    return given(KeptShape)({"id": entry.pk})


@documented("presets", gives=list[PresetShape])
@api_view(["GET"])
def presets(request: Request) -> Response:
    """Settings by kind of task: those that ship, then one's own."""
    rows = [copied(PresetShape, p, id=None) for p in PRESETS]
    rows += [copied(PresetShape, p, id=p.pk) for p in OwnPreset.objects.all()]
    return given(list[PresetShape])(rows)


@documented("keep_preset", takes=PresetRequest, gives=KeptShape)
@api_view(["POST"])
def keep_preset(request: Request) -> Response:
    """Keep settings under a name of one's own."""
    data = taken(PresetRequest, request)
    kept = KeepPreset(**data, actor=actor_of(request), now=timezone.now()).execute()
    return given(KeptShape)({"id": kept.pk})


@documented("remove_preset", gives=KeptShape)
@api_view(["POST"])
def remove_preset(request: Request, preset_id: int) -> Response:
    """Remove a preset of one's own."""
    found = get_object_or_404(OwnPreset, pk=preset_id)
    RemovePreset(found, actor_of(request), timezone.now()).execute()
    return given(KeptShape)({"id": preset_id})
