"""The plan of a trial: which calls, in which order, at about what price."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from nomikon.core.errors import DomainError, PlanError
from nomikon.core.prompts.messages import Message, steps_of
from nomikon.core.prompts.rendering import render
from nomikon.core.trials.calibration import UNLEARNT, Calibration
from nomikon.core.trials.conversation import TURN, Conversation, planned_calls
from nomikon.core.trials.estimates import (
    cost_nano,
    estimate_messages,
    estimate_output_tokens,
)

MAX_REPEATS = 100
# A turn of a user whom a model plays: two or three sentences.
PLAYED_TURN_TOKENS = 60


@dataclass(frozen=True)
class PlannedArm:
    """One version × one model × one settings, with what an estimate needs.

    learnt_in, learnt_out: what the model's own counts have taught about estimates.
    """

    key: str
    label: str
    messages: tuple[Message, ...]
    settings: Mapping[str, Any]
    price_in_nano: int | None
    price_out_nano: int | None
    context_length: int | None = None
    learnt_in: Calibration = UNLEARNT
    learnt_out: Calibration = UNLEARNT


@dataclass(frozen=True)
class PlannedCase:
    """One case: its revision's key, its inputs, its reference, and its stratum for the order."""

    key: str
    inputs: Mapping[str, Any]
    reference: str | None = None
    stratum: str = ""
    conversation: Conversation | None = None


@dataclass(frozen=True)
class Cell:
    """One output still to be had: indices of arm and case, and the repeat from 0."""

    arm: int
    case: int
    repeat: int


@dataclass(frozen=True)
class ArmEstimate:
    """What one arm will take; cost None where its model has no price.

    error_in, error_out: mean share by which estimates of single calls of its
    model were off so far; None where too few calls have been seen.
    """

    key: str
    calls: int
    tokens_in: int
    tokens_out: int
    cost: int | None
    error_in: float | None = None
    error_out: float | None = None


@dataclass(frozen=True)
class Problem:
    """Something that stops an arm (severity error) or should be seen first (warning)."""

    severity: str
    arm: str
    text: str
    field: str


@dataclass(frozen=True)
class Estimate:
    """The plan in figures: outputs (cells), calls, tokens and price in billionths."""

    outputs: int
    calls: int
    tokens_in: int
    tokens_out: int
    cost: int | None
    unpriced: list[str]
    arms: list[ArmEstimate]
    problems: list[Problem]


def check_size(n_arms: int, n_cases: int, repeats: int) -> None:
    """Raise PlanError, with its field, unless there is something to run."""
    if n_arms < 1:
        raise PlanError("a trial needs at least one version on one model", field="arms")
    if n_cases < 1:
        raise PlanError(
            "there are no cases to run: this part of the dataset is empty", field="split"
        )
    if not 1 <= repeats <= MAX_REPEATS:
        raise PlanError(f"repeats is {repeats}; allowed is 1 to {MAX_REPEATS}", field="repeats")


def case_order(strata: Sequence[str], *, seed: int) -> list[int]:
    """A seeded order of cases in which every stretch holds each stratum in its share.

    strata: one name per case. Within a stratum cases are shuffled; the strata
    are then interleaved evenly, so that the part of a trial that has run looks
    like the whole. Returns the indices of the cases.

    >>> sorted(case_order(['a', 'b', 'a'], seed=1))
    [0, 1, 2]
    """
    rng = np.random.default_rng(seed)
    places: list[tuple[float, int, int]] = []
    for rank, name in enumerate(sorted(set(strata))):
        members = [i for i, s in enumerate(strata) if s == name]
        offset = rng.random()
        for place, member in enumerate(rng.permutation(members)):
            places.append(((place + offset) / len(members), rank, int(member)))
    return [member for _, _, member in sorted(places)]


def cells_in_order(order: Sequence[int], n_arms: int, repeats: int) -> Iterator[Cell]:
    """Every output of a trial, case by case with all its repeats across arms, so that all arms fill
    evenly and a case that is in is in whole.

    >>> len(list(cells_in_order([0, 1], 2, 1)))
    4
    """
    for case in order:
        for repeat in range(repeats):
            for arm in range(n_arms):
                yield Cell(arm, case, repeat)


def estimate(arms: Sequence[PlannedArm], cases: Sequence[PlannedCase], repeats: int) -> Estimate:
    """Number of calls, tokens and price of a trial, and what stands in its way.

    Every case is rendered once per arm, so that a missing value or a prompt
    longer than the model's context is seen before a call is paid for.
    Raises PlanError as `check_size`.
    """
    check_size(len(arms), len(cases), repeats)
    rows, problems = [], []
    for arm in arms:
        row, found = _estimate_arm(arm, cases, repeats)
        rows.append(row)
        problems += found
    costs = [r.cost for r in rows]
    return Estimate(
        outputs=len(arms) * len(cases) * repeats,
        calls=sum(r.calls for r in rows),
        tokens_in=sum(r.tokens_in for r in rows),
        tokens_out=sum(r.tokens_out for r in rows),
        cost=None if any(c is None for c in costs) else sum(c for c in costs if c is not None),
        unpriced=[a.label for a, c in zip(arms, costs, strict=True) if c is None],
        arms=rows,
        problems=problems,
    )


def _estimate_arm(
    arm: PlannedArm, cases: Sequence[PlannedCase], repeats: int
) -> tuple[ArmEstimate, list[Problem]]:
    steps = steps_of(arm.messages)
    problems: list[Problem] = []
    missing: dict[str, int] = {}
    tokens_in = tokens_out = too_long = calls = 0
    max_tokens = arm.settings.get("max_tokens")
    if len(steps) > 1 and any(c.conversation for c in cases):
        problems.append(
            Problem(
                "error", arm.label, "a version of several steps cannot hold a conversation", "arms"
            )
        )
    for case in cases:
        try:
            held = case.conversation
            done = render(arm.messages, {**case.inputs, TURN: ""} if held else case.inputs)
        except DomainError as error:
            return (
                ArmEstimate(arm.key, 0, 0, 0, None),
                [Problem("error", arm.label, error.message, error.field or "arms")],
            )
        for name in done.missing:
            missing[name] = missing.get(name, 0) + 1
        prompt = arm.learnt_in.calibrated(estimate_messages([m.content for m in done.messages]))
        answer = arm.learnt_out.calibrated(estimate_output_tokens(case.reference, max_tokens))
        answer = min(answer, max_tokens or answer)
        turns = 1 if held is None else planned_calls(held, arm.messages)[0]
        calls += turns * len(steps) if held is None else turns
        if held is not None:
            # Each call carries all that was said before it.
            said = sum(estimate_messages([t]) for t in held.turns) or turns * PLAYED_TURN_TOKENS
            each = said // max(1, turns) + answer
            tokens_in += (turns - 1) * prompt + each * turns * (turns - 1) // 2 + said
            tokens_out += (turns - 1) * answer
            prompt += each * (turns - 1)
        if arm.context_length and prompt + answer > arm.context_length:
            too_long += 1
        tokens_in += prompt if held is None else prompt - each * (turns - 1)
        tokens_out += answer * len(steps)
    problems += _amiss(arm, missing, too_long, len(cases))
    cost = cost_nano(
        tokens_in * repeats, tokens_out * repeats, arm.price_in_nano, arm.price_out_nano
    )
    row = ArmEstimate(
        arm.key,
        calls * repeats,
        tokens_in * repeats,
        tokens_out * repeats,
        cost,
        arm.learnt_in.error,
        arm.learnt_out.error,
    )
    return row, problems


def _amiss(arm: PlannedArm, missing: dict[str, int], too_long: int, n_cases: int) -> list[Problem]:
    """Placeholders that some cases do not fill, and cases that may be too long."""
    problems = []
    for name, count in missing.items():
        where = "every case" if count == n_cases else f"{count} of {n_cases} cases"
        problems.append(
            Problem("error", arm.label, f"no value for the placeholder {name} in {where}", "arms")
        )
    if too_long:
        severity = "error" if too_long == n_cases else "warning"
        problems.append(
            Problem(
                severity,
                arm.label,
                f"{too_long} of {n_cases} cases may not fit the model's context of "
                f"{arm.context_length} tokens",
                "arms",
            )
        )
    return problems
