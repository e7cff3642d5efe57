"""Split all cases into working and held-out at random, as a new dataset version."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.cases.near import near_duplicates
from nomikon.core.cases.split import held_out
from nomikon.server.apps.datasets.errors import CasesChangedError, DatasetError
from nomikon.server.apps.datasets.models import HELD_OUT, WORKING, Dataset, DatasetVersion, Entry
from nomikon.server.apps.datasets.sources import of_one_source
from nomikon.server.apps.datasets.versioning import (
    Change,
    Listed,
    change_listing,
    changed_since,
    newest_version,
)
from nomikon.server.apps.ledger.write import write_ledger

BY = ("reference", "tags", "nothing")
# A reference that comes less often than this is a stratum with the other rare ones.
RARE = 3


@dataclass
class SplitCases:
    """by: what the strata are. Older versions, and the trials on them, stay as they are."""

    dataset: Dataset
    share: float
    seed: int
    by: str
    actor: str
    now: datetime

    def execute(self) -> DatasetVersion:
        """Deal first, then write: comparing many cases must not hold up other writes."""
        before = newest_version(self.dataset)
        entries = list(before.entries.select_related("revision")) if before else []
        if self.by not in BY:
            raise DatasetError(f"by is {self.by!r}; allowed are {', '.join(BY)}", field="by")
        if before is None or len(entries) < 2:
            raise DatasetError("two cases at least are needed to hold one out", field="share")
        texts = ["\n".join(map(str, e.revision.inputs.values())) for e in entries]
        # Near-copies, and cases of one source, would tell the held-out part what was tuned on.
        together = [*near_duplicates(texts), *of_one_source(entries)]
        chosen = held_out(self._strata(entries), self.share, self.seed, together)
        dealt = [
            (e.revision_id, HELD_OUT if place in chosen else WORKING)
            for place, e in enumerate(entries)
        ]
        return self._store(before, dealt)

    @transaction.atomic
    def _store(self, before: DatasetVersion, dealt: list[Listed]) -> DatasetVersion:
        newest = newest_version(self.dataset)
        if newest is None or newest.pk != before.pk or changed_since(before):
            raise CasesChangedError("the cases were changed meanwhile: deal them again")
        n_held_out = sum(split == HELD_OUT for _, split in dealt)
        version = change_listing(
            self.dataset,
            Change(swapped={revision: (revision, split) for revision, split in dealt}),
            note=f"{n_held_out} held out at random, seed {self.seed}",
            now=self.now,
        )
        write_ledger(
            "cases.split",
            version,
            actor=self.actor,
            now=self.now,
            brief=self.dataset.brief,
            facts={"held_out": n_held_out, "of": len(dealt), "seed": self.seed, "by": self.by},
        )
        return version

    def _strata(self, entries: list[Entry]) -> list[str]:
        if self.by == "nothing":
            return [""] * len(entries)
        if self.by == "tags":
            names = ["; ".join(sorted(e.revision.tags)) for e in entries]
        else:
            names = [(e.revision.reference or "").strip() for e in entries]
        counts = Counter(names)
        return [n if counts[n] >= RARE else "(rare)" for n in names]
