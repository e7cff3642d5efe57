"""What marks, measures and judges say against a version in a trial, gathered into faults."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from django.utils import timezone

from nomikon.core.errors import PlanError, PromptError
from nomikon.core.prompts import check_messages
from nomikon.core.prompts.evidence import (
    BETTER,
    FAULT,
    FOLLOWS,
    MARK,
    MEASURE,
    SPAN,
    TRIED,
    TWIN,
    Fault,
    Remark,
    gather_faults,
)
from nomikon.core.prompts.tenor import read_tenor
from nomikon.core.trials import ANSWERED
from nomikon.core.twins import what_of
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.datasets.models import HELD_OUT
from nomikon.server.apps.reviews.models import GOOD, Mark
from nomikon.server.apps.reviews.placing import moved_in, vectors_of
from nomikon.server.apps.trials.models import TWINS, Output, ScoreRow, Trial
from nomikon.server.apps.trials.reworking import bring_figures_up
from nomikon.server.apps.twins.models import TwinSet
from nomikon.server.apps.twins.pairing import judged

# A measure speaks against an answer that it gives less than this.
LOW = 0.5


def faults_of(trial: Trial, version: Version, model: int | None = None) -> list[Fault]:
    """Faults of one version's answers in one trial, from people first, then from measures.

    model: id, for the faults in this model's own answers only.

    Raises PlanError for a trial on held-out cases: what is tuned on them is no check.
    """
    if trial.split == HELD_OUT:
        raise PlanError(
            f"trial {trial.number} ran on held-out cases; faults are gathered from working cases only"
        )
    bring_figures_up(trial, timezone.now())
    arms = trial.arms.filter(version=version, without=[])
    if model is not None:
        arms = arms.filter(model=model)
    chosen = list(arms.values_list("id", flat=True))
    tenor = read_tenor(check_messages(version.messages), version.settings)
    remarks = [
        *_from_people(chosen),
        *_from_tries(version, model),
        # What a measure says of twins it says of their cases, too; how they hold is what was asked.
        *(_from_twins(trial, chosen) if trial.purpose == TWINS else _from_measures(trial, chosen)),
    ]
    return gather_faults(
        remarks, tenor, moved_in(version.brief), vectors_of(version.brief, remarks)
    )


def said_of(trial: Trial, version: Version) -> list[Remark]:
    """What people said in free words of a version's answers in a trial."""
    chosen = list(trial.arms.filter(version=version, without=[]).values_list("id", flat=True))
    people = [*_from_people(chosen), *_from_tries(version, None)]
    return [r for r in people if r.source != FAULT]


def fault_kinds(brief: Brief) -> list[tuple[str, int]]:
    """The kinds of fault that were named in a brief, with how often."""
    counts: Counter[str] = Counter()
    for faults in Mark.objects.filter(output__arm__trial__brief=brief, current=True).values_list(
        "faults", flat=True
    ):
        counts.update(faults)
    return counts.most_common()


def _from_people(arms: list[int]) -> list[Remark]:
    found: list[Remark] = []
    for mark in (
        Mark.objects.filter(output__arm__in=arms, current=True)
        .select_related("output__revision__case")
        .order_by("id")
    ):
        about = (mark.output_id, mark.output.revision.case.number)
        for name in mark.faults:
            found.append(Remark(FAULT, mark.comment or name, *about, label=name))
        found += [Remark(SPAN, s["comment"], *about, quote=s["quote"]) for s in mark.spans]
        if mark.comment and mark.judgement != GOOD:
            found.append(Remark(MARK, mark.comment, *about))
        if mark.better:
            found.append(Remark(BETTER, mark.better, *about, quote=mark.output.text[:400]))
    return found


def _from_tries(version: Version, model: int | None) -> list[Remark]:
    """What was said of answers while this very text was tried, saved or not."""
    text = _plain(version.messages)
    found: list[Remark] = []
    for tried in version.brief.tries.order_by("number"):
        is_own = _plain(tried.messages) == text
        for answer in tried.answers:
            mine = answer["of"] == version.number or (is_own and answer["of"] is None)
            said = answer["comment"] and answer["judgement"] != GOOD
            if not mine or not said or (model is not None and answer["model"] != model):
                continue
            row = answer.get("row")
            case = tried.case if row is None else tried.rows[row]["case"]
            quote = ((answer["result"] or {}).get("text") or "")[:200]
            found.append(Remark(TRIED, answer["comment"], 0, case or -tried.number, quote=quote))
    return found


def _plain(messages: Sequence[dict[str, Any]]) -> list[tuple[str, str]]:
    return [(m["role"], m["content"]) for m in messages]


def _from_measures(trial: Trial, arms: list[int]) -> list[Remark]:
    """Low scores with their why, and answers that are none; a judge's reasons are its why."""
    found: list[Remark] = []
    outputs = Output.objects.filter(arm__in=arms)
    for pk, case, kind, why in (
        outputs.exclude(outcome=ANSWERED)
        .filter(failure="")
        .values_list("id", "revision__case__number", "outcome", "why")
        .order_by("id")
    ):
        found.append(Remark(MEASURE, why or kind, pk, case, label=kind))
    for pk, case, reference, text, packed in (
        ScoreRow.objects.filter(
            output__arm__in=arms,
            scorecard=trial.scorecard,
            output__outcome=ANSWERED,
        )
        .values_list(
            "output_id",
            "output__revision__case__number",
            "output__revision__reference",
            "output__text",
            "packed",
        )
        .order_by("output_id")
    ):
        for name, (value, why, *_) in packed.items():
            if value is not None and value < LOW:
                about = {"quote": text[:200], "wanted": (reference or "")[:300]}
                found.append(Remark(MEASURE, why, pk, case, label=name, **about))
    return found


def _from_twins(trial: Trial, arms: list[int]) -> list[Remark]:
    """Twins of cases that do not behave, kind by kind; orders that were followed are one fault."""
    found: list[Remark] = []
    twin_set = TwinSet.objects.get(dataset=trial.dataset_version.dataset_id)
    numbers = dict(twin_set.twins.values_list("pk", "revision__case__number"))
    pairs = [p for p in judged(twin_set, trial).pairs if p.arm in arms and p.holds is not None]
    for p in pairs:
        if p.holds == 1 or p.after is None:
            continue
        what = what_of(p.kind)
        label = FOLLOWS if p.pair.obeyed else f"does not hold: {what}"
        found.append(Remark(TWIN, p.pair.why or what, p.after, numbers[p.twin], label=label))
    return found


def chosen_faults(
    version: Version, trial: Trial, ticked: Sequence[str], model: int | None = None
) -> list[Fault]:
    """The faults that were ticked. Raises PromptError where one is not there any more."""
    found = {f.key: f for f in faults_of(trial, version, model)}
    if any(key not in found for key in ticked):
        raise PromptError(
            "a ticked fault is not there any more: what was said of it has been changed. Look at "
            "the faults again",
            field="faults",
        )
    return [found[key] for key in ticked]
