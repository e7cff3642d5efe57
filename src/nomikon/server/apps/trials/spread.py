"""What a complete trial says beyond its means: effects and slices, as they are shown."""

from __future__ import annotations

from nomikon.core.results import differences, effects
from nomikon.core.results.parts import CaseFacts, parts_of
from nomikon.core.stats.effects import Effects
from nomikon.core.stats.slices import Slice, slices_of
from nomikon.server.apps.trials.cases import cases_of
from nomikon.server.apps.trials.facts import arm_facts, names_of
from nomikon.server.apps.trials.models import Arm, Trial
from nomikon.server.apps.trials.reads import EffectShape, ShareShape, SliceShape, SpreadShape
from nomikon.server.apps.trials.results import results_of
from nomikon.server.typed import copied


def effects_in(trial: Trial) -> Effects:
    """How much of the spread is due to what, among the arms tried that were run to the end."""
    arms = trial.arms.order_by("position").select_related("version", "model__connection")
    names = names_of(trial.pk)
    facts = [arm_facts(a, names) for a in arms]
    factors = tuple((f["version_label"], f["model_short"], f["settings_short"]) for f in facts)
    return effects(results_of(trial), factors)


def slices_in(trial: Trial, a: Arm, b: Arm) -> tuple[list[Slice], int]:
    """a against b by tag, by label of the reference and by length of the input."""
    table = results_of(trial)
    apart = differences(table, str(a.pk), str(b.pk))
    if not apart:
        return [], 0
    entries = cases_of(trial).values_list(
        "revision_id", "revision__tags", "revision__reference", "revision__inputs"
    )
    facts = [
        CaseFacts(str(revision), tuple(tags or ()), reference, inputs)
        for revision, tags, reference, inputs in entries
    ]
    parts = parts_of([f for f in facts if f.case in apart])
    return slices_of(apart, parts, sources=table.sources)


def spread_of(trial: Trial, a: Arm, b: Arm) -> SpreadShape:
    """Effects and slices as they are shown."""
    effects = effects_in(trial)
    slices, small = slices_in(trial, a, b)
    return {
        "shares": [copied(ShareShape, s) for s in effects.shares],
        "effects": [copied(EffectShape, e) for e in effects.effects],
        "negative": effects.negative,
        "repeat_sd": effects.repeat_sd,
        "why_null": effects.why_null,
        "slices": [copied(SliceShape, s) for s in slices],
        "too_small": small,
    }
