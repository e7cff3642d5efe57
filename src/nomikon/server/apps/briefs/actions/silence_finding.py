"""Silence a rule of findings for a brief, with a reason; or let it speak again."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import DomainError
from nomikon.core.prompts.findings import rules
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.ledger.write import write_ledger


class SilenceError(DomainError):
    """There is no such rule, or no reason was given."""

    code = "finding_invalid"


@dataclass
class SilenceFinding:
    """reason: why it does not apply here; None lets the rule speak again."""

    brief_id: int
    rule: str
    reason: str | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Brief:
        brief = Brief.objects.get(pk=self.brief_id)
        if self.rule not in rules():
            raise SilenceError(f"there is no rule {self.rule!r}", field="rule")
        if self.reason is not None and not self.reason.strip():
            raise SilenceError("say why this does not apply to the brief", field="reason")
        silenced = {k: v for k, v in brief.silenced.items() if k != self.rule}
        if self.reason is not None:
            silenced[self.rule] = self.reason.strip()[:300]
        brief.silenced = silenced
        brief.save(update_fields=["silenced"])
        write_ledger(
            "finding.silenced" if self.reason is not None else "finding.heard",
            brief,
            actor=self.actor,
            now=self.now,
            brief=brief,
            facts={"rule": self.rule, "reason": silenced.get(self.rule, "")},
        )
        return brief
