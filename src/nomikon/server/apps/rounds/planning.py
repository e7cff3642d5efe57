"""What a run of automatic rounds will be made from, and what it takes at most."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from nomikon.core.errors import PlanError
from nomikon.core.prompts import check_messages, check_settings
from nomikon.core.trials.estimates import cost_nano, estimate_messages
from nomikon.core.trials.rounds import check_rounds
from nomikon.server.apps.briefs.instructions import instruction_for
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.models import HELD_OUT, WORKING
from nomikon.server.apps.trials.planning import Plan, entries_of, make_plan

AMENDER_SETTINGS = {"temperature": 0.2, "max_tokens": 4000}
LONGEST_INSTRUCTION = 20_000
# What a proposal's answer takes, before any was seen; its request holds the prompt and its faults.
REPLY_TOKENS = 900
FAULT_TOKENS = 1_500


@dataclass(frozen=True)
class RoundsPlan:
    """trial: of the start version alone. calls, cost: at most, None where something has no price."""

    brief: Brief
    trial: Plan
    settings: dict[str, Any]
    amender: Model
    instruction: str
    amender_settings: dict[str, Any]
    rounds: int
    candidates: int
    n_held_out: int
    calls: int
    cost: int | None
    # The part of it on simulated models, which nobody pays.
    simulated_cost: int

    @property
    def unpriced(self) -> list[Model]:
        """Models without a price: a budget cannot be kept with them."""
        used = {m.pk: m for m in (self.trial.arms[0].model, self.amender)}
        return [m for m in used.values() if m.price_in_nano is None or m.price_out_nano is None]


def plan_rounds(
    brief: Brief,
    *,
    version: int,
    model: int,
    settings: Mapping[str, Any],
    dataset_version: int,
    amender: int,
    instruction: str = "",
    rounds: int = 2,
    candidates: int = 3,
    repeats: int = 1,
) -> RoundsPlan:
    """Check every choice and say what it takes at most.

    version: number of the one to begin with. model, amender: ids of whom the prompt
    is for and of who proposes. instruction: "" for the newest kept one.
    Raises PlanError or SettingsError with the field.
    """
    check_rounds(rounds, candidates, repeats)
    asked = instruction.strip() or instruction_for("amendments")
    if len(asked) > LONGEST_INSTRUCTION:
        raise PlanError(
            f"the instruction has {len(asked):,} characters; at most {LONGEST_INSTRUCTION:,} are taken",
            field="instruction",
        )
    own = check_settings(settings)
    trial = make_plan(
        brief,
        versions=[version],
        models=[model],
        settings=[own],
        dataset_version=dataset_version,
        split=WORKING,
        repeats=repeats,
    )
    proposer = Model.objects.select_related("connection").filter(pk=amender).first()
    if proposer is None:
        raise PlanError("choose the model that proposes", field="amender")
    held = len(entries_of(trial.dataset_version, HELD_OUT))
    one, n_cases = trial.estimate, len(trial.entries)
    # The start is scored once, then every candidate; at the end start and best on held-out cases.
    runs = 1 + rounds * candidates + (2 * held / n_cases if held else 0)
    proposals = rounds * candidates
    proposing = _proposing(trial, proposer, proposals)
    cost = None if one.cost is None or proposing is None else round(one.cost * runs) + proposing
    return RoundsPlan(
        brief,
        trial,
        own,
        proposer,
        asked,
        dict(AMENDER_SETTINGS),
        rounds,
        candidates,
        held,
        round(one.calls * runs) + proposals,
        cost,
        round(trial.simulated_cost * runs) + proposer.simulated_part(proposing),
    )


def _proposing(trial: Plan, proposer: Model, proposals: int) -> int | None:
    """What the proposals cost, about, in billionths; None without a price."""
    text = [m.content for m in check_messages(trial.arms[0].version.messages)]
    return cost_nano(
        proposals * (estimate_messages(text) + FAULT_TOKENS),
        proposals * REPLY_TOKENS,
        proposer.price_in_nano,
        proposer.price_out_nano,
    )
