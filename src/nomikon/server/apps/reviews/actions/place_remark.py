"""Put a remark with another one's group, or in a group of its own; the grouping remembers it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import PromptError
from nomikon.core.prompts.evidence import Remark, remark_id
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.models import RemarkPlace


@dataclass
class PlaceRemark:
    """beside: the remark it belongs with; itself for a group of its own; None to forget the move."""

    brief: Brief
    remark: Remark
    beside: Remark | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        known = remark_id(self.remark)
        RemarkPlace.objects.filter(brief=self.brief, remark=known).delete()
        to: str | None = None
        if self.beside is not None:
            other = remark_id(self.beside)
            to = "" if other == known else self.beside.text[:120]
            if self._leads_back(other, known):
                raise PromptError(
                    "that remark was put with this one: move that one first", field="beside"
                )
            RemarkPlace.objects.create(
                brief=self.brief,
                remark=known,
                beside=other,
                created_at=self.now,
                created_by=self.actor,
            )
        write_ledger(
            "remark.moved",
            self.brief,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"text": self.remark.text[:120], "to": to},
        )

    def _leads_back(self, other: str, known: str) -> bool:
        if other == known:
            return False
        moved = dict(RemarkPlace.objects.filter(brief=self.brief).values_list("remark", "beside"))
        seen: set[str] = set()
        while other in moved and other not in seen:
            seen.add(other)
            other = moved[other]
            if other == known:
                return True
        return False
