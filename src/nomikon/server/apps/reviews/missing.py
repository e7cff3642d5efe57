"""What a dataset holds beside its brief, where it is thin, and more of a kind from another dataset."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from nomikon.core.cases.alike import most_alike
from nomikon.core.cases.manner import manner_of
from nomikon.core.cases.thin import MANNER, Part, ThinRow, look_for_thin
from nomikon.core.prompts.rendering import value_as_text
from nomikon.server.apps.datasets.errors import DatasetError
from nomikon.server.apps.datasets.models import Dataset
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.apps.reviews.reads import AlikeCase, MissingShape
from nomikon.server.apps.reviews.references import starts_of
from nomikon.server.apps.trials.models import Arm, ScoreRow

MOST_ALIKE = 30
# Another dataset is looked through as far as this.
MOST_AMONG = 50_000


def missing_in(dataset: Dataset, arm: int | None) -> MissingShape:
    """Its parts with counts and an arm's mean scores, and its gaps."""
    rows = _rows(dataset, arm)
    found = look_for_thin(rows, _wanted_labels(dataset))
    return {
        "job": dataset.brief.job,
        "n": len(rows),
        "told": found.told,
        "parts": [
            {
                "kind": p.kind,
                "name": p.name,
                "working": p.working,
                "held_out": p.held_out,
                "score": p.score,
                "thin": p.thin,
            }
            for p in found.parts
        ],
        "gaps": [{"tag": g.tag, "label": g.label, "expected": g.expected} for g in found.gaps],
        "starts": starts_of(dataset),
    }


def _rows(dataset: Dataset, arm: int | None) -> list[ThinRow]:
    newest = newest_version(dataset)
    if newest is None:
        return []
    scores: dict[int, float] = {}
    asked = Arm.objects.select_related("trial").filter(pk=arm).first() if arm else None
    if asked:
        own = ScoreRow.objects.filter(
            output__arm=asked, output__superseded_by=None, scorecard=asked.trial.scorecard_id,
            replaced=False,
        )  # fmt: skip
        for revision, total in own.values_list("output__revision", "total"):
            if total is not None:
                scores.setdefault(revision, total)
    rows = newest.entries.order_by("position").values_list(
        "revision_id", "revision__inputs", "revision__reference", "split", "revision__tags"
    )
    return [
        ThinRow(inputs, reference, split, tags, scores.get(pk))
        for pk, inputs, reference, split, tags in rows
    ]


def _wanted_labels(dataset: Dataset) -> list[str]:
    """Labels that the scorecard allows an answer to be."""
    card = dataset.brief.scorecards.order_by("-id").first()
    found: dict[str, None] = {}
    for row in card.document.get("measures", []) if card else []:
        if row.get("measure") == "one-of":
            found.update(dict.fromkeys(str(v) for v in row.get("values", [])))
    return list(found)


def alike_in(dataset: Dataset, kind: str, name: str, among: Dataset) -> list[AlikeCase]:
    """Cases of another dataset of the brief that are like those of one part. Raises DatasetError."""
    rows = _rows(dataset, None)
    found = look_for_thin(rows)
    part = next((p for p in found.parts if (p.kind, p.name) == (kind, name)), None)
    if part is None or not part.members:
        raise DatasetError(
            "no case is of this kind, so nothing can be found that is like it: have some proposed",
            field="name",
        )
    return _alike(rows, part, among)


def _alike(rows: list[ThinRow], part: Part, among: Dataset) -> list[AlikeCase]:
    own = set(part.members)
    texts = [_text(r.inputs) for r in rows]
    newest = newest_version(among)
    if newest is None:
        return []
    there = list(
        newest.entries.order_by("position").values_list(
            "revision__case__number", "revision__inputs", "revision__reference"
        )[:MOST_AMONG]
    )
    if part.kind == MANNER:
        there = [t for t in there if manner_of(t[1]) == part.name]
    found = most_alike(
        [t for i, t in enumerate(texts) if i in own],
        [t for i, t in enumerate(texts) if i not in own],
        [_text(inputs) for _, inputs, _ in there],
        MOST_ALIKE,
    )
    return [
        {
            "number": there[i][0],
            "inputs": there[i][1],
            "reference": there[i][2],
            "likeness": likeness,
        }
        for i, likeness in found
    ]


def _text(inputs: Mapping[str, Any]) -> str:
    return "\n".join(value_as_text(v) for v in inputs.values() if v is not None)
