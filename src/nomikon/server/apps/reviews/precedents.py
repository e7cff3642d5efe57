"""Precedents of a trial: which arm holds which, and what a judge has still to be asked."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from nomikon.core.measures import Answer
from nomikon.core.measures.asking import JudgeRequest
from nomikon.core.measures.base import JudgeReply
from nomikon.core.measures.precedents import (
    QUESTION,
    holds,
    question_request,
    read_ruling,
)
from nomikon.core.trials import ANSWERED, FAILED, cost_nano
from nomikon.core.trials.estimates import estimate_messages
from nomikon.server.apps.reviews.models import Precedent, Ruling
from nomikon.server.apps.reviews.reads import PrecedentShape
from nomikon.server.apps.trials.facts import arm_facts, names_of
from nomikon.server.apps.trials.models import Output, Trial

HELD, BROKEN, OPEN = "held", "broken", "open"


def precedents_on(trial: Trial) -> list[Precedent]:
    """The standing precedents on cases of a trial's dataset."""
    return list(
        Precedent.objects.filter(
            brief=trial.brief_id, case__dataset=trial.dataset_version.dataset_id, retired=False
        ).select_related("case", "judge")
    )


def _outputs(trial: Trial, precedents: Sequence[Precedent]) -> dict[int, list[Output]]:
    """Answers to the cases that precedents are on, by case."""
    found: dict[int, list[Output]] = defaultdict(list)
    outputs = (
        Output.objects.filter(arm__trial=trial, revision__case__in={p.case_id for p in precedents})
        .exclude(outcome=FAILED)
        .select_related("revision")
        .order_by("id")
    )
    for output in outputs:
        found[output.revision.case_id].append(output)
    return found


def _rulings(precedents: Sequence[Precedent], trial: Trial) -> dict[tuple[int, int], Ruling]:
    rows = Ruling.objects.filter(precedent__in=precedents, output__arm__trial=trial)
    return {(r.precedent_id, r.output_id): r for r in rows}


def _state(
    precedent: Precedent, output: Output, rulings: dict[tuple[int, int], Ruling]
) -> tuple[str, str]:
    if output.outcome != ANSWERED:
        return BROKEN, f"it is no answer ({output.outcome})"
    if precedent.kind != QUESTION:
        found, why = holds(precedent.kind, precedent.text, output.text)
        return HELD if found else BROKEN, why
    ruling = rulings.get((precedent.pk, output.pk))
    if ruling is None or ruling.holds is None:
        return OPEN, ruling.why if ruling else "the judge has not been asked"
    return HELD if ruling.holds else BROKEN, ruling.why


def board_of(trial: Trial) -> dict[str, Any]:
    """For each arm how many precedents it holds, and where it breaks one.

    With repeats, one answer that breaks a precedent breaks it for the arm; a
    failed call says nothing.
    """
    precedents = precedents_on(trial)
    outputs = _outputs(trial, precedents)
    rulings = _rulings(precedents, trial)
    arms = list(trial.arms.select_related("version", "model__connection"))
    told: dict[int, dict[str, Any]] = {
        a.pk: {HELD: 0, BROKEN: 0, OPEN: 0, "rows": []} for a in arms
    }
    for precedent in precedents:
        states: dict[int, list[tuple[str, str, int]]] = defaultdict(list)
        for output in outputs[precedent.case_id]:
            state, why = _state(precedent, output, rulings)
            states[output.arm_id].append((state, why, output.pk))
        for arm_id, each in states.items():
            kinds = {s for s, _, _ in each}
            worst = next(s for s in (BROKEN, OPEN, HELD) if s in kinds)
            row = told[arm_id]
            row[worst] += 1
            if worst == BROKEN:
                _, why, output_id = next(e for e in each if e[0] == BROKEN)
                row["rows"].append({**precedent_row(precedent), "output": output_id, "why": why})
    waiting = _to_ask(precedents, outputs, rulings)
    names, about = names_of(trial.pk), _cost_about(waiting)
    return {
        "n": len(precedents),
        "to_ask": len(waiting),
        "cost_about": about[0],
        "simulated_about": about[1],
        "arms": [{"arm": arm_facts(a, names), **told[a.pk]} for a in arms],
    }


def standing_in_short(trial: Trial, arm_id: int) -> dict[str, Any]:
    """How one arm stands to the precedents, as a verdict records it."""
    row = next(a for a in board_of(trial)["arms"] if a["arm"]["id"] == arm_id)
    broken = [{"case": r["case"], "kind": r["kind"], "text": r["text"]} for r in row["rows"]]
    return {HELD: row[HELD], BROKEN: row[BROKEN], OPEN: row[OPEN], "rows": broken}


def precedent_row(precedent: Precedent) -> PrecedentShape:
    """A precedent as it is shown."""
    return {
        "id": precedent.pk,
        "case": precedent.case.number,
        "kind": precedent.kind,
        "text": precedent.text,
        "judge": precedent.judge.name if precedent.judge else "",
        "created_by": precedent.created_by,
        "created_at": precedent.created_at,
        "retired": precedent.retired,
    }


def _to_ask(
    precedents: Sequence[Precedent],
    outputs: dict[int, list[Output]],
    rulings: dict[tuple[int, int], Ruling],
) -> list[tuple[Precedent, Output]]:
    return [
        (p, o)
        for p in precedents
        if p.kind == QUESTION
        for o in outputs[p.case_id]
        if o.outcome == ANSWERED
        and ((p.pk, o.pk) not in rulings or rulings[p.pk, o.pk].holds is None)
    ]


# Questions whose price is worked out; the others are taken to cost as much on average.
PRICED = 50


def _cost_about(waiting: Sequence[tuple[Precedent, Output]]) -> tuple[int | None, int]:
    """What the open questions will cost, in billionths, and the part of it that nobody pays.

    None where a judge has no price.
    """
    costs, simulated = [], 0
    for precedent, output in waiting[:PRICED]:
        judge = precedent.judge
        if judge is None:
            continue
        request = question_request(judge.name, precedent.text, _answer(output))
        tokens = estimate_messages([m.content for m in request.messages])
        cost = cost_nano(tokens, REPLY_TOKENS, judge.price_in_nano, judge.price_out_nano)
        costs.append(cost)
        simulated += judge.simulated_part(cost)
    known = [c for c in costs if c is not None]
    if not known or len(known) < len(costs):
        return None, 0
    times = len(waiting) / len(known)
    return round(sum(known) * times), round(simulated * times)


# A level and one sentence.
REPLY_TOKENS = 60


def questions_to_ask(trial: Trial) -> list[tuple[Precedent, Output, JudgeRequest]]:
    """What judges are still to be asked; those whose reply could not be read before come last."""
    precedents = precedents_on(trial)
    rulings = _rulings(precedents, trial)
    waiting = _to_ask(precedents, _outputs(trial, precedents), rulings)
    waiting.sort(key=lambda pair: (pair[0].pk, pair[1].pk) in rulings)
    return [
        (p, o, question_request(p.judge.name, p.text, _answer(o))) for p, o in waiting if p.judge
    ]


def ruling_from(precedent: Precedent, output: Output, text: str, failure: str) -> Ruling:
    """What a judge's reply says, not stored yet."""
    model = precedent.judge.name if precedent.judge else ""
    reply = JudgeReply(text, None, failure)
    found, why = read_ruling(model, precedent.text, reply)
    return Ruling(precedent=precedent, output=output, holds=found, why=why[:1000])


def _answer(output: Output) -> Answer:
    return Answer(output.text, output.revision.reference, output.revision.inputs)
