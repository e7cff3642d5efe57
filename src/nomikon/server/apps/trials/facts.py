"""What a trial and its arms are, wherever they are named; no figure."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from nomikon.core.prompts import settings_in_short
from nomikon.core.trials.arm_names import NamedArm, arm_names, shortened
from nomikon.core.trials.choosing import CasesChoice
from nomikon.server.apps.connections.short_names import short_model_name
from nomikon.server.apps.trials.models import Arm, Trial
from nomikon.server.apps.trials.reads import ArmShape, TrialEstimate, TrialFacts
from nomikon.server.typed import copied

# A name that stands in a table and in sentences; the whole one is told where a pointer rests.
LONGEST_NAME = 56
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def letter(position: int) -> str:
    """A, B … Z, AA, AB …: an arm's letter on its board."""
    name = ""
    position += 1
    while position:
        position, rest = divmod(position - 1, 26)
        name = LETTERS[rest] + name
    return name


def names_of(trial_id: int) -> dict[int, str]:
    """The name of every arm of a trial: what tells it from the others of this trial."""
    return names_in(
        Arm.objects.filter(trial=trial_id).select_related("version", "model").order_by("position")
    )


def names_in(arms: Iterable[Arm]) -> dict[int, str]:
    """The same of arms at hand, in the order of their trial."""
    found = list(arms)
    asked = arm_names([named_arm(a) for a in found if not a.brought_in])
    named, used = iter(asked), set(asked)
    names = []
    for arm in found:
        name = arm.brought_as if arm.brought_in else next(named)
        # Whatever people call their answers, no two arms read alike.
        while arm.brought_in and name in used:
            name += ", brought in"
        used.add(name)
        names.append(name)
    return {a.pk: name for a, name in zip(found, shortened(names, LONGEST_NAME), strict=True)}


def named_arm(arm: Arm) -> NamedArm:
    """An arm that is asked, as its name is made from it."""
    model = short_model_name(arm.asked_model.name)
    return NamedArm(arm.version_label, model, arm.settings)


def arm_facts(arm: Arm, names: Mapping[int, str] | None = None) -> ArmShape:
    """What an arm is, wherever it is named. names: of its trial, where they are at hand."""
    return {
        "id": arm.pk,
        "position": arm.position,
        "letter": letter(arm.position),
        "name": (names or names_of(arm.trial_id))[arm.pk],
        "version": arm.version.number if arm.version else None,
        "brought_in": arm.brought_in,
        "in_words": arm.in_words,
        "without": arm.without,
        "version_label": arm.version_label,
        "model": arm.model.name if arm.model else "",
        "model_short": short_model_name(arm.model.name) if arm.model else "",
        "simulated": arm.model is not None and arm.model.is_simulated,
        "settings": arm.settings,
        "settings_short": settings_in_short(arm.settings) if arm.model else "brought in",
    }


def names_apart(*arms: Arm) -> list[str]:
    """Names in a sentence about some arms: the version and model of each, settings where they must."""
    plain = [
        f"{a.version_label} on {short_model_name(a.model.name)}" if a.model else f"“{a.brought_as}”"
        for a in arms
    ]
    if len(set(plain)) == len(plain) or any(a.brought_in for a in arms):
        return plain
    named = [named_arm(a) for a in arms]
    return [
        f"{whole}{name.removeprefix(arm.version)}" if whole not in name else name
        for whole, name, arm in zip(plain, arm_names(named), named, strict=True)
    ]


def choice_in_words(trial: Trial) -> str:
    """Which cases a trial takes, where it takes some of them only."""
    if trial.sample is None:
        return ""
    return CasesChoice(**trial.choice).in_words() if trial.choice else "a fixed sample"


def trial_facts(trial: Trial) -> TrialFacts:
    """What a trial is, without its figures."""
    return {
        "id": trial.pk,
        "brief": trial.brief_id,
        "number": trial.number,
        "question": trial.question,
        "note": trial.note,
        "archived": trial.archived,
        "choice": choice_in_words(trial),
        "purpose": trial.purpose,
        "state": trial.state,
        "asked": trial.asked,
        "message": trial.message,
        "budget": trial.budget_nano,
        "split": trial.split,
        "repeats": trial.repeats,
        "continuations": trial.continuations,
        "racing": trial.racing,
        "reference": trial.reference_id,
        "extensions": trial.extensions,
        "n_cases": trial.n_cases,
        "n_outputs": trial.n_outputs,
        "estimate": copied(TrialEstimate, trial.estimate),
        "scorecard": trial.scorecard.number,
        "dataset_version": trial.dataset_version_id,
        "dataset": trial.dataset_version.dataset.name,
        "created_at": trial.created_at,
        "started_at": trial.started_at,
        "finished_at": trial.finished_at,
    }
