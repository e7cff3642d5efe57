"""What a trial would hold with more cases, arms or repeats, and what that takes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeAlias

from nomikon.core.errors import PlanError
from nomikon.core.prompts import as_rows, merge_settings
from nomikon.core.trials import Estimate
from nomikon.server.apps.datasets.models import DatasetVersion, Entry
from nomikon.server.apps.trials.brought import BroughtIn, brought_in
from nomikon.server.apps.trials.cases import cases_of
from nomikon.server.apps.trials.models import COMPARE, Arm, Trial
from nomikon.server.apps.trials.planning import (
    ArmChoice,
    arms_of_choice,
    check_outputs,
    count_in_store,
    entries_of,
    estimate_of,
    simulated_part,
)
from nomikon.server.apps.trials.racing import had_outputs


@dataclass(frozen=True)
class Extension:
    """arms: the new ones only. entries, repeats, n_outputs: of the whole trial as extended.

    estimate: of what is to be had anew, added outputs only.
    """

    trial: Trial
    arms: list[ArmChoice]
    dataset_version: DatasetVersion
    entries: list[Entry]
    repeats: int
    n_outputs: int
    estimates: list[Estimate]
    in_store: int | None
    # Of what is added, the part on simulated models, in billionths.
    simulated_cost: int = 0
    # Whether the trial takes every case of its split from now on.
    whole_split: bool = True
    # Answers from elsewhere, by the id of their baseline: what is to be stored of them.
    brought: dict[int, BroughtIn] = field(default_factory=dict)

    @property
    def added(self) -> int:
        """Outputs that the trial does not ask for yet."""
        return sum(e.outputs for e in self.estimates) + sum(
            len(b.answers) for b in self.brought.values()
        )

    @property
    def cost(self) -> int | None:
        """Estimated price of what is added, in billionths; None where something has none."""
        costs = [e.cost for e in self.estimates]
        return None if any(c is None for c in costs) else sum(c for c in costs if c is not None)


# Arms, the cases they are asked, and in which repeats.
Part: TypeAlias = tuple[list[ArmChoice], list[Entry], range]


def plan_extension(
    trial: Trial,
    *,
    versions: Sequence[int] = (),
    models: Sequence[int] = (),
    settings: Sequence[Mapping[str, Any]] = (),
    dataset_version: int | None = None,
    repeats: int | None = None,
    rest: bool = False,
    baselines: Sequence[int] = (),
) -> Extension:
    """Check an extension and estimate what it adds.

    versions × models × settings are arms to be added; those that are there
    already are passed over. dataset_version: a later one that still holds every
    case of the trial. repeats: the new whole number, not fewer than now. rest: the cases that a
    trial of some of them left out. baselines: ids of answers from elsewhere to stand beside.
    Raises PlanError or SettingsError with the field.
    """
    if trial.purpose != COMPARE:
        raise PlanError(
            f"trial {trial.number} was planned as a whole and is not extended: start another",
            field="repeats",
        )
    asked = trial.arms.filter(baseline=None).select_related("version", "model")
    there = {_arm_key(a.asked_version.pk, a.asked_model.pk, a.settings) for a in asked}
    chosen: list[ArmChoice] = []
    if versions or models:
        chosen = [
            c
            for c in arms_of_choice(trial.brief, versions, models, settings)
            if _arm_key(c.version.pk, c.model.pk, c.settings) not in there
        ]
    whole = trial.repeats if repeats is None else repeats
    if whole < trial.repeats:
        raise PlanError(
            f"repeats is {whole}; this trial has {trial.repeats} already, and what it has stays",
            field="repeats",
        )
    data, entries, added_cases = _cases(trial, dataset_version, rest)
    present = _present(trial)
    n_arms = len(present) + len(chosen)
    check_outputs(n_arms, len(entries), whole)
    brought = _brought(trial, data, entries, added_cases, baselines)
    n_brought = sum(len(b.answers) for b in brought.values())
    parts = _parts(trial, chosen, present, entries, added_cases, whole, n_brought)
    return Extension(
        trial,
        chosen,
        data,
        entries,
        whole,
        # What is not asked stays as it is, and gets what is brought in for the new cases.
        n_arms * len(entries) * whole + had_outputs(trial) + n_brought,
        *_estimated(trial, parts),
        rest or trial.sample is None,
        brought,
    )


def _brought(
    trial: Trial,
    data: DatasetVersion,
    entries: list[Entry],
    added_cases: list[Entry],
    baselines: Sequence[int],
) -> dict[int, BroughtIn]:
    """By the baseline's id: those of the trial on its new cases, and new ones on all."""
    there = list(trial.arms.filter(baseline__isnull=False).values_list("baseline_id", flat=True))
    new = [pk for pk in baselines if pk not in there]
    own = brought_in(trial.brief, data, added_cases, [pk for pk in there if pk is not None])
    found = [*own, *brought_in(trial.brief, data, entries, new)]
    if new and trial.racing:
        raise PlanError(
            "this trial is a race, and answers that are there already cannot race: plan another",
            field="baselines",
        )
    if empty := [b for b in found if b.baseline.pk in new and not b.answers]:
        raise PlanError(
            f"“{empty[0].baseline.name}” answers none of these cases", field="baselines"
        )
    return {b.baseline.pk: b for b in found}


def _present(trial: Trial) -> list[ArmChoice]:
    """Its arms that are in the race, as they were chosen."""
    arms = trial.arms.filter(dropped__isnull=True, baseline=None).select_related(
        "version", "model__connection"
    )
    return [ArmChoice(a.asked_version, a.asked_model, merge_settings({}, a.settings)) for a in arms]


def _arm_key(version: int, model: int, settings: Mapping[str, Any]) -> tuple[int, int, str]:
    return version, model, str(sorted(settings.items(), key=str))


def _cases(
    trial: Trial, dataset_version: int | None, rest: bool
) -> tuple[DatasetVersion, list[Entry], list[Entry]]:
    """The dataset version to use, all cases that the trial will take, and those that are new."""
    data = trial.dataset_version
    now = list(cases_of(trial).select_related("revision__case"))
    if rest and trial.sample is None:
        raise PlanError(f"trial {trial.number} takes every case already", field="rest")
    if dataset_version is None or dataset_version == data.pk:
        if not rest:
            return data, now, []
        later = data
    else:
        found = DatasetVersion.objects.filter(pk=dataset_version, dataset_id=data.dataset_id)
        chosen = found.first()
        if chosen is None:
            raise PlanError("choose a later state of the same dataset", field="dataset_version")
        if trial.sample is not None and not rest:
            raise PlanError(
                f"trial {trial.number} takes some of its cases only: take the rest too, or plan "
                "another for the new ones",
                field="dataset_version",
            )
        later = chosen
    entries = entries_of(later, trial.split)
    kept = {e.revision_id for e in entries}
    if lost := [e for e in now if e.revision_id not in kept]:
        raise PlanError(
            f"{len(lost)} of this trial's cases have been changed or moved since (case "
            f"{lost[0].revision.case.number} is the first): start a new trial for these",
            field="dataset_version",
        )
    before = {e.revision_id for e in now}
    return later, entries, [e for e in entries if e.revision_id not in before]


def arms_to_store(extension: Extension) -> list[Arm]:
    """The new arms, after those that are there."""
    first = extension.trial.arms.count()
    return [
        Arm(
            trial=extension.trial,
            position=first + i,
            version=a.version,
            model=a.model,
            settings=a.settings,
            messages=as_rows(a.messages),
            price_in_nano=a.model.price_in_nano,
            price_out_nano=a.model.price_out_nano,
            price_cached_nano=a.model.price_cached_nano,
            price_reasoning_nano=a.model.price_reasoning_nano,
        )
        for i, a in enumerate(extension.arms)
    ]


def _estimated(trial: Trial, parts: list[Part]) -> tuple[list[Estimate], int | None, int]:
    """What each part takes, how much of it is stored (None where that was not counted), and what
    of its price nobody pays.
    """
    card, user = trial.scorecard, trial.user_model
    both = [
        estimate_of(arms, cases, len(times), card, user, 0, trial.continuations, trial.purpose)
        for arms, cases, times in parts
    ]
    estimates = [own for own, _ in both]
    simulated = sum(
        simulated_part(part[0], own, beside)
        for part, (own, beside) in zip(parts, both, strict=True)
    )
    added = sum(e.outputs for e in estimates)
    stored = [
        count_in_store(arms, cases, times, trial.seed, trial.generation, added)
        for arms, cases, times in parts
    ]
    in_store = None if any(n is None for n in stored) else sum(n or 0 for n in stored)
    return estimates, in_store, simulated


def _parts(
    trial: Trial,
    chosen: list[ArmChoice],
    present: list[ArmChoice],
    entries: list[Entry],
    added_cases: list[Entry],
    repeats: int,
    n_brought: int,
) -> list[Part]:
    """What is asked anew; refused where that is nothing."""
    parts: list[Part] = [
        # New arms on everything, former arms on new cases, and on former cases in new repeats.
        (chosen, entries, range(repeats)),
        (present, added_cases, range(repeats)),
        (
            present,
            [e for e in entries if e not in added_cases],
            range(trial.repeats, repeats),
        ),
    ]
    parts = [p for p in parts if all(len(x) for x in p)]
    if not parts and not n_brought:
        raise PlanError("nothing is added: choose more cases, arms or repeats", field="repeats")
    return parts
