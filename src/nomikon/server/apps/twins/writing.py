"""Twins that a model wrote: which cases it is shown, and what a person took of its reply."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nomikon.core import twins as core
from nomikon.core.errors import PlanError
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.trials.choosing import CasesChoice
from nomikon.core.twins.by_model import BORDER, MOST_CASES, ShownCase
from nomikon.server.apps.datasets.models import WORKING, CaseRevision, Dataset, DatasetVersion
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.apps.trials.planning import chosen_of, entries_of
from nomikon.server.apps.twins.choosing import Making, words_between
from nomikon.server.apps.twins.reads import WrittenTwinShape


def shown_cases(dataset: Dataset, how_many: int, seed: Any) -> list[ShownCase]:
    """Working cases at random by the seed, each with the input that is put differently. Raises PlanError."""
    if not 1 <= how_many <= MOST_CASES:
        raise PlanError(
            f"how_many is {how_many}; a model is shown 1 to {MOST_CASES} cases", field="how_many"
        )
    drawn = seed if isinstance(seed, int) and not isinstance(seed, bool) and seed >= 0 else 0
    choice = CasesChoice(which="random", n=how_many, seed=drawn)
    entries = chosen_of(_newest(dataset), WORKING, choice)
    found = [
        ShownCase(e.revision.case.number, text, _wanted(e.revision))
        for e in entries
        if (text := _changed(e.revision)[1])
    ]
    if not found:
        raise PlanError("none of its working cases has an input that is a text", field="dataset")
    return found


def told_twins(
    shown: Sequence[ShownCase], rows: Sequence[Mapping[str, Any]]
) -> list[WrittenTwinShape]:
    """What a reply holds, each beside its case."""
    texts = {c.number: c.text for c in shown}
    return [
        {
            "case": r["case"],
            "kind": r["kind"],
            "what": core.what_of(r["kind"]),
            "text": r["text"],
            "answer": r["answer"],
            "words": words_between(texts.get(r["case"], ""), r["text"]),
        }
        for r in rows
    ]


def written(dataset: Dataset, rows: Sequence[Mapping[str, Any]], model: str) -> Making:
    """The twins that a person took, as a set is made of them. Raises PlanError."""
    version = _newest(dataset)
    entries = {e.revision.case.number: e for e in entries_of(version, WORKING)}
    made: list[core.Twin] = []
    for place, row in enumerate(rows):
        entry = entries.get(row["case"])
        if entry is None:
            raise PlanError(
                f"there is no working case {row['case']} any more", field=f"twins.{place}.case"
            )
        name, before = _changed(entry.revision)
        if not name or before == row["text"]:
            raise PlanError(
                f"this twin of case {row['case']} says what the case says",
                field=f"twins.{place}.text",
            )
        border = row["kind"] == BORDER
        about: dict[str, Any] = {"input": name, "by": model}
        if border and row["answer"]:
            about["answer"] = row["answer"]
        made.append(
            core.Twin(
                str(entry.revision_id),
                row["kind"],
                {**entry.revision.inputs, name: row["text"]},
                core.CHANGED_ANSWER if border else core.SAME_ANSWER,
                about,
            )
        )
    wanted = {t.case for t in made}
    return Making(
        version,
        [e for e in entries.values() if str(e.revision_id) in wanted],
        made,
        [],
        list(dict.fromkeys(t.kind for t in made)),
        1,
        0,
    )


def _newest(dataset: Dataset) -> DatasetVersion:
    version = newest_version(dataset)
    if version is None or version.number == 0:
        raise PlanError("this dataset has no cases yet", field="dataset")
    return version


def _changed(revision: CaseRevision) -> tuple[str, str]:
    """The input that is put differently, the longest text, with its name; ("", "") without one."""
    texts = [(n, v) for n, v in revision.inputs.items() if isinstance(v, str) and v.strip()]
    return max(texts, key=lambda x: len(x[1]), default=("", ""))


def _wanted(revision: CaseRevision) -> str | None:
    return None if revision.reference in (None, "") else value_as_text(revision.reference)
