"""Put right how a prompt is read: a fact of the brief, which its later versions are read by, too."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.prompts.tenor.facts import read_fact, read_facts
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class CorrectReading:
    """row: {part, text, value}; one about the same part and words takes the place of the former.

    forget: it is taken back, and the rules read these words again.
    """

    brief_id: int
    row: Mapping[str, Any]
    forget: bool
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Brief:
        """Raises PromptError at the field that is wrong."""
        brief = Brief.objects.get(pk=self.brief_id)
        fact = read_fact(self.row)
        rows = [r for r in brief.readings if (r["part"], r["text"]) != (fact.part, fact.text)]
        if not self.forget:
            rows.append(fact.as_plain())
        read_facts(rows)
        brief.readings = rows
        brief.save(update_fields=["readings"])
        write_ledger(
            "reading.corrected",
            brief,
            actor=self.actor,
            now=self.now,
            brief=brief,
            facts={"part": fact.part, "words": fact.text[:120], "forgotten": self.forget},
        )
        return brief
