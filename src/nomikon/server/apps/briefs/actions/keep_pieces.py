"""Keep words of an answer for later; put the kept pieces in order, or take some out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Max

from nomikon.core.errors import PromptError
from nomikon.server.apps.briefs.models import Brief, Piece
from nomikon.server.apps.ledger.write import write_ledger

MOST_PIECES = 500


@dataclass
class KeepPiece:
    """source: whence the words are, as far as it is known."""

    brief: Brief
    text: str
    source: dict[str, Any]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Piece:
        Brief.objects.select_for_update().get(pk=self.brief.pk)
        there = self.brief.pieces.filter(taken_out=False)
        if there.count() >= MOST_PIECES:
            raise PromptError(
                f"the collection holds {MOST_PIECES} pieces: take some out before more come in",
                field="text",
            )
        last = self.brief.pieces.aggregate(last=Max("position"))["last"] or 0
        made = Piece.objects.create(
            brief=self.brief,
            text=self.text,
            source=self.source,
            position=last + 1,
            created_at=self.now,
            created_by=self.actor,
        )
        write_ledger(
            "piece.kept",
            made,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"words": self.text[:120], **self.source},
        )
        return made


@dataclass
class ArrangePieces:
    """order: the pieces that stay, in their order; the others are taken out. An id that was taken out
    comes back: so a press too many is undone."""

    brief: Brief
    order: Sequence[int]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        found = {p.pk: p for p in self.brief.pieces.select_for_update()}
        if gone := [pk for pk in self.order if pk not in found]:
            raise PromptError(f"there is no piece {gone[0]} in this collection", field="order")
        places = {pk: i for i, pk in enumerate(dict.fromkeys(self.order), 1)}
        out = [p for p in found.values() if p.pk not in places and not p.taken_out]
        for piece in found.values():
            piece.taken_out = piece.pk not in places
            piece.position = places.get(piece.pk, piece.position)
        Piece.objects.bulk_update(found.values(), ["taken_out", "position"])
        for piece in out:
            write_ledger(
                "piece.taken_out",
                piece,
                actor=self.actor,
                now=self.now,
                brief=self.brief,
                facts={"words": piece.text[:120]},
            )
