"""Keep twins: a dataset of their own, put away, with the cases they are twins of."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from django.db.models import Max

from nomikon.core.errors import PlanError
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.datasets.models import (
    WORKING,
    Case,
    CaseRevision,
    Dataset,
    DatasetVersion,
    Entry,
)
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.twins.choosing import Making, reference_now
from nomikon.server.apps.twins.models import Twin, TwinSet
from nomikon.server.rows import copy_rows, insert_rows, stored_time


@dataclass
class MakeTwins:
    """The cases keep their numbers, the twins come after them, and each bears its case as its source."""

    brief: Brief
    making: Making
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> TwinSet:
        made = self.making
        if not made.twins:
            raise PlanError(
                "no twin can be made of these cases: none of them holds a text that could be put otherwise "
                "in these ways",
                field="kinds",
            )
        dataset = Dataset.objects.create(
            brief=self.brief, name=self._name(), archived=True, created_at=self.now
        )
        version = DatasetVersion.objects.create(
            dataset=dataset,
            number=1,
            columns=made.of.columns,
            kinds=made.of.kinds,
            note=f"twins of {made.of.dataset.name}"[:300],
            created_at=self.now,
        )
        found = TwinSet.objects.create(
            brief=self.brief,
            of=made.of,
            dataset=dataset,
            kinds=made.kinds,
            each=made.each,
            seed=made.seed,
            created_at=self.now,
            created_by=self.actor,
        )
        self._fill(found, version)
        write_ledger(
            "twins.made",
            found,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={
                "dataset": made.of.dataset.name,
                "cases": len(made.entries),
                "twins": len(made.twins),
            },
        )
        return found

    def _name(self) -> str:
        n = TwinSet.objects.filter(brief=self.brief).count() + 1
        names = set(self.brief.datasets.values_list("name", flat=True))
        while (name := f"Twins {n} of {self.making.of.dataset.name}"[:120]) in names:
            n += 1
        return name

    def _fill(self, found: TwinSet, version: DatasetVersion) -> None:
        made, at = self.making, stored_time(self.now)
        rows = [e.revision for e in made.entries]
        # After every number of the dataset they come from: none is taken for another case.
        last = Case.objects.filter(dataset=made.of.dataset_id).aggregate(n=Max("number"))["n"]
        cases = insert_rows(
            Case,
            [
                {"dataset_id": found.dataset_id, "number": r.case.number, "own_id": r.case.own_id}
                for r in rows
            ]
            + [
                {"dataset_id": found.dataset_id, "number": last + 1 + i, "own_id": ""}
                for i in range(len(made.twins))
            ],
        )
        put = ("case_id", "number", "created_at", "source")
        own = {r.pk: f"case {r.case.name}" for r in rows}
        originals = copy_rows(
            CaseRevision,
            put,
            [
                (r.pk, (case, 1, at, own[r.pk]))
                for r, case in zip(rows, cases[: len(rows)], strict=True)
            ],
        )
        of = {str(r.pk): (r, copy) for r, copy in zip(rows, originals, strict=True)}
        twins = CaseRevision.objects.bulk_create(
            [
                CaseRevision(
                    case_id=case,
                    inputs=t.inputs,
                    conversation=of[t.case][0].conversation,
                    reference=reference_now(t, of[t.case][0].reference),
                    forms=of[t.case][0].forms if t.expects == "same" else [],
                    tags=["twin", t.kind],
                    source=own[of[t.case][0].pk],
                    created_at=self.now,
                )
                for t, case in zip(made.twins, cases[len(rows) :], strict=True)
            ]
        )
        Entry.objects.bulk_create(
            Entry(dataset_version=version, revision_id=pk, split=WORKING, position=i)
            for i, pk in enumerate([*originals, *(t.pk for t in twins)])
        )
        Twin.objects.bulk_create(
            Twin(
                set=found,
                revision=revision,
                original_id=of[t.case][1],
                kind=t.kind,
                expects=t.expects,
                about=t.about,
                token=t.token,
            )
            for t, revision in zip(made.twins, twins, strict=True)
        )
