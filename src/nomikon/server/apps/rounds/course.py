"""What rounds show: the course of the score, every candidate with its evidence, the held-out gap."""

from __future__ import annotations

from typing import Any

import numpy as np

from nomikon.core.prompts import check_messages, settings_in_short
from nomikon.core.results import arm_figures, case_scores, counts_of
from nomikon.core.trials.estimates import estimate_messages
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.briefs.reasons import reasons_today
from nomikon.server.apps.rounds.driving import simulated_on, spent_on
from nomikon.server.apps.rounds.models import Candidate, Round, Rounds
from nomikon.server.apps.rounds.reads import RoundReason, RoundsRow
from nomikon.server.apps.trials.looks import held_out_looks
from nomikon.server.apps.trials.models import COMPLETE, Trial
from nomikon.server.apps.trials.racing import spared_outputs
from nomikon.server.apps.trials.results import figures_of, results_of
from nomikon.server.apps.verdicts.checking import Gains, gain_on_held_out
from nomikon.server.typed import copied


def rounds_row(rounds: Rounds) -> RoundsRow:
    """One run of rounds in a list."""
    return {
        "id": rounds.pk,
        "number": rounds.number,
        "state": rounds.state,
        "stopping": rounds.stopping,
        "message": rounds.message,
        "start": rounds.start.number,
        "best": rounds.best.number,
        "model": rounds.model.name,
        "simulated": rounds.model.is_simulated,
        "settings_short": settings_in_short(rounds.settings),
        "amender": rounds.amender.name,
        "most_rounds": rounds.most_rounds,
        "candidates": rounds.candidates,
        "budget": rounds.budget_nano,
        "spent": spent_on(rounds),
        "simulated_spent": simulated_on(rounds),
        "scorecard": rounds.scorecard.number,
        "dataset_version": rounds.dataset_version_id,
        "created_at": rounds.created_at,
        "ended_at": rounds.ended_at,
    }


def course_of(rounds: Rounds) -> dict[str, Any]:
    """A run of rounds whole."""
    parts = list(rounds.parts.select_related("parent", "measured", "tested", "kept"))
    return {
        **rounds_row(rounds),
        "instruction": rounds.instruction,
        "points": _points(rounds, parts),
        "rounds": [_round(p) for p in parts],
        "held_out": _held_out(rounds, parts),
        "looks": held_out_looks(rounds.dataset_version.dataset),
    }


def _points(rounds: Rounds, parts: list[Round]) -> list[dict[str, Any]]:
    """The start, then what each round kept: score with interval, price and length."""
    points = []
    if parts and parts[0].measured is not None:
        points.append(_point(0, parts[0].measured, rounds.start))
    for part in parts:
        if part.tested is not None and part.tested.state == COMPLETE:
            points.append(_point(part.number, part.tested, part.kept or part.parent))
    return points


def _point(number: int, trial: Trial, version: Version) -> dict[str, Any]:
    return {
        "round": number,
        "version": version.number,
        **_figures(trial, version),
        "tokens": estimate_messages([m.content for m in check_messages(version.messages)]),
    }


def _figures(trial: Trial, version: Version) -> dict[str, Any]:
    """Mean with interval and price per thousand answers of one version in a trial."""
    arm = trial.arms.filter(version=version).first()
    if arm is None:
        return dict.fromkeys(("mean", "low", "high", "cost_per_1000"))
    table = results_of(trial)
    figures, counts = arm_figures(table)[str(arm.pk)], counts_of(table)[str(arm.pk)]
    return {
        "mean": figures.mean,
        "low": figures.low,
        "high": figures.high,
        "cost_per_1000": counts.cost_per_1000,
    }


def _round(part: Round) -> dict[str, Any]:
    comparisons = _against_parent(part)
    return {
        "number": part.number,
        "phase": part.phase,
        "parent": part.parent.number,
        "kept": part.kept and part.kept.number,
        "why": part.why,
        "measured": part.measured_id,
        "tested": part.tested_id,
        "spared": spared_outputs(part.tested) if part.tested else 0,
        "faults": [
            {k: f[k] for k in ("title", "label", "source", "n", "cases")} for f in part.faults
        ],
        "candidates": [
            _candidate(c, comparisons) for c in part.tried.select_related("version").all()
        ],
    }


def _against_parent(part: Round) -> dict[int, dict[str, Any]]:
    """Each tested version's difference to its parent, by version number."""
    trial = part.tested
    if trial is None:
        return {}
    arms = {str(a.pk): a for a in trial.arms.select_related("version")}
    parent = next((a for a in arms.values() if a.version_id == part.parent_id), None)
    # Until a trial is complete it gives estimates only, no comparison.
    found = figures_of(trial, against=parent) if parent and trial.state == COMPLETE else None
    means = {a.arm: a for a in found.arms} if found else {}
    by_version = {}
    for c in found.comparisons if found else []:
        arm = arms[c.a]
        by_version[arm.asked_version.number] = {
            "mean": means[c.a].mean,
            "difference": c.difference,
            "low": c.low,
            "high": c.high,
            "p": c.p_holm,
            "n_cases": c.n_cases,
            "left_after": arm.dropped and arm.dropped["cases"],
        }
    return by_version


def _candidate(candidate: Candidate, comparisons: dict[int, dict[str, Any]]) -> dict[str, Any]:
    version = candidate.version
    return {
        "place": candidate.place,
        "faults": candidate.faults,
        "answered": candidate.answered,
        "why": candidate.why,
        "refused": candidate.refused,
        "version": version and version.number,
        "reasons": [copied(RoundReason, r) for r in (reasons_today(version) if version else [])],
        "cost": candidate.cost_nano,
        "figures": comparisons.get(version.number) if version else None,
    }


def _held_out(rounds: Rounds, parts: list[Round]) -> dict[str, Any] | None:
    """Start and best on cases nobody tuned on, and the gap to the gain on working cases."""
    trial = rounds.held_trial
    if trial is None:
        return None
    base = {
        "trial": trial.pk,
        "trial_number": trial.number,
        "state": trial.state,
        "start": _figures(trial, rounds.start),
        "best": _figures(trial, rounds.best),
        "difference": None,
        "gap": None,
    }
    if trial.state != COMPLETE:
        return base
    arm = trial.arms.get(version=rounds.best)
    against = trial.arms.get(version=rounds.start)
    working = _working_gain(rounds, parts)
    return {**base, **gain_on_held_out(trial, arm, against, working)}


def _working_gain(rounds: Rounds, parts: list[Round]) -> Gains:
    """best − start per working case: each from the trial that scored it."""
    first = parts[0].measured
    last = next((p.tested for p in reversed(parts) if p.kept_id == rounds.best_id), None)
    if first is None or last is None:
        return Gains(np.array([]), None)
    table = results_of(last)
    after = case_scores(table, str(last.arms.get(version=rounds.best).pk))
    before = case_scores(results_of(first), str(first.arms.get(version=rounds.start).pk))
    shared = [case for case in after if case in before]
    return Gains(np.array([after[c] - before[c] for c in shared]), table.sources_of(shared))
