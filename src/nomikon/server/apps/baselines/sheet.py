"""The cases of a dataset with what stands there as their answers, page by page."""

from __future__ import annotations

from collections.abc import Iterable

from nomikon.server.apps.baselines.facts import same_question
from nomikon.server.apps.baselines.models import Baseline, BaselineAnswer
from nomikon.server.apps.baselines.reads import BaselineRow, BaselineSheet
from nomikon.server.apps.datasets.models import Entry
from nomikon.server.apps.datasets.versioning import newest_version

ALL, OPEN, ANSWERED = "all", "open", "answered"


def sheet_of(baseline: Baseline, which: str, offset: int, limit: int) -> BaselineSheet:
    """which: all cases, those without an answer, or those with one."""
    newest = newest_version(baseline.dataset)
    entries = newest.entries.order_by("position") if newest else Entry.objects.none()
    own = BaselineAnswer.objects.filter(baseline=baseline).values("case")
    if which == OPEN:
        entries = entries.exclude(revision__case__in=own)
    elif which == ANSWERED:
        entries = entries.filter(revision__case__in=own)
    page = entries.select_related("revision__case")[offset : offset + limit]
    return {"total": entries.count(), "offset": offset, "rows": rows_of(baseline, page)}


def rows_of(baseline: Baseline, entries: Iterable[Entry]) -> list[BaselineRow]:
    """Cases with their answers."""
    shown = list(entries)
    answers = {
        a.case_id: a
        for a in baseline.answers.filter(
            case__in=[e.revision.case_id for e in shown]
        ).select_related("revision")
    }
    return [_row(e, answers.get(e.revision.case_id)) for e in shown]


def _row(entry: Entry, answer: BaselineAnswer | None) -> BaselineRow:
    case = entry.revision
    return {
        "case": case.case_id,
        "number": case.case.number,
        "split": entry.split,
        "inputs": case.inputs,
        "conversation": case.conversation,
        "text": None if answer is None else answer.text,
        "changed": answer is not None
        and not same_question(answer.revision.inputs, answer.revision.conversation, case),
        "written_by": "" if answer is None else answer.written_by,
    }
