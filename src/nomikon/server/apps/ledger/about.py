"""What a ledger line is about, so that it can be found again: models, settings, version, trial.

The subject is told by its kind; what a kind has no word for here is told by its facts alone.
"""

from __future__ import annotations

from typing import Any

from django.apps import apps

from nomikon.server.apps.ledger.models import Line


def about(subject: Any, facts: dict[str, Any]) -> dict[str, Any]:
    """models: names. settings: one mapping an arm. version: number. trial, output: ids."""
    kind = subject._meta.model_name
    read = _KINDS.get(kind)
    told: dict[str, Any] = read(subject) if read else {}
    named = facts.get("models") or ([facts["model"]] if facts.get("model") else [])
    models = list(dict.fromkeys([*told.get("models", []), *named]))
    found = {**told, "models": models}
    if "version" not in found and isinstance(facts.get("version"), int):
        found["version"] = facts["version"]
    return {k: v for k, v in found.items() if v not in ([], None)}


def _of_trial(trial: Any) -> dict[str, Any]:
    arms = list(trial.arms.select_related("model"))
    settings = [dict(s) for s in {_frozen(a.settings): a.settings for a in arms}.values()]
    return {
        "models": sorted({a.model.name for a in arms if a.model}),
        "settings": settings,
        "trial": trial.pk,
    }


def _frozen(settings: dict[str, Any]) -> str:
    return str(sorted(settings.items(), key=str))


def _of_arm(arm: Any) -> dict[str, Any]:
    return {
        "models": [arm.model.name] if arm.model else [],
        "settings": [arm.settings] if arm.settings else [],
        "version": arm.version and arm.version.number,
        "trial": arm.trial_id,
    }


def _of_output(output: Any) -> dict[str, Any]:
    return {**_of_arm(output.arm), "output": output.pk}


def _of_rounds(rounds: Any) -> dict[str, Any]:
    return {
        "models": sorted({rounds.model.name, rounds.amender.name}),
        "settings": [rounds.settings] if rounds.settings else [],
    }


def _of_version(version: Any) -> dict[str, Any]:
    return {
        "settings": [version.settings] if version.settings else [],
        "version": version.number,
    }


_KINDS: dict[str, Any] = {
    "trial": _of_trial,
    "weighing": lambda w: _of_trial(w.trial),
    "strike": lambda s: _of_trial(s.trial),
    "culpritsearch": lambda s: _of_trial(s.trial),
    "verdict": lambda v: _of_arm(v.arm),
    "watch": lambda w: _of_arm(w.verdict.arm),
    "mark": lambda m: _of_output(m.output),
    "precedent": lambda p: _of_output(p.mark.output) if p.mark_id else {},
    "rounds": _of_rounds,
    "version": _of_version,
    "model": lambda m: {"models": [m.name]},
}


def about_former() -> int:
    """Tell lines written before they could be found by it what they are about; returns how many."""
    subjects = {m._meta.model_name: m for m in apps.get_models()}
    lines = Line.objects.filter(about={}, subject__in=[k for k in _KINDS if k in subjects])
    told = 0
    for line in lines.iterator():
        subject = subjects[line.subject]._base_manager.filter(pk=line.subject_id).first()
        if subject is not None and (found := about(subject, line.facts)):
            Line.objects.filter(pk=line.pk).update(about=found)
            told += 1
    return told
