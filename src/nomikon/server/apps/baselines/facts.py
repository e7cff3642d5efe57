"""What a baseline is, and which of its answers hold for the cases as they are now."""

from __future__ import annotations

from collections.abc import Iterable

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
            if (answer.asked, answer.talk) == (case.inputs, case.conversation):
                found[case.pk] = answer
            else:
                changed += 1
    return found, changed
