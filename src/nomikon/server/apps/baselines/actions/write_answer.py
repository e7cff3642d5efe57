"""Put one answer down, typed or pasted beside its case."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.server.apps.baselines.errors import BaselineError
from nomikon.server.apps.baselines.models import Baseline, BaselineAnswer
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.seen import check_seen


@dataclass
class WriteAnswer:
    """case: its id. text: blank takes the answer away. seen: what stood there, None if not looked at."""

    baseline: Baseline
    case: int
    text: str
    seen: str | None
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> BaselineAnswer | None:
        newest = newest_version(self.baseline.dataset)
        entry = newest and newest.entries.filter(revision__case=self.case).first()
        if not entry:
            raise BaselineError("this case is not in the dataset any more", field="case")
        former = self.baseline.answers.filter(case=self.case).first()
        before = former.text if former else ""
        if self.seen is not None:
            check_seen({"text": self.seen}, {"text": before})
        if self.text == before:
            return former
        own = BaselineAnswer.objects
        if not self.text.strip():
            own.filter(baseline=self.baseline, case=self.case).delete()
            made = None
        else:
            made, _ = own.update_or_create(
                baseline=self.baseline,
                case_id=self.case,
                defaults={
                    "revision_id": entry.revision_id,
                    "text": self.text,
                    # What was told with another text does not hold for this one.
                    "tokens_in": None,
                    "tokens_out": None,
                    "cost_nano": None,
                    "latency_ms": None,
                    "written_by": self.actor,
                    "written_at": self.now,
                },
            )
        write_ledger(
            "baseline.answered",
            self.baseline,
            actor=self.actor,
            now=self.now,
            brief=self.baseline.dataset.brief,
            facts={
                "name": self.baseline.name,
                "case": entry.revision.case.number,
                "before": before[:2000],
                "after": self.text[:2000],
            },
        )
        return made
