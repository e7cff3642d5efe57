"""The plan of a trial: which calls, in which order, at about what price."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from nomikon.core.errors import DomainError, PlanError
from nomikon.core.prompts.messages import Message, steps_of
from nomikon.core.prompts.placeholders import find_tags, value_of
from nomikon.core.prompts.rendering import render, value_as_text
from nomikon.core.trials.calibration import UNLEARNT, Calibration
from nomikon.core.trials.conversation import TURN, Conversation, planned_calls
from nomikon.core.trials.estimates import (
    TOKENS_PER_MESSAGE,
    cost_nano,
    estimate_messages,
    estimate_output_tokens,
    estimate_tokens,
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

    Every case is gone through for every arm, so that a missing value or a prompt longer than the
    model's context is seen before a call is paid for. Where a text only puts values in, its tokens
    are those around them and those of the values; else it is rendered.
    Raises PlanError as `check_size`.
    """
    check_size(len(arms), len(cases), repeats)
    rows, problems = [], []
    values = _Values(cases)
    for arm in arms:
        row, found = _estimate_arm(arm, cases, repeats, values)
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


class _Values:
    """Tokens of every case's values and of what its answer may need, counted once for all arms."""

    def __init__(self, cases: Sequence[PlannedCase]) -> None:
        self._cases = cases
        self._known: dict[str, list[int | None]] = {}
        self._answers: dict[int | None, list[int]] = {}
        self.talks = any(c.conversation for c in cases)

    def of(self, name: str) -> list[int | None]:
        """By case; None where it has no such value."""
        if name not in self._known:
            self._known[name] = [_tokens_of(value_of(c.inputs, name)) for c in self._cases]
        return self._known[name]

    def answers(self, max_tokens: int | None) -> list[int]:
        """Tokens of an answer, by case."""
        if max_tokens not in self._answers:
            self._answers[max_tokens] = [
                estimate_output_tokens(c.reference, max_tokens) for c in self._cases
            ]
        return self._answers[max_tokens]


def _tokens_of(value: Any) -> int | None:
    return None if value is None else estimate_tokens(value_as_text(value))


def _plainly(
    arm: PlannedArm, n_cases: int, values: _Values
) -> tuple[list[int], dict[str, int]] | None:
    """Prompt tokens by case, and how many cases lack each value; None where it takes rendering."""
    if values.talks or len(steps_of(arm.messages)) > 1:
        return None
    around, names = 0, []
    try:
        for index, message in enumerate(arm.messages):
            tags = find_tags(message.content, field=f"messages.{index}.content")
            if any(t.kind != "variable" or "." in t.name for t in tags):
                return None
            names += [t.name for t in tags]
            around += TOKENS_PER_MESSAGE + sum(
                estimate_tokens(message.content[begin:end])
                for begin, end in zip(
                    (0, *(t.end for t in tags)),
                    (*(t.start for t in tags), len(message.content)),
                    strict=True,
                )
            )
    except DomainError:
        return None
    columns = [values.of(name) for name in names]
    missing = {
        name: lost
        for name in dict.fromkeys(names)
        if (lost := sum(tokens is None for tokens in values.of(name)))
    }
    if not columns:
        return [around] * n_cases, {}
    return [around + sum(t or 0 for t in row) for row in zip(*columns, strict=True)], missing


def _estimate_plainly(
    arm: PlannedArm, found: tuple[list[int], dict[str, int]], values: _Values, repeats: int
) -> tuple[ArmEstimate, list[Problem]]:
    """The same as below for an arm of one call a case whose text only puts values in."""
    told, missing = found
    max_tokens = arm.settings.get("max_tokens")
    # Lengths repeat: each is set right once.
    prompts = {n: arm.learnt_in.calibrated(n) for n in set(told)}
    own = values.answers(max_tokens)
    answers = {n: min(a := arm.learnt_out.calibrated(n), max_tokens or a) for n in set(own)}
    pairs = Counter(zip(told, own, strict=True))
    tokens_in = sum(prompts[p] * n for (p, _), n in pairs.items())
    tokens_out = sum(answers[a] * n for (_, a), n in pairs.items())
    most = arm.context_length
    too_long = sum(n for (p, a), n in pairs.items() if most and prompts[p] + answers[a] > most)
    cost = cost_nano(
        tokens_in * repeats, tokens_out * repeats, arm.price_in_nano, arm.price_out_nano
    )
    row = ArmEstimate(
        arm.key,
        len(told) * repeats,
        tokens_in * repeats,
        tokens_out * repeats,
        cost,
        arm.learnt_in.error,
        arm.learnt_out.error,
    )
    return row, _amiss(arm, missing, too_long, len(told))


def _estimate_arm(
    arm: PlannedArm, cases: Sequence[PlannedCase], repeats: int, values: _Values
) -> tuple[ArmEstimate, list[Problem]]:
    if (plain := _plainly(arm, len(cases), values)) is not None:
        return _estimate_plainly(arm, plain, values, repeats)
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
