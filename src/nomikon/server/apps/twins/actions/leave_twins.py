"""Leave twins that expect what they should not, or take them again."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import PlanError
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.twins.models import TwinSet


@dataclass
class LeaveTwins:
    """twins: ids of the set's. left: False to take them again. What is left counts for nothing, also in
    what was run already."""

    set: TwinSet
    twins: Sequence[int]
    left: bool
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> int:
        rows = self.set.twins.filter(pk__in=self.twins).exclude(left=self.left)
        if self.set.twins.filter(pk__in=self.twins).count() < len(set(self.twins)):
            raise PlanError("some of these twins are not of this set", field="twins")
        changed = rows.update(left=self.left)
        if changed:
            write_ledger(
                "twins.left" if self.left else "twins.taken",
                self.set,
                actor=self.actor,
                now=self.now,
                brief=self.set.brief,
                facts={"twins": changed, "dataset": self.set.of.dataset.name},
            )
        return changed
