"""From what a person chose to the arms and cases of a trial, and the estimate."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any

from django.db.models import Max

from nomikon.core.cases.arranging import Condition
from nomikon.core.errors import PlanError, SettingsError
from nomikon.core.measures import read_scorecard
from nomikon.core.measures.estimates import Beside
from nomikon.core.prompts import Message, check_messages, merge_settings, settings_in_short
from nomikon.core.prompts.leaving_out import leave_out
from nomikon.core.trials import (
    MAX_CONTINUATIONS,
    Estimate,
    PlannedArm,
    PlannedCase,
    Problem,
    check_size,
    estimate,
    read_conversation,
)
from nomikon.core.trials.choosing import ALL, WHERE, WORDS, CasesChoice, chosen
from nomikon.engine.units import ArmSpec, CaseSpec, Unit
from nomikon.models.protocols import PROTOCOLS
from nomikon.server.apps.briefs.models import Brief, Scorecard, Version
from nomikon.server.apps.connections.calibrations import DIRECTIONS, calibrations_of
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.connections.spec import connection_spec
from nomikon.server.apps.datasets.arranged import View, arranged
from nomikon.server.apps.datasets.models import SPLITS, DatasetVersion, Entry
from nomikon.server.apps.datasets.versioning import State, state_of
from nomikon.server.apps.trials.answers import count_stored
from nomikon.server.apps.trials.beside_answers import beside_of
from nomikon.server.apps.trials.brought import BroughtIn, about_brought, brought_in
from nomikon.server.apps.trials.continuing import with_continuations
from nomikon.server.apps.trials.models import COMPARE, TWINS, Output, Trial, version_label
from nomikon.server.apps.trials.reference import reference_of

MAX_OUTPUTS = 1_000_000
# The severity of a problem that a person must have said yes to.
ASK = "ask"


@dataclass(frozen=True)
class ArmChoice:
    """One arm before it is stored: settings are the version's with the trial's laid over."""

    version: Version
    model: Model
    settings: dict[str, Any]
    without: tuple[int, ...] = ()
    # A text that no version is, and the amendments of its version that it takes.
    text: tuple[Message, ...] | None = None
    taken: tuple[str, ...] | None = None

    @property
    def messages(self) -> tuple[Message, ...]:
        """The text it will send, before a case fills it."""
        if self.text is not None:
            return self.text
        return leave_out(check_messages(self.version.messages), self.without)

    @property
    def label(self) -> str:
        version = version_label(self.version.number, self.without, self.taken)
        return f"{version} on {self.model.name}, {settings_in_short(self.settings)}"


@dataclass(frozen=True)
class Plan:
    """All that a trial will be made from, and what it is thought to take."""

    brief: Brief
    arms: list[ArmChoice]
    dataset_version: DatasetVersion
    split: str
    entries: list[Entry]
    scorecard: Scorecard
    repeats: int
    seed: int
    generation: int
    continuations: int
    user_model: Model | None
    estimate: Estimate
    beside: Beside
    in_store: int | None
    racing: bool = False
    purpose: str = COMPARE
    # Whether `entries` are a sample of the split, to be kept with the trial.
    sampled: bool = False
    # The place of the arm that the others are held against.
    reference: int | None = None
    # How the sample was chosen; None for all of the split.
    choice: CasesChoice | None = None
    # Answers from elsewhere that stand beside the arms that are asked, after them.
    brought: list[BroughtIn] = field(default_factory=list)

    @property
    def n_outputs(self) -> int:
        """All that the trial is to hold."""
        return self.estimate.outputs + sum(len(b.answers) for b in self.brought)

    @property
    def simulated_cost(self) -> int:
        """Of the price, what the calls of simulated models come to, which nobody pays."""
        return simulated_part(self.arms, self.estimate, self.beside)


# Above this many outputs the store is not asked before the start: it would keep a person waiting.
LOOK_UP_AT_MOST = 5_000


def make_plan(
    brief: Brief,
    *,
    versions: Sequence[int],
    models: Sequence[int],
    settings: Sequence[Mapping[str, Any]],
    dataset_version: int,
    split: str,
    repeats: int,
    scorecard: int | None = None,
    seed: int = 0,
    fresh: bool = False,
    continuations: int = 0,
    user_model: int | None = None,
    racing: bool = False,
    reference: Mapping[str, int] | None = None,
    cases: Mapping[str, Any] | None = None,
    baselines: Sequence[int] = (),
) -> Plan:
    """Check every choice and estimate the trial.

    versions: numbers. models, dataset_version, scorecard: ids. settings: one
    mapping per variant, an empty one stands for the version's own. seed: the
    trial's, where settings name none. fresh: ask again even where an answer to
    the same request is stored. continuations: how often a cut answer is continued.
    user_model: the model that plays the user where cases describe one. racing:
    whether arms that are losing are dropped. reference: the arm that others are held against.
    cases: which of the split's, all without it. baselines: ids of answers from elsewhere.
    Raises PlanError or SettingsError with the field (`settings.1.temperature`).
    """
    only_brought = bool(baselines) and not versions and not models
    arms = [] if only_brought else arms_of_choice(brief, versions, models, settings)
    if split not in SPLITS:
        raise PlanError(f"split is {split!r}; allowed are {', '.join(SPLITS)}", field="split")
    data = DatasetVersion.objects.filter(pk=dataset_version, dataset__brief=brief).first()
    if data is None:
        raise PlanError("choose a dataset of this brief", field="dataset_version")
    _check_continuations(continuations)
    choice = CasesChoice(**(cases or {}))
    entries = chosen_of(data, split, choice)
    some = choice.which != ALL
    return plan_of(
        brief,
        arms,
        data,
        split,
        entries,
        scorecard_of(brief, scorecard),
        repeats=repeats,
        seed=seed,
        generation=next_generation() if fresh else 0,
        continuations=continuations,
        user=_player(user_model),
        racing=racing,
        sampled=some,
        reference=_reference(arms, reference, settings, baselines),
        choice=choice if some else None,
        brought=brought_in(brief, data, entries, baselines),
    )


def _reference(
    arms: Sequence[ArmChoice],
    chosen: Mapping[str, Any] | None,
    settings: Sequence[Mapping[str, Any]],
    baselines: Sequence[int],
) -> int | None:
    """The place of the reference, answers from elsewhere standing after the arms.

    One version is held against what there was before it, unless another arm is named.
    """
    brought = list(dict.fromkeys(baselines))
    if chosen is not None and chosen.get("baseline") is not None:
        if chosen["baseline"] not in brought:
            raise PlanError(
                "the answers that others are held against are not among those chosen",
                field="reference",
            )
        return len(arms) + brought.index(chosen["baseline"])
    if chosen is None and brought and len(arms) < 2:
        return len(arms) if len(arms) + len(brought) > 1 else None
    return reference_of(arms, chosen, settings)


def _check_continuations(continuations: int) -> None:
    if not 0 <= continuations <= MAX_CONTINUATIONS:
        raise PlanError(
            f"continuations is {continuations}; allowed is 0 to {MAX_CONTINUATIONS}",
            field="continuations",
        )


def _player(model: int | None) -> Model | None:
    """The model that plays the user. Raises PlanError where it is not there."""
    if model is None:
        return None
    found = Model.objects.select_related("connection").filter(pk=model).first()
    if found is None:
        raise PlanError("the model that plays the user is not there", field="user_model")
    return found


def plan_of(
    brief: Brief,
    arms: list[ArmChoice],
    data: DatasetVersion,
    split: str,
    entries: list[Entry],
    card: Scorecard,
    *,
    repeats: int,
    seed: int = 0,
    generation: int = 0,
    continuations: int = 0,
    user: Model | None = None,
    racing: bool = False,
    purpose: str = COMPARE,
    sampled: bool = False,
    reference: int | None = None,
    choice: CasesChoice | None = None,
    brought: Sequence[BroughtIn] = (),
) -> Plan:
    """The estimate of chosen arms on chosen cases, and what stands in the way.

    sampled: whether entries are only some of the split's. reference: the place of the arm that
    others are held against, else the usual one. Raises PlanError for a
    trial of nothing or of too much.
    """
    check_outputs(len(arms) + len(brought), len(entries), repeats)
    figures, beside = estimate_of(
        arms, entries, repeats, card, user, len(brought), continuations, purpose
    )
    figures.problems.extend(about_brought(brought, len(entries), racing))
    if purpose != TWINS:
        figures.problems.extend(_about_references(card, entries))
    figures.problems.extend(_about_parameters(arms))
    in_store = count_in_store(arms, entries, range(repeats), seed, generation, figures.outputs)
    return Plan(
        brief,
        arms,
        data,
        split,
        entries,
        card,
        repeats,
        seed,
        generation,
        continuations,
        user,
        figures,
        beside,
        in_store,
        racing,
        purpose,
        sampled,
        reference if reference is not None else reference_of(arms, None),
        choice,
        list(brought),
    )


def entries_of(data: DatasetVersion, split: str) -> list[Entry]:
    """The cases of one split, in the dataset's order; not to be changed."""
    return list(_entries(state_of(data), split))


@lru_cache(maxsize=4)
def _entries(state: State, split: str) -> tuple[Entry, ...]:
    """Read once for a state of the dataset: figures of a plan are asked for at every change of it."""
    entries = Entry.objects.filter(dataset_version=state[0], split=split)
    return tuple(entries.select_related("revision__case").order_by("position"))


def chosen_of(data: DatasetVersion, split: str, choice: CasesChoice) -> list[Entry]:
    """The cases of a split that are chosen, in the dataset's order. Raises PlanError."""
    entries = entries_of(data, split)
    if choice.which == ALL or not entries:
        return entries
    holding: list[int] = []
    if choice.which in (WORDS, WHERE):
        asked = tuple(Condition(c["column"], c["test"], c.get("value", "")) for c in choice.where)
        held = set(arranged(state_of(data), View(split, choice.words, asked)))
        holding = [place for place, e in enumerate(entries) if e.pk in held]
    places = chosen(
        choice,
        [e.revision.case.number for e in entries],
        [stratum_of(e.revision.tags) for e in entries],
        [e.revision.tags or [] for e in entries],
        holding,
    )
    return [entries[place] for place in places]


def stratum_of(tags: Sequence[str]) -> str:
    """Cases are stratified by their first tag, in the order in which tags are written."""
    return tags[0] if tags else ""


def check_outputs(n_arms: int, n_cases: int, repeats: int) -> None:
    """Refuse a trial of nothing, and one that no installation of this size should hold."""
    check_size(n_arms, n_cases, repeats)
    if n_arms * n_cases * repeats > MAX_OUTPUTS:
        raise PlanError(
            f"{n_arms} arms × {n_cases} cases × {repeats} repeats are more than "
            f"{MAX_OUTPUTS:,} outputs; leave some out",
            field="repeats",
        )


def planned_case(entry: Entry) -> PlannedCase:
    """A case as it is planned with."""
    held = entry.revision.conversation
    return PlannedCase(
        str(entry.revision_id),
        entry.revision.inputs,
        entry.revision.reference,
        conversation=None if held is None else read_conversation(held),
    )


def estimate_of(
    arms: Sequence[ArmChoice],
    entries: Sequence[Entry],
    repeats: int,
    scorecard: Scorecard,
    user: Model | None,
    n_brought: int = 0,
    continuations: int = 0,
    purpose: str = COMPARE,
) -> tuple[Estimate, Beside]:
    """Calls, tokens and price, set right by what each model's own counts have taught.

    The whole, and of it what is no arm's: judgements, turns of a played user, and answers to twins.
    """
    cases = [planned_case(e) for e in entries]
    own = with_continuations(_asked(arms, cases, repeats), [a.model for a in arms], continuations)
    beside, problems = beside_of(
        [(a.model, a.messages) for a in arms],
        own,
        cases,
        repeats,
        scorecard,
        user,
        n_brought,
        purpose,
    )
    own.problems.extend(problems)
    priced = own.cost is not None and beside.cost is not None
    whole = replace(
        own,
        calls=own.calls + beside.calls,
        tokens_in=own.tokens_in + beside.tokens_in,
        tokens_out=own.tokens_out + beside.tokens_out,
        cost=(own.cost or 0) + (beside.cost or 0) if priced else None,
        unpriced=[*own.unpriced, *(f"the judge of {n}" for n in beside.unpriced)],
    )
    return whole, beside


def simulated_part(arms: Sequence[ArmChoice], estimate: Estimate, beside: Beside) -> int:
    """Of an estimated price, in billionths, what nobody pays."""
    rows = zip(arms, estimate.arms, strict=True)
    return sum(a.model.simulated_part(row.cost) for a, row in rows) + beside.simulated


def _asked(arms: Sequence[ArmChoice], cases: Sequence[PlannedCase], repeats: int) -> Estimate:
    """What the arms themselves take; nothing where there is none that is asked."""
    if not arms:
        return Estimate(0, 0, 0, 0, 0, [], [], [])
    planned = [
        PlannedArm(
            str(i),
            a.label,
            a.messages,
            a.settings,
            a.model.price_in_nano,
            a.model.price_out_nano,
            a.model.context_length,
            *(calibrations_of(a.model.pk)[d] for d in DIRECTIONS),
        )
        for i, a in enumerate(arms)
    ]
    return estimate(planned, cases, repeats)


def next_generation() -> int:
    """One above every generation asked for so far: no stored answer has such a key."""
    trials = Trial.objects.aggregate(top=Max("generation"))["top"] or 0
    outputs = Output.every.aggregate(top=Max("superseded_by"))["top"] or 0
    return max(trials, outputs) + 1


def count_in_store(
    arms: Sequence[ArmChoice],
    entries: Sequence[Entry],
    repeats: range,
    seed: int,
    generation: int,
    outputs: int,
) -> int | None:
    """How many outputs begin with an answer that is stored; None where too many are asked."""
    if outputs > LOOK_UP_AT_MOST:
        return None
    return count_stored(_units(arms, entries, repeats, seed, generation))


def _units(
    arms: Sequence[ArmChoice], entries: Sequence[Entry], repeats: range, seed: int, generation: int
) -> Iterator[Unit]:
    """The outputs of a plan as the engine would ask for them."""
    cases = [
        CaseSpec(c.key, c.inputs, c.reference, conversation=c.conversation)
        for c in map(planned_case, entries)
    ]
    for place, arm in enumerate(arms):
        spec = ArmSpec(
            str(place),
            arm.messages,
            arm.settings,
            arm.model.name,
            connection_spec(arm.model.connection),
            unsupported=tuple(arm.model.unsupported),
        )
        for case in cases:
            for repeat in repeats:
                yield Unit(spec, case, repeat, seed, generation)


def arms_of_choice(
    brief: Brief,
    versions: Sequence[int],
    models: Sequence[int],
    settings: Sequence[Mapping[str, Any]],
) -> list[ArmChoice]:
    """Every version on every model with every settings, each arm once."""
    found = {v.number: v for v in brief.versions.filter(number__in=versions)}
    if missing := [n for n in versions if n not in found]:
        raise PlanError(f"this brief has no version {missing[0]}", field="versions")
    known = {m.pk: m for m in Model.objects.filter(pk__in=models).select_related("connection")}
    if any(m not in known for m in models):
        raise PlanError("one of the models is not there any more", field="models")
    if not versions:
        raise PlanError("choose at least one version", field="versions")
    if not models:
        raise PlanError("choose at least one model", field="models")
    arms = []
    seen: set[str] = set()
    for number in dict.fromkeys(versions):
        for model in dict.fromkeys(models):
            for index, override in enumerate(settings or [{}]):
                try:
                    merged = merge_settings(found[number].settings, override)
                except SettingsError as error:
                    # The field as the form knows it: which row of settings, which parameter.
                    error.field = f"settings.{index}.{error.field}"
                    raise
                key = f"{number} {model} {sorted(merged.items(), key=str)}"
                if key not in seen:
                    seen.add(key)
                    arms.append(ArmChoice(found[number], known[model], merged))
    return arms


def scorecard_of(brief: Brief, chosen: int | None) -> Scorecard:
    """The scorecard chosen by its id, or the newest. Raises PlanError where there is none."""
    cards = brief.scorecards.order_by("-number")
    card = cards.filter(pk=chosen).first() if chosen is not None else cards.first()
    if card is None:
        raise PlanError(
            "this brief has no scorecard yet: say what counts as good first", field="scorecard"
        )
    return card


def _about_references(card: Scorecard, entries: Sequence[Entry]) -> list[Problem]:
    measures = [e for e in read_scorecard(card.document).entries if e.measure.needs_reference]
    needing = [e.name for e in measures]
    without = sum(1 for e in entries if e.revision.reference is None)
    if not needing or not without:
        return []
    # What counts for the total and has no score leaves the total without one.
    if without == len(entries) and any(e.weight > 0 or e.gate for e in measures):
        return [
            Problem(
                ASK,
                "",
                f"no answer can get a score: {_in_words(needing)} "
                f"{'needs' if len(needing) == 1 else 'need'} to know what is wanted, and none of "
                f"the {len(entries)} cases says it",
                "unscored",
            )
        ]
    return [
        Problem(
            "warning",
            "",
            f"{without} of {len(entries)} cases have no reference, so "
            f"{', '.join(needing)} cannot score them",
            "dataset_version",
        )
    ]


def _in_words(names: Sequence[str]) -> str:
    *first, last = names
    return f"{', '.join(first)} and {last}" if first else last


def _about_parameters(arms: Sequence[ArmChoice]) -> list[Problem]:
    """Settings that a model does not take: they are not sent, and it is said."""
    found = []
    for arm in arms:
        protocol = arm.model.connection.protocol
        for name in arm.settings:
            if name in arm.model.unsupported:
                why = f"{arm.model.name} does not take it"
            elif name in PROTOCOLS[protocol].never_sent:
                why = f"the protocol {protocol} has no word for it"
            else:
                continue
            found.append(Problem("warning", arm.label, f"{name} is not sent: {why}", "settings"))
    return found
