"""What a baseline is, and which of its answers hold for the cases as they are now."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

from django.db.models import Count, F, Q

from nomikon.server.apps.baselines.models import Baseline, BaselineAnswer
from nomikon.server.apps.baselines.reads import BaselineShape
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.datasets.versioning import newest_version

AT_ONCE = 500


def baseline_facts(baseline: Baseline) -> BaselineShape:
    """Its name, and how many of the cases that its dataset has now it answers."""
    newest = newest_version(baseline.dataset)
    own = BaselineAnswer.objects.filter(baseline=baseline)
    cases = newest.entries.aggregate(
        n=Count("id"), answered=Count("id", filter=Q(revision__case__in=own.values("case")))
    ) if newest else {"n": 0, "answered": 0}  # fmt: skip
    return {
        "id": baseline.pk,
        "name": baseline.name,
        "note": baseline.note,
        "archived": baseline.archived,
        "dataset": baseline.dataset_id,
        "n_cases": cases["n"],
        "n_answered": cases["answered"],
    }


def same_question(inputs: Any, conversation: Any, case: CaseRevision) -> bool:
    """Whether a case says what it said; under another name a value is the same."""
    return _values(inputs) == _values(case.inputs) and conversation == case.conversation


def _values(inputs: dict[str, Any]) -> list[str]:
    return sorted(json.dumps(value, sort_keys=True) for value in inputs.values())


def holding_answers(
    baseline: Baseline, revisions: Iterable[int]
) -> tuple[dict[int, BaselineAnswer], int]:
    """Answers by case revision, and how many answer a case whose inputs were changed since.

    What was answered to other inputs is no answer to these. A reference or a tag put right
    changes nothing that was asked.
    """
    wanted = list(revisions)
    found: dict[int, BaselineAnswer] = {}
    changed = 0
    for start in range(0, len(wanted), AT_ONCE):
        some = CaseRevision.objects.filter(pk__in=wanted[start : start + AT_ONCE])
        now = {r.case_id: r for r in some}
        answers = baseline.answers.filter(case__in=now).annotate(
            asked=F("revision__inputs"), talk=F("revision__conversation")
        )
        for answer in answers:
            case = now[answer.case_id]
            if same_question(answer.asked, answer.talk, case):
                found[case.pk] = answer
            else:
                changed += 1
    return found, changed
