"""References as they are written: cases one after another, what an arm answered, what others wrote."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import groupby

from django.db.models import Count, Exists, OuterRef, Q, QuerySet

from nomikon.core.trials.outcomes import ANSWERED
from nomikon.server.apps.baselines.facts import same_question
from nomikon.server.apps.datasets.copies import words_between
from nomikon.server.apps.datasets.models import CaseRevision, Dataset, Entry
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.apps.reviews.models import ReferenceDraft
from nomikon.server.apps.reviews.reads import DraftShape, ReferencePage, ReferenceRow, StartShape
from nomikon.server.apps.trials.facts import names_of
from nomikon.server.apps.trials.models import Arm, Output

OPEN, DIFFER, ALL = "open", "differ", "all"
# What a reference that two write has become.
REFERENCE, WAITS, DIFFERS = "reference", "waits", "differs"
MOST_STARTS = 60
_NONE = Q(revision__reference=None) | Q(revision__reference="")


def page_of_references(
    dataset: Dataset,
    reader: str,
    *,
    which: str,
    arm: int | None,
    two: bool,
    offset: int,
    limit: int,
) -> ReferencePage:
    """Cases in their order, narrowed to those that wait for this reader, or that have to be settled."""
    newest = newest_version(dataset)
    entries = newest.entries.order_by("position") if newest else Entry.objects.none()
    waiting, differing, same = _written_by_two(entries, reader)
    found = entries
    if which == OPEN:
        found = open_to(entries, reader, two=two)
    elif which == DIFFER:
        found = entries.filter(revision__in=differing)
    page = list(found.select_related("revision__case")[offset : offset + limit])
    return {
        "total": found.count(),
        "offset": offset,
        "rows": rows_of(page, reader, arm),
        "starts": starts_of(dataset),
        "n_open": open_to(entries, reader, two=two).count(),
        "n_waiting": waiting,
        "n_differ": len(differing),
        "n_same": same[0],
        "n_both": same[1],
    }


def open_to(entries: QuerySet[Entry], reader: str, *, two: bool) -> QuerySet[Entry]:
    """Cases without a reference; where two write each, those that this reader has not written."""
    found = entries.filter(_NONE)
    if not two:
        return found
    own = ReferenceDraft.objects.filter(revision=OuterRef("revision"), reader=reader)
    return found.exclude(Exists(own))


def alike(drafts: Sequence[ReferenceDraft]) -> bool:
    """Whether all say the same: blanks tell nothing apart, nor does which form stands first."""
    said = {frozenset(" ".join(t.split()) for t in (d.text, *d.forms)) for d in drafts}
    return len(said) == 1


def _written_by_two(
    entries: QuerySet[Entry], reader: str
) -> tuple[int, list[int], tuple[int, int]]:
    """How many of this reader's wait for another; which differ; how many of how many were alike."""
    # As a subquery: a dataset has more cases than a list of values may hold.
    drafts = ReferenceDraft.objects.filter(revision__in=entries.values("revision"))
    waiting, differing, same, both = 0, list[int](), 0, 0
    for revision, some in groupby(drafts.order_by("revision", "id"), key=lambda d: d.revision_id):
        group = list(some)
        settled = all(d.settled for d in group)
        if len(group) < 2:
            waiting += not settled and group[0].reader == reader
            continue
        both += 1
        same += alike(group)
        if not settled and not alike(group):
            differing.append(revision)
    return waiting, differing, (same, both)


def rows_of(entries: Iterable[Entry], reader: str, arm: int | None) -> list[ReferenceRow]:
    """Cases with what is known of their references."""
    shown = list(entries)
    drafts: dict[int, list[ReferenceDraft]] = {}
    for draft in ReferenceDraft.objects.filter(
        revision__in=[e.revision_id for e in shown], settled=False
    ):
        drafts.setdefault(draft.revision_id, []).append(draft)
    starts = _answers(arm, [e.revision for e in shown]) if arm is not None else {}
    return [
        _row(e, reader, drafts.get(e.revision_id, []), starts.get(e.revision_id)) for e in shown
    ]


def _row(
    entry: Entry, reader: str, drafts: Sequence[ReferenceDraft], start: str | None
) -> ReferenceRow:
    case = entry.revision
    own = next((d for d in drafts if d.reader == reader), None)
    others = [d for d in drafts if d is not own]
    # Nobody is led by what the other wrote; and who settles two others' sees both.
    shown = others if own or len(others) > 1 else []
    read = [*([own] if own else []), *shown]
    return {
        "revision": case.pk,
        "number": case.case.number,
        "split": entry.split,
        "inputs": case.inputs,
        "conversation": case.conversation,
        "reference": case.reference or None,
        "forms": case.forms,
        "start": start,
        "own": _draft(own) if own else None,
        "others": [_draft(d) for d in shown],
        "words": words_between(read[0].text, read[1].text) if len(read) > 1 else [],
    }


def _draft(draft: ReferenceDraft) -> DraftShape:
    return {"reader": draft.reader, "text": draft.text, "forms": draft.forms}


def _answers(arm: int, cases: Sequence[CaseRevision]) -> dict[int, str]:
    """What the arm answered to the very same question, by case revision; its first repeat."""
    by_case = {c.case_id: c for c in cases}
    found: dict[int, str] = {}
    outputs = Output.objects.filter(
        arm=arm, outcome=ANSWERED, revision__case__in=by_case
    ).select_related("revision")
    for output in outputs.order_by("-revision", "repeat"):
        case = by_case[output.revision.case_id]
        if case.pk not in found and same_question(
            output.revision.inputs, output.revision.conversation, case
        ):
            found[case.pk] = output.text
    return found


def starts_of(dataset: Dataset) -> list[StartShape]:
    """Arms that have answered cases of this dataset, those of the newest trial first."""
    arms = (
        Arm.objects.filter(trial__dataset_version__dataset=dataset, trial__archived=False)
        .annotate(n=Count("outputs"))
        .filter(n__gt=0)
        .select_related("trial")
        .order_by("-trial__number", "position")[:MOST_STARTS]
    )
    names: dict[int, dict[int, str]] = {}
    rows: list[StartShape] = []
    for arm in arms:
        named = names.setdefault(arm.trial_id, names_of(arm.trial_id))
        rows.append({"arm": arm.pk, "name": f"{named[arm.pk]}, trial {arm.trial.number}"})
    return rows
