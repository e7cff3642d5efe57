"""Adopt an arm: the recorded decision, with the evidence as it is now."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import DomainError
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.precedents import standing_in_short
from nomikon.server.apps.trials.board import summary_of
from nomikon.server.apps.trials.comparing import comparison_of
from nomikon.server.apps.trials.looks import held_out_looks
from nomikon.server.apps.trials.models import COMPLETE, Arm
from nomikon.server.apps.verdicts.models import Verdict
from nomikon.server.apps.verdicts.standing import reservations_about


class VerdictError(DomainError):
    """A verdict cannot be recorded like this."""

    code = "verdict_invalid"


@dataclass
class AdoptArm:
    """arm: the one adopted. against: the one it was compared with, if any."""

    arm_id: int
    against_id: int | None
    reason: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Verdict:
        arm = Arm.objects.select_related("trial__brief", "version", "model").get(pk=self.arm_id)
        reservations = reservations_about(arm)
        against = self._checked(arm, reservations)
        summary = summary_of(arm.trial)
        own = next(a for a in summary["arms"] if a["id"] == arm.pk)
        evidence = {
            "trial": arm.trial.number,
            "split": arm.trial.split,
            "dataset_version": arm.trial.dataset_version_id,
            "scorecard": arm.trial.scorecard.number,
            "n_cases": arm.trial.n_cases,
            "repeats": arm.trial.repeats,
            "arm": own,
            "comparison": None,
            "precedents": standing_in_short(arm.trial, arm.pk),
            "reservations": reservations,
            "held_out_looks": held_out_looks(arm.trial.dataset_version.dataset),
        }
        if against is not None:
            evidence["comparison"] = comparison_of(arm.trial, arm, against)["figures"]
        verdict = Verdict.objects.create(
            brief=arm.trial.brief,
            arm=arm,
            against=against,
            reason=self.reason.strip(),
            evidence=evidence,
            decided_at=self.now,
            decided_by=self.actor,
        )
        write_ledger(
            "arm.adopted",
            verdict,
            actor=self.actor,
            now=self.now,
            brief=arm.trial.brief,
            facts={
                "version": arm.asked_version.number,
                "model": arm.asked_model.name,
                "trial": arm.trial.number,
                "mean": own["mean"],
                "reason": verdict.reason[:200],
            },
        )
        return verdict

    def _checked(self, arm: Arm, reservations: list[str]) -> Arm | None:
        """The arm it is compared with; refused where no verdict can stand on this."""
        if not self.reason.strip():
            asked = f", though {' and '.join(reservations)}" if reservations else ""
            raise VerdictError(f"say why this arm is adopted{asked}", field="reason")
        if arm.trial.state != COMPLETE:
            raise VerdictError(
                f"trial {arm.trial.number} is {arm.trial.state}; a verdict needs a complete one",
                field="arm",
            )
        if arm.brought_in:
            raise VerdictError(
                f"{arm.in_words} was brought in: there is no version of it here to adopt; adopt "
                "what is held against it, or keep it by adopting nothing",
                field="arm",
            )
        if arm.without or arm.taken is not None:
            raise VerdictError(
                f"{arm.version_label} is no version of its own: save that text as one, run it, and "
                "adopt that",
                field="arm",
            )
        against = None
        if self.against_id is not None:
            against = Arm.objects.filter(pk=self.against_id, trial=arm.trial).first()
            if against is None or against.pk == arm.pk:
                raise VerdictError("compare with another arm of the same trial", field="against")
        return against
