"""How a model reads a prompt: two passes over the same text, kept, and what both of them say."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from nomikon.core.errors import DomainError
from nomikon.core.prompts import as_rows, check_messages
from nomikon.core.prompts.tenor.by_model import Entry, agreed, read_model_reading
from nomikon.server.apps.briefs.instructions import instruction_for
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.consultations.actions.consult import CloseConsultation, Consult
from nomikon.server.apps.consultations.asking import price_at_most, request_of
from nomikon.server.apps.consultations.models import TAKEN, Consultation
from nomikon.server.apps.consultations.reads import ModelEntryShape, ModelReadingShape
from nomikon.server.apps.consultations.subjects import prepare
from nomikon.server.typed import copied

ROLE, PASSES = "reading", 2


def model_reading(
    brief: Brief, rows: Sequence[Mapping[str, Any]], model: Model | None
) -> ModelReadingShape:
    """What is kept of this very text, and what the passes that are wanting would cost at most."""
    about = _about(brief, rows)
    read, unread, asked = _kept(brief, about)
    newest = Consultation.objects.filter(brief=brief, role=ROLE).order_by("-id").first()
    failed = newest is not None and not newest.text and newest.about == about and newest.tries
    prepared = prepare(ROLE, about)
    price = None
    if model is not None:
        request = request_of(prepared, instruction_for(ROLE))
        once = price_at_most(prepared.role, request, model, again=False)
        price = None if once is None else once * max(0, PASSES - len(read))
    both = agreed(read[1], read[0]) if len(read) >= PASSES else []
    both.sort(key=lambda e: (e.message, e.start))
    alone = sum(len(r) for r in read) - PASSES * len(both) if len(read) >= PASSES else 0
    return {
        "passes": len(read),
        "wanted": PASSES,
        "unread": unread,
        "model": asked.name if asked else "",
        "simulated": bool(asked and asked.is_simulated),
        "cost_at_most": price,
        "entries": [copied(ModelEntryShape, e.__dict__) for e in both],
        "alone": alone,
        "failure": newest.tries[-1]["failure"] if newest and failed else "",
    }


def ask_for_reading(
    brief: Brief, rows: Sequence[Mapping[str, Any]], model: Model, actor: str, now: datetime
) -> None:
    """The passes that are wanting; each is kept when it comes. Raises DomainError."""
    about = _about(brief, rows)
    for _ in range(PASSES - len(_kept(brief, about)[0])):
        row = Consult(ROLE, about, model, instruction_for(ROLE), False, actor, now).execute()
        # It waits for nobody: what it says is shown with its words, and a person confirms it there.
        CloseConsultation(row, TAKEN).execute()
        if not row.text:
            return


def _about(brief: Brief, rows: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    return {"brief": brief.pk, "messages": as_rows(check_messages(rows))}


def _kept(brief: Brief, about: Mapping[str, Any]) -> tuple[list[list[Entry]], int, Model | None]:
    """The passes over this very text that can be read, the newest first; how many cannot; who was asked."""
    rows = Consultation.objects.filter(brief=brief, role=ROLE).exclude(text="")
    same = [c for c in rows.select_related("model").order_by("-id")[:200] if c.about == about]
    read = [entries for c in same if (entries := _entries(c)) is not None]
    return read[:PASSES], len(same) - len(read), same[0].model if same else None


def _entries(row: Consultation) -> list[Entry] | None:
    try:
        return read_model_reading(row.text, check_messages(row.about["messages"])).entries
    except DomainError:
        # It stays as it came; that it cannot be read is told by the count of those that can.
        return None
