"""What a person decides an answer is: kept by its text, so that it holds for identical answers."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from typing import Any

from django.db.models import F

from nomikon.core.trials import ANSWERED, Outcome
from nomikon.server.apps.trials.models import OutcomeRuling, Output, ScoreRow, Trial

BATCH = 500


def digest_of(text: str) -> str:
    """What tells one answer's text from another's; blanks at the ends do not count."""
    return hashlib.sha256(text.strip().encode("utf-8", "surrogatepass")).hexdigest()


def rulings_of(brief_id: int) -> dict[str, OutcomeRuling]:
    """A brief's rulings by the digest of the text they were made on."""
    return {r.digest: r for r in OutcomeRuling.objects.filter(brief_id=brief_id)}


def as_ruled(outcome: Outcome, text: str, rulings: Mapping[str, OutcomeRuling]) -> Outcome:
    """An outcome as a person has decided on this text; as it was told where nobody has."""
    ruling = rulings.get(digest_of(text)) if rulings else None
    if ruling is None:
        return outcome
    return Outcome(ruling.outcome, why_ruled(ruling))


def why_ruled(ruling: OutcomeRuling) -> str:
    """By what such an outcome is told."""
    return f"{ruling.decided_by} decided that it is {ruling.outcome}"


def settle_as_ruled(trial: Trial, outputs: Sequence[int]) -> int:
    """Bring outputs to what was decided on their texts; returns how many.

    Inside a transaction of the caller's. Their scores wait: `bring_figures_up` brings them once it
    is over, or whoever looks at the trial next.
    """
    rulings = rulings_of(trial.brief_id)
    if not rulings:
        return 0
    changed = []
    for output in Output.objects.filter(pk__in=outputs, failure=""):
        told = as_ruled(Outcome(output.outcome, output.why, output.suspected), output.text, rulings)
        if (told.kind, told.suspected) != (output.outcome, output.suspected):
            changed.append((output, told.kind != output.outcome))
            output.outcome, output.suspected, output.why = told.kind, "", told.why
    Output.objects.bulk_update([o for o, _ in changed], ["outcome", "suspected", "why"], BATCH)
    # An answer that stays one keeps its score.
    rescored = [o.pk for o, other in changed if other]
    if rescored:
        ScoreRow.objects.filter(output__in=rescored).update(rule=0)
        Trial.objects.filter(pk=trial.pk).update(
            scores_changed=F("scores_changed") + 1, figures_rule=""
        )
    return len(changed)


# So many are listed to be settled one by one.
LISTED = 200


def doubtful_of(trial: Trial, means: Mapping[int, tuple[float | None, int]]) -> dict[str, Any]:
    """Answers that only look like none, and whether deciding on them could turn the verdict.

    means: by arm the mean total and over how many outputs it is. It could be turned where the arm
    that leads would not, were its doubtful answers none (and those of the others answers).
    """
    found = list(
        Output.objects.filter(arm__trial=trial, outcome=ANSWERED)
        .exclude(suspected="")
        .select_related("revision__case")
        .order_by("id")
    )
    totals = dict(
        ScoreRow.objects.filter(output__in=found[:BATCH], scorecard=trial.scorecard_id).values_list(
            "output_id", "total"
        )
    )
    lost: dict[int, float] = {}
    for output in found[:BATCH]:
        lost[output.arm_id] = lost.get(output.arm_id, 0.0) + (totals.get(output.pk) or 0.0)
    known = {arm: (mean, n) for arm, (mean, n) in means.items() if mean is not None and n}
    turns = False
    if known and lost:
        leader = max(known, key=lambda arm: known[arm][0])
        mean, n = known[leader]
        worst = mean - lost.get(leader, 0.0) / n
        turns = any(other > worst for arm, (other, _) in known.items() if arm != leader)
    return {
        "count": len(found),
        "turns": turns,
        "outputs": [
            {
                "id": o.pk,
                "arm": o.arm_id,
                "case": o.revision.case.number,
                "suspected": o.suspected,
                "why": o.why,
            }
            for o in found[:LISTED]
        ],
    }
