"""Start a trial: store what was planned, for the worker to take up."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import datetime
from decimal import Decimal

from django.db import transaction
from django.db.models import Max

from nomikon.core.errors import PlanError
from nomikon.core.prompts import as_rows
from nomikon.core.rules import ESTIMATE_RULE, figures_rule
from nomikon.server.apps.datasets.versioning import changed_since
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.trials.brought import arm_of, store_answers
from nomikon.server.apps.trials.budgets import budget_nano, check_budget
from nomikon.server.apps.trials.models import Arm, Trial
from nomikon.server.apps.trials.planning import ASK, Plan


@dataclass
class StartTrial:
    """Refused while an arm of the plan cannot run at all; warnings do not stop it.

    unscored: whether it may run although none of its answers can get a score, to be read alone.
    """

    plan: Plan
    question: str
    actor: str
    now: datetime
    budget: Decimal | None = None
    unscored: bool = False

    def check(self) -> None:
        check_budget(self.budget, unpriced=self.plan.estimate.unpriced)
        errors = [p for p in self.plan.estimate.problems if p.severity == "error"]
        if errors:
            raise PlanError(f"{errors[0].arm}: {errors[0].text}", field=errors[0].field)
        asked = [p for p in self.plan.estimate.problems if p.severity == ASK]
        if asked and not self.unscored:
            raise PlanError(
                f"{asked[0].text}: say what is wanted, measure by another scorecard, or say that "
                "it shall run all the same",
                field=asked[0].field,
            )

    @transaction.atomic
    def execute(self) -> Trial:
        self.check()
        plan, figures = self.plan, self.plan.estimate
        if changed_since(plan.dataset_version):
            raise PlanError(
                "the cases were changed meanwhile: look at the plan again", field="dataset_version"
            )
        last = plan.brief.trials.aggregate(last=Max("number"))["last"] or 0
        trial = Trial.objects.create(
            brief=plan.brief,
            number=last + 1,
            question=self.question.strip()[:300],
            dataset_version=plan.dataset_version,
            split=plan.split,
            purpose=plan.purpose,
            sample=[e.revision_id for e in plan.entries] if plan.sampled else None,
            choice=None if plan.choice is None else asdict(plan.choice),
            scorecard=plan.scorecard,
            repeats=plan.repeats,
            seed=plan.seed,
            generation=plan.generation,
            continuations=plan.continuations,
            racing=plan.racing and len(plan.arms) > 1,
            user_model=plan.user_model,
            budget_nano=budget_nano(self.budget),
            n_cases=len(plan.entries),
            n_outputs=plan.n_outputs,
            created_at=self.now,
            figures_rule=figures_rule(),
            estimate={
                "calls": figures.calls,
                "tokens_in": figures.tokens_in,
                "tokens_out": figures.tokens_out,
                "cost": figures.cost,
                "rule": ESTIMATE_RULE,
                "problems": [asdict(p) for p in figures.problems],
            },
        )
        self._make_arms(trial)
        if plan.reference is not None:
            trial.reference = trial.arms.get(position=plan.reference)
            trial.save(update_fields=["reference"])
        write_ledger(
            "trial.started",
            trial,
            actor=self.actor,
            now=self.now,
            brief=plan.brief,
            facts={
                "trial": trial.number,
                "arms": len(plan.arms) + len(plan.brought),
                "cases": len(plan.entries),
                "repeats": plan.repeats,
                "outputs": plan.n_outputs,
                "split": plan.split,
                "question": trial.question,
            },
        )
        return trial

    def _make_arms(self, trial: Trial) -> None:
        """Text, settings and prices are stored with each arm: they may change where they came from."""
        Arm.objects.bulk_create(
            [
                Arm(
                    trial=trial,
                    position=i,
                    version=a.version,
                    model=a.model,
                    settings=a.settings,
                    without=list(a.without),
                    taken=None if a.taken is None else list(a.taken),
                    messages=as_rows(a.messages),
                    price_in_nano=a.model.price_in_nano,
                    price_out_nano=a.model.price_out_nano,
                    price_cached_nano=a.model.price_cached_nano,
                    price_reasoning_nano=a.model.price_reasoning_nano,
                )
                for i, a in enumerate(self.plan.arms)
            ]
        )
        for place, b in enumerate(self.plan.brought, len(self.plan.arms)):
            arm = arm_of(trial, place, b)
            arm.save()
            store_answers(arm, b.answers.items(), self.now)
