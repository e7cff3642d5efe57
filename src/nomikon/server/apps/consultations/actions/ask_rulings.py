"""Ask the judges of a trial's precedents, some at a time; each ruling is kept as it comes."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import datetime

from django.db import transaction

from nomikon.core.consulting.roles import RULING, UnreadableReplyError, read_reply
from nomikon.core.consulting.roles import Subject as NoSubject
from nomikon.core.measures.asking import JudgeRequest
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.consultations.asking import Try, put
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.actions.keep_precedent import KeepRulings
from nomikon.server.apps.reviews.models import Precedent
from nomikon.server.apps.reviews.precedents import questions_to_ask, ruling_from
from nomikon.server.apps.trials.models import Output, Trial

# Asked for in one press' step; the page asks for the next until none is left or it is stopped.
AT_A_TIME = 16
# Calls beside each other; the worker's limits hold all the same.
BESIDE = 8


@dataclass
class AskRulings:
    """A reply that cannot be read is asked for once more; then it stays open with its reason."""

    trial: Trial
    actor: str
    now: datetime

    def execute(self) -> int:
        """Returns how many were asked."""
        some = questions_to_ask(self.trial)[:AT_A_TIME]
        models = {
            m.pk: m
            for m in Model.objects.filter(pk__in={p.judge_id for p, _, _ in some}).select_related(
                "connection"
            )
        }
        with ThreadPoolExecutor(BESIDE) as pool:
            # No thread touches the database: what they need was read before.
            waiting = [
                (p, o, pool.submit(_asked, models[p.judge_id], request))
                for p, o, request in some
                if p.judge_id in models
            ]
            for precedent, output, tries in waiting:
                self._keep(precedent, output, tries.result())
        return len(waiting)

    @transaction.atomic
    def _keep(self, precedent: Precedent, output: Output, tries: list[Try]) -> None:
        last = tries[-1]
        ruling = ruling_from(precedent, output, last.reply, last.failure)
        KeepRulings([ruling], self.now).execute()
        costs = [t.cost for t in tries if t.cost is not None]
        write_ledger(
            "ruling.asked",
            output,
            actor=self.actor,
            now=self.now,
            brief=self.trial.brief,
            facts={
                "trial": self.trial.number,
                "case": output.revision.case.number,
                "model": precedent.judge.name if precedent.judge else "",
                "holds": ruling.holds,
                "again": len(tries) > 1,
            },
            cost_nano=sum(costs) if costs else None,
            simulated_nano=precedent.judge.simulated_part(sum(costs)) if precedent.judge else 0,
        )


def _asked(model: Model, request: JudgeRequest) -> list[Try]:
    role = replace(RULING, settings=request.settings)
    tries = [put(role, request.messages, model)]
    if problem := _problem(tries[0]):
        tries.append(put(role, role.retold(request.messages, tries[0].reply, problem), model))
    return tries


def _problem(tried: Try) -> str:
    if tried.failure:
        return ""
    try:
        read_reply(RULING.name, tried.reply, NoSubject())
    except UnreadableReplyError as error:
        return error.message
    return ""
