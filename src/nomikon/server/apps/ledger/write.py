"""Writing what happened: ledger lines for people, events for live pages."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from django.db.models import F, Max

from nomikon.server.apps.ledger.about import about
from nomikon.server.apps.ledger.models import Event, Line, SpentDay

# It tells what a trial's calls cost together; each was counted when it was stored.
TOLD_BEFORE = "trial.ended"

# Pages further behind than this get a snapshot instead of what they missed.
EVENTS_KEPT = 20_000


def write_ledger(
    what: str,
    subject: Any,
    *,
    actor: str,
    now: datetime,
    brief: Any = None,
    facts: dict[str, Any] | None = None,
    cost_nano: int | None = None,
    simulated_nano: int = 0,
) -> Line:
    """Add a ledger line, and tell live pages that the ledger grew.

    cost_nano: all that it cost; simulated_nano: the part of it on simulated models. Call inside the
    transaction of what it tells of.
    """
    line = Line.objects.create(
        at=now,
        actor=actor,
        what=what,
        brief=brief,
        subject=subject._meta.model_name,
        subject_id=subject.pk,
        facts=facts or {},
        about=about(subject, facts or {}),
        cost_nano=cost_nano,
        simulated_nano=simulated_nano,
    )
    if cost_nano and what != TOLD_BEFORE:
        note_spent(cost_nano, simulated_nano, now)
    emit(f"brief:{brief.pk}" if brief else "desk", what, {"line": line.pk}, now=now)
    return line


def note_spent(nano: int, simulated: int, now: datetime) -> None:
    """Add to the day's running total. Call inside the transaction that stores what was paid for.

    nano: all of it; simulated: the part of it that nobody pays.
    """
    if nano <= 0:
        return
    day = now.astimezone(UTC).date()
    grown = {"nano": F("nano") + nano, "simulated_nano": F("simulated_nano") + simulated}
    if not SpentDay.objects.filter(day=day).update(**grown):
        SpentDay.objects.create(day=day, nano=nano, simulated_nano=simulated)


def emit(topic: str, kind: str, payload: dict[str, Any], *, now: datetime) -> None:
    """Add an event for live pages."""
    Event.objects.create(topic=topic, kind=kind, payload=payload, at=now)


def prune_events() -> int:
    """Drop events that no page will ask for any more; returns how many."""
    newest = Event.objects.aggregate(newest=Max("id"))["newest"] or 0
    dropped, _ = Event.objects.filter(id__lte=newest - EVENTS_KEPT).delete()
    return dropped
