"""The unsaved text: kept with every pause in typing, never overwritten unseen.

No ledger line is written here: the ledger tells of versions, not of key strokes.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.errors import ConflictError, PromptError
from nomikon.server.apps.briefs.models import Brief, CopyState, Version, WorkingCopy

# How much of what was there before is kept for undo after a reload.
STATES_KEPT = 100
CHARACTERS_KEPT = 2_000_000
LARGEST_COPY = 4_000_000


class CopyChangedError(ConflictError):
    """Somebody else, or another tab, has changed the working copy meanwhile."""

    code = "copy_changed"


def load_copy(brief: Brief, base: Version | None) -> dict[str, Any]:
    """The working copy on a version with what it said before; revision 0 where there is none."""
    copy = WorkingCopy.objects.filter(brief=brief, base=base).first()
    if copy is None:
        return {
            "revision": 0,
            "messages": [],
            "settings": {},
            "reason": "",
            "second_parent": None,
            "changed_at": None,
            "changed_by": "",
            "before": [],
        }
    return {
        **_told(copy),
        "before": [
            {"messages": s.messages, "settings": s.settings, "reason": s.reason}
            for s in copy.states.order_by("revision")
        ],
    }


def _told(copy: WorkingCopy) -> dict[str, Any]:
    return {
        "revision": copy.revision,
        "messages": copy.messages,
        "settings": copy.settings,
        "reason": copy.reason,
        "second_parent": copy.second_parent and copy.second_parent.number,
        "changed_at": copy.changed_at,
        "changed_by": copy.changed_by,
    }


@dataclass
class KeepCopy:
    """revision: the one the page knows. The text need not be a usable prompt: it is kept as typed.
    reason: what it was changed for, where that is known."""

    brief: Brief
    base: Version | None
    second_parent: Version | None
    revision: int
    messages: list[dict[str, Any]]
    settings: dict[str, Any]
    actor: str
    now: datetime
    reason: str = ""

    @transaction.atomic
    def execute(self) -> WorkingCopy:
        size = len(json.dumps([self.messages, self.settings]))
        if size > LARGEST_COPY:
            raise PromptError(
                f"the text takes {size:,} characters; a working copy holds {LARGEST_COPY:,}. "
                "It is still in this tab, and the last kept state is on the server",
                field="messages",
            )
        copy = WorkingCopy.objects.filter(brief=self.brief, base=self.base).first()
        known = copy.revision if copy else 0
        if self.revision != known:
            facts: dict[str, Any] = _told(copy) if copy else {}
            if "changed_at" in facts:
                facts["changed_at"] = facts["changed_at"].isoformat()
            raise CopyChangedError("this text was changed in another tab meanwhile", **facts)
        if copy is None:
            copy = WorkingCopy(brief=self.brief, base=self.base)
        elif (copy.messages, copy.settings, copy.second_parent) == (
            self.messages,
            self.settings,
            self.second_parent,
        ):
            return copy
        else:
            _remember(copy)
        copy.revision = known + 1
        copy.messages, copy.settings = self.messages, self.settings
        copy.reason = self.reason[:300]
        copy.second_parent = self.second_parent
        copy.changed_at, copy.changed_by = self.now, self.actor
        copy.save()
        return copy


def _remember(copy: WorkingCopy) -> None:
    size = len(json.dumps([copy.messages, copy.settings]))
    CopyState.objects.create(
        copy=copy,
        revision=copy.revision,
        messages=copy.messages,
        settings=copy.settings,
        reason=copy.reason,
        size=size,
        at=copy.changed_at,
    )
    total = 0
    for count, state in enumerate(copy.states.order_by("-revision").only("size", "revision"), 1):
        total += state.size
        if count > STATES_KEPT or total > CHARACTERS_KEPT:
            copy.states.filter(revision__lte=state.revision).delete()
            return


def settle_copy(brief: Brief, base: Version | None, saved: Version, now: datetime) -> None:
    """After saving: the base shows its own text again; other tabs learn that it moved on."""
    copy = WorkingCopy.objects.filter(brief=brief, base=base).first()
    if copy is None:
        return
    _remember(copy)
    copy.revision += 1
    copy.messages = base.messages if base is not None else []
    copy.settings = base.settings if base is not None else {}
    copy.second_parent, copy.reason = None, ""
    copy.changed_at, copy.changed_by = now, f"saved as v{saved.number}"
    copy.save()
