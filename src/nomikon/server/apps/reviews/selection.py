"""The answers of a trial that are asked for: by figures, by words, by tags, by marks, in an order."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping
from dataclasses import replace
from typing import Any

from django.db.models import Q, TextField
from django.db.models.functions import Cast

from nomikon.core.digits import whole_number
from nomikon.core.errors import PlanError
from nomikon.core.measures import TOTAL
from nomikon.core.results.selecting import DATASET, Wanted, select
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.reviews.models import JUDGEMENTS, Mark
from nomikon.server.apps.reviews.reads import SelectionShape
from nomikon.server.apps.trials.cases import cases_of
from nomikon.server.apps.trials.labels import labels_of
from nomikon.server.apps.trials.models import Arm, Output, Trial
from nomikon.server.apps.trials.results import results_of

MARKED, UNMARKED = "marked", "unmarked"
MARKS = (MARKED, UNMARKED, *JUDGEMENTS)


def selection_of(trial: Trial, query: Mapping[str, str]) -> SelectionShape:
    """Cases in the order asked for, and how many there are of all. Raises PlanError."""
    table = results_of(trial)
    entries = list(
        cases_of(trial).values_list("revision_id", "revision__tags", "revision__reference")
    )
    dataset = {str(revision): place for place, (revision, _, _) in enumerate(entries)}
    arms = [a for a in query.get("arms", "").split(",") if a]
    wanted = Wanted(
        arms=tuple(arms),
        repeat=_number(query, "repeat"),
        outcome=query.get("outcome", ""),
        measure=query.get("measure") or TOTAL,
        low=_score(query, "low"),
        high=_score(query, "high"),
        differ=query.get("differ") == "true",
        alike=query.get("alike") == "true",
        repeats_differ=query.get("repeats_differ") == "true",
        order=query.get("order") or DATASET,
        turned=query.get("turned") == "true",
    )
    among = Output.objects.filter(arm__trial=trial)
    if arms:
        among = among.filter(arm__in=[a for a in arms if a.isdecimal()])
    cases: set[str] | None = None
    if tag := query.get("tag"):
        cases = {str(r) for r, tags, _ in entries if tag in (tags or ())}
    if label := query.get("label"):
        of_label = {str(r) for r, _, reference in entries if (reference or "").strip() == label}
        cases = of_label if cases is None else cases & of_label
    keys: set[int] | None = None
    if mark := query.get("mark"):
        keys = _marked(trial, among, mark)
    if cell := query.get("cell"):
        confused = _in_cell(trial, cell)
        keys = confused if keys is None else keys & confused
    if words := query.get("words", "").strip():
        said, held = _with_words(trial, among, words, [r for r, _, _ in entries])
        if _asks_of_outputs(query):
            # Words of an input find the case with all its answers; those of an answer, the answer.
            found = said | set(among.filter(revision__in=held).values_list("pk", flat=True))
            keys = found if keys is None else keys & found
        else:
            # A case that nothing has answered yet is found by its input all the same.
            held |= set(among.filter(pk__in=said).values_list("revision_id", flat=True))
            named = {str(r) for r in held}
            cases = named if cases is None else cases & named
    found_all = select(table, replace(wanted, cases=cases, keys=keys), dataset)
    return {
        "revisions": [int(c) for c in found_all.cases],
        "of": len(dataset),
        "outputs": found_all.outputs,
        "differing": found_all.differing,
    }


def _asks_of_outputs(query: Mapping[str, str]) -> bool:
    asked = (
        "outcome",
        "low",
        "high",
        "differ",
        "alike",
        "repeats_differ",
        "mark",
        "repeat",
        "cell",
    )
    return any(query.get(name) for name in asked)


def _marked(trial: Trial, among: Any, mark: str) -> set[int]:
    if mark not in MARKS:
        raise PlanError(f"{mark!r} is no mark; there are {', '.join(MARKS)}", field="mark")
    marks = Mark.objects.filter(output__arm__trial=trial, current=True, taken_back=False)
    if mark in JUDGEMENTS:
        marks = marks.filter(judgement=mark)
    marked = set(marks.values_list("output_id", flat=True))
    if mark == UNMARKED:
        return set(among.values_list("pk", flat=True)) - marked
    return marked


def _in_cell(trial: Trial, told: str) -> set[int]:
    """Outputs of an arm that stand in one cell of its table of labels. Raises PlanError."""
    try:
        arm_id, field, wanted, given = json.loads(told)
        arm = trial.arms.get(pk=arm_id)
    except (ValueError, TypeError, RecursionError, Arm.DoesNotExist) as error:
        raise PlanError(
            "a cell is a list of an arm of this trial, a field, the label wanted and the one given",
            field="cell",
        ) from error
    labels = labels_of(arm, str(field) if field else None)
    for name, there, among in (("wanted", wanted, "rows"), ("given", given, "columns")):
        if there not in labels[among]:  # type: ignore[literal-required]
            raise PlanError(f"{there!r} is no label {name} here", field="cell")
    place = labels["rows"].index(wanted), labels["columns"].index(given)
    return {
        o["output"]
        for c in labels["cells"]
        if (c["row"], c["column"]) == place
        for o in c["outputs"]
    }


def _with_words(
    trial: Trial, among: Any, words: str, revisions: Collection[int]
) -> tuple[set[int], set[int]]:
    """Outputs whose answer holds the words, and cases whose input or reference does.

    Signs of patterns stand for themselves; letters outside of ASCII are matched as they are.
    """
    said = set(among.filter(text__icontains=words).values_list("pk", flat=True))
    held = CaseRevision.objects.filter(entries__dataset_version=trial.dataset_version_id)
    # Inputs are stored as JSON: a letter may stand there as itself or escaped.
    told = held.annotate(told=Cast("inputs", TextField())).filter(
        Q(told__icontains=json.dumps(words)[1:-1])
        | Q(told__icontains=json.dumps(words, ensure_ascii=False)[1:-1])
        | Q(reference__icontains=words)
    )
    return said, set(told.values_list("pk", flat=True)) & set(revisions)


def _number(query: Mapping[str, str], name: str) -> int | None:
    text = query.get(name)
    if not text:
        return None
    found = whole_number(text)
    if found is None:
        raise PlanError(f"{text!r} is no whole number", field=name)
    return found


def _score(query: Mapping[str, str], name: str) -> float | None:
    text = (query.get(name) or "").strip()
    if not text:
        return None
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not 0 <= value <= 1:
        raise PlanError(f"{text!r} is no score from 0 to 1", field=name)
    return value
