"""Keep one case from somewhere else (a try) in a dataset, as a new dataset version."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Max

from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import SPLITS, Case, CaseRevision, Dataset
from nomikon.server.apps.datasets.versioning import Change, Place, change_listing, newest_version
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class AddCase:
    """One row of inputs with what is known of it. Older dataset versions stay as they are."""

    dataset: Dataset
    inputs: dict[str, Any]
    reference: str | None
    tags: list[str]
    split: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> CaseRevision:
        if self.split not in SPLITS:
            raise DatasetError(
                f"split is {self.split!r}; allowed are working and held-out", field="split"
            )
        inputs = {k: v for k, v in self.inputs.items() if v is not None}
        if not any(v != "" for v in inputs.values()):
            raise DatasetError("every input of this case is empty", field="inputs")
        before = newest_version(self.dataset)
        entries = list(before.entries.select_related("revision").all()) if before else []
        same = [e for e in entries if e.revision.inputs == inputs]
        if same:
            raise DatasetError(
                f"the dataset holds this very input already, as case {same[0].revision.case.number}",
                field="inputs",
            )
        case = Case.objects.create(
            dataset=self.dataset,
            number=(self.dataset.cases.aggregate(last=Max("number"))["last"] or 0) + 1,
        )
        revision = CaseRevision.objects.create(
            case=case,
            inputs=inputs,
            reference=self.reference,
            tags=[t.strip() for t in self.tags if t.strip()],
            created_at=self.now,
        )
        version = change_listing(
            self.dataset,
            Change(added=[Place(revision.pk, self.split)], columns=inputs),
            note=f"case {case.number} kept from a try",
            now=self.now,
        )
        write_ledger(
            "case.kept",
            version,
            actor=self.actor,
            now=self.now,
            brief=self.dataset.brief,
            facts={"case": case.number, "dataset": self.dataset.name, "split": self.split},
        )
        return revision
