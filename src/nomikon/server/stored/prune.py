"""Letting go of what nothing needs any more: answers that others took the place of, events, undo of old texts.

What was paid stays counted: of an answer that cost something only its texts go.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import connection, transaction
from django.db.models import Exists, OuterRef, QuerySet

from nomikon.server.apps.briefs.models import CopyState
from nomikon.server.apps.ledger.models import Event
from nomikon.server.apps.reviews.models import Mark, Preference, Ruling
from nomikon.server.apps.trials.models import Call, Output

BATCH = 500
GONE = "its texts were let go when the database was pruned"


@dataclass(frozen=True)
class Prunable:
    """How much can go. answers: superseded ones; of those that cost something only the texts go."""

    answers: int
    events: int
    states: int

    def lines(self) -> list[str]:
        """For people."""
        return [
            f"{self.answers:,} answers that were asked again since, and that nobody marked",
            f"{self.events:,} events that no open page waits for",
            f"{self.states:,} former states of texts that are not saved",
        ]


def prunable(now: datetime, days: int) -> Prunable:
    """What `prune` would let go of, older than so many days."""
    before = now - timedelta(days=days)
    return Prunable(_answers(before).count(), _events(before).count(), _states(before).count())


def prune(now: datetime, days: int) -> Prunable:
    """Let go of it, in batches, and give the room back to the disk. Nobody else may be at work."""
    before = now - timedelta(days=days)
    found = prunable(now, days)
    for some in _batches(_answers(before)):
        with transaction.atomic():
            _let_go(some)
    for old in (_events(before), _states(before)):
        for some in _batches(old):
            with transaction.atomic():
                old.model._base_manager.filter(pk__in=some).delete()
    with connection.cursor() as cursor:
        cursor.execute("VACUUM")
    return found


def _answers(before: datetime) -> QuerySet[Output]:
    """Superseded answers that nobody said anything of and none of whose calls served another."""

    def said(model: type[Mark | Preference | Ruling], field: str) -> Exists:
        return Exists(model._base_manager.filter(**{field: OuterRef("pk")}))

    served = Exists(Call.objects.filter(reused_from__output=OuterRef("pk")))
    return Output.every.filter(
        ~served,
        ~said(Mark, "output"),
        ~said(Ruling, "output"),
        ~said(Preference, "left"),
        ~said(Preference, "right"),
        superseded_by__isnull=False,
        created_at__lt=before,
    ).exclude(why=GONE)


def _events(before: datetime) -> QuerySet[Event]:
    return Event.objects.filter(at__lt=before)


def _states(before: datetime) -> QuerySet[CopyState]:
    return CopyState.objects.filter(at__lt=before)


def _batches(rows: QuerySet[Output] | QuerySet[Event] | QuerySet[CopyState]) -> Iterator[list[int]]:
    keys = list(rows.order_by("pk").values_list("pk", flat=True))
    for start in range(0, len(keys), BATCH):
        yield keys[start : start + BATCH]


def _let_go(answers: list[int]) -> None:
    paid = set(
        Call.objects.filter(output__in=answers, cost__gt=0).values_list("output_id", flat=True)
    ) | set(
        Call.objects.filter(output__in=answers, wasted_cost__gt=0).values_list(
            "output_id", flat=True
        )
    )
    Output.every.filter(pk__in=set(answers) - paid).delete()
    Output.every.filter(pk__in=paid).update(text="", reasoning="", turns=[], why=GONE)
    # Without its key it answers no later request.
    Call.objects.filter(output__in=paid).update(
        request={}, text="", reasoning="", refusal="", tool_calls=[], answer_key=""
    )
