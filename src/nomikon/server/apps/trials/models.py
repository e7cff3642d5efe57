"""Trials: arms × cases × repeats, their outputs, calls and scores."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import models

from nomikon.core.prompts import Message, check_messages
from nomikon.core.trials import OUTCOMES
from nomikon.core.trials.states import (
    CANCELLED,
    COMPLETE,
    OPEN_STATES,
    PAUSED,
    QUEUED,
    RUNNING,
    STATES,
    TRIAL_FAILED,
)
from nomikon.engine.units import ANSWER, PARTS
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.models import SPLITS

__all__ = [
    "CANCELLED",
    "COMPARE",
    "COMPLETE",
    "CULPRITS",
    "OPEN_STATES",
    "PAUSED",
    "QUEUED",
    "RUNNING",
    "STATES",
    "TOLD_SPENT",
    "TRIAL_FAILED",
    "TWINS",
    "WATCH",
    "WEIGH",
    "Arm",
    "Call",
    "OutcomeRuling",
    "Output",
    "ScoreRow",
    "Trial",
    "Worker",
]


# What a trial is for: to compare arms, to weigh clauses, to watch an adopted arm, to find which
# amendments moved the cases, or whether the arms hold on twins of cases.
COMPARE, WEIGH, WATCH, CULPRITS, TWINS = "compare", "weigh", "watch", "culprits", "twins"
PURPOSES = (COMPARE, WEIGH, WATCH, CULPRITS, TWINS)

TOLD_SPENT = ("ledgered_nano", "ledgered_simulated_nano")


class Trial(models.Model):
    """What was asked, of which arms, on which cases, and how far it has come."""

    brief = models.ForeignKey("briefs.Brief", on_delete=models.CASCADE, related_name="trials")
    number = models.PositiveIntegerField()
    question = models.CharField(max_length=300, blank=True)
    purpose = models.CharField(max_length=8, choices=[(p, p) for p in PURPOSES], default=COMPARE)
    state = models.CharField(max_length=10, choices=[(s, s) for s in STATES], default=QUEUED)
    # What a person asked of it while it ran: "", stop or pause.
    asked = models.CharField(max_length=5, blank=True)
    message = models.TextField(blank=True)
    dataset_version = models.ForeignKey(
        "datasets.DatasetVersion", on_delete=models.PROTECT, related_name="trials"
    )
    split = models.CharField(max_length=10, choices=[(s, s) for s in SPLITS])
    # The case revisions it takes of the split; null for all of them.
    sample = models.JSONField(null=True)
    # How these were chosen, for people: {which, n, seed, tag, words}; null for all of them.
    choice = models.JSONField(null=True)
    # What a person wrote beside it, and whether it is out of the way.
    note = models.TextField(blank=True)
    archived = models.BooleanField(default=False)
    scorecard = models.ForeignKey("briefs.Scorecard", on_delete=models.PROTECT)
    repeats = models.PositiveIntegerField(default=1)
    seed = models.PositiveIntegerField(default=0)
    generation = models.PositiveIntegerField(default=0)
    # Billionths of the currency; null for no limit. Reached, it pauses the trial.
    budget_nano = models.PositiveBigIntegerField(null=True)
    # All that was ever newly spent on it, and how much of that the ledger holds; of both the part
    # on simulated models, which nobody pays.
    spent_nano = models.PositiveBigIntegerField(default=0)
    simulated_nano = models.PositiveBigIntegerField(default=0)
    ledgered_nano = models.PositiveBigIntegerField(default=0)
    ledgered_simulated_nano = models.PositiveBigIntegerField(default=0)
    # How often an answer that was cut is continued.
    continuations = models.PositiveIntegerField(default=0)
    # Who plays the user where cases are conversations with one that is described.
    user_model = models.ForeignKey(
        "connections.Model", null=True, on_delete=models.PROTECT, related_name="+"
    )
    # Arms that are losing are dropped at five looks.
    racing = models.BooleanField(default=False)
    # The arm its plan holds the others against; another one chosen later widens the family of tests.
    reference = models.ForeignKey("Arm", null=True, on_delete=models.SET_NULL, related_name="+")
    # How often cases, arms or repeats were added after the start.
    extensions = models.PositiveIntegerField(default=0)
    # Raised whenever stored scores change without a new output: figures kept before are stale.
    scores_changed = models.PositiveIntegerField(default=0)
    # By which rules all its outputs and their scores by its scorecard are up to date; "" unknown.
    figures_rule = models.CharField(max_length=20, blank=True)
    # What desk and spine tell of it once it is complete (trials/headline.py); null unknown.
    headline = models.JSONField(null=True)
    n_cases = models.PositiveIntegerField()
    n_outputs = models.PositiveIntegerField()
    estimate = models.JSONField(default=dict)
    created_at = models.DateTimeField()
    started_at = models.DateTimeField(null=True)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["brief", "number"]
        constraints = [models.UniqueConstraint(fields=["brief", "number"], name="trial_number")]

    def tell_spent(self) -> tuple[int, int]:
        """What the ledger does not hold yet, all of it and the part on simulated models; from now on
        it does. Save TOLD_SPENT after it."""
        told = (
            self.spent_nano - self.ledgered_nano,
            self.simulated_nano - self.ledgered_simulated_nano,
        )
        self.ledgered_nano, self.ledgered_simulated_nano = self.spent_nano, self.simulated_nano
        return told


class Arm(models.Model):
    """One version × one model × one settings; prices as they were when it was planned.

    An arm whose answers were brought in has a baseline instead: no version, no model; it is never
    asked. brought_as: the baseline's name as it was then.
    """

    trial = models.ForeignKey(Trial, on_delete=models.CASCADE, related_name="arms")
    position = models.PositiveIntegerField()
    version = models.ForeignKey(
        "briefs.Version", null=True, on_delete=models.PROTECT, related_name="arms"
    )
    model = models.ForeignKey(
        "connections.Model", null=True, on_delete=models.PROTECT, related_name="arms"
    )
    baseline = models.ForeignKey(
        "baselines.Baseline", null=True, on_delete=models.PROTECT, related_name="arms"
    )
    brought_as = models.CharField(max_length=120, blank=True, default="")
    settings = models.JSONField()
    # Numbers of the version's clauses that this arm leaves out.
    without = models.JSONField(default=list)
    # Ids of the only amendments that this arm takes of its version's; null where it takes all.
    taken = models.JSONField(null=True)
    # The text it sends, before a case fills it: [{role, content, step}]. Stored, so that no later
    # way of telling clauses changes what an arm sends when it goes on.
    messages = models.JSONField(default=list)
    price_in_nano = models.PositiveBigIntegerField(null=True)
    price_out_nano = models.PositiveBigIntegerField(null=True)
    # Of tokens read from the server's store, and of reasoning; null is the price of the others.
    price_cached_nano = models.PositiveBigIntegerField(null=True)
    price_reasoning_nano = models.PositiveBigIntegerField(null=True)
    # Where it left the race: {cases, against: id of the arm that beat it, p}.
    dropped = models.JSONField(null=True)

    class Meta:
        ordering = ["trial", "position"]
        constraints = [models.UniqueConstraint(fields=["trial", "position"], name="arm_position")]

    @property
    def sends(self) -> tuple[Message, ...]:
        """The text this arm sends, before a case fills it; none where nothing is asked."""
        return () if self.brought_in else check_messages(self.messages)

    @property
    def brought_in(self) -> bool:
        """Whether its answers come from elsewhere: it is never asked."""
        return self.baseline_id is not None

    @property
    def asked_version(self) -> Version:
        """The version of an arm that is asked."""
        assert self.version is not None, "answers that were brought in have no version"
        return self.version

    @property
    def asked_model(self) -> Model:
        """The model of an arm that is asked."""
        assert self.model is not None, "answers that were brought in have no model"
        return self.model

    @property
    def version_label(self) -> str:
        """The version as it is named wherever the arm is: with what it leaves out."""
        if self.version is None:
            return self.brought_as
        return version_label(self.version.number, self.without, self.taken)

    @property
    def in_words(self) -> str:
        """`v7 on some-model`, or in quotes the name of what was brought in."""
        return (
            f"{self.version_label} on {self.model.name}" if self.model else f"“{self.brought_as}”"
        )


def version_label(number: int, without: Sequence[int], taken: Sequence[str] | None = None) -> str:
    """`v7`, or `v7 without §3, §5`, or `v7 with only amend-3 of its changes`."""
    if taken is not None:
        return f"v{number} with only {', '.join(taken)} of its changes"
    left = ", ".join(f"§{n}" for n in without)
    return f"v{number} without {left}" if left else f"v{number}"


class CurrentOutputs(models.Manager["Output"]):
    """Outputs that stand; those that a later one took the place of are in `Output.every`."""

    def get_queryset(self) -> models.QuerySet[Output]:
        return super().get_queryset().filter(superseded_by=None)


class Output(models.Model):
    """One answer of one arm to one case in one repeat.

    cost_nominal: what the calls that answer cost; cost_new: what was newly spent
    on it, judgements and a played user included.
    generation: the one it was asked in. superseded_by: the generation of the
    output that is to take its place; null while it stands. Nothing is deleted:
    a failed call that was asked again, or an answer asked for afresh, is kept.
    """

    arm = models.ForeignKey(Arm, on_delete=models.CASCADE, related_name="outputs")
    revision = models.ForeignKey(
        "datasets.CaseRevision", on_delete=models.PROTECT, related_name="outputs"
    )
    repeat = models.PositiveIntegerField()
    outcome = models.CharField(max_length=10, choices=[(o, o) for o in OUTCOMES])
    why = models.TextField(blank=True)
    # What an answer looks like and is not for sure: it is scored as an answer until a person says.
    suspected = models.CharField(max_length=10, blank=True)
    failure = models.CharField(max_length=20, blank=True)
    text = models.TextField(blank=True)
    # What was thought before the answer; never scored, never sent on.
    reasoning = models.TextField(blank=True)
    # The conversation whose last answer the text is: [[role, text]]; empty for a single answer.
    turns = models.JSONField(default=list)
    # By which revision of the rule text and outcome were read from its calls.
    outcome_rule = models.PositiveSmallIntegerField(default=0)
    finish_reason = models.CharField(max_length=40, blank=True)
    tokens_in = models.PositiveIntegerField(null=True)
    tokens_out = models.PositiveIntegerField(null=True)
    cost_nominal = models.PositiveBigIntegerField(null=True)
    cost_new = models.PositiveBigIntegerField(null=True)
    latency_ms = models.FloatField(null=True)
    first_ms = models.FloatField(null=True)
    generation = models.PositiveIntegerField(default=0)
    superseded_by = models.PositiveIntegerField(null=True)
    created_at = models.DateTimeField()

    objects = CurrentOutputs()
    every = models.Manager["Output"]()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["arm", "revision", "repeat"],
                condition=models.Q(superseded_by=None),
                name="output_once",
            ),
        ]


class Call(models.Model):
    """One request to a model and its answer; an output owns its calls in order."""

    output = models.ForeignKey(Output, on_delete=models.CASCADE, related_name="calls")
    position = models.PositiveIntegerField()
    part = models.CharField(max_length=10, choices=[(p, p) for p in PARTS], default=ANSWER)
    # Of a judgement, the name of its measure.
    step = models.CharField(max_length=80, blank=True)
    # Whom it asked, where that is not the arm's model.
    asked_model = models.ForeignKey(
        "connections.Model", null=True, on_delete=models.PROTECT, related_name="+"
    )
    # Why a judgement's call gave no answer.
    failure = models.CharField(max_length=20, blank=True)
    # It asked for the rest of the answer before it, or once more for a judgement.
    continues = models.BooleanField(default=False)
    request = models.JSONField()
    answer_key = models.CharField(max_length=64, db_index=True)
    text = models.TextField(blank=True)
    # What came in fields of their own: [[name, arguments]] for tools.
    reasoning = models.TextField(blank=True)
    refusal = models.TextField(blank=True)
    tool_calls = models.JSONField(default=list)
    finish_reason = models.CharField(max_length=40, blank=True)
    tokens_in = models.PositiveIntegerField(null=True)
    tokens_out = models.PositiveIntegerField(null=True)
    tokens_cached = models.PositiveIntegerField(null=True)
    tokens_reasoning = models.PositiveIntegerField(null=True)
    tokens_estimated = models.BooleanField(default=False)
    cost = models.PositiveBigIntegerField(null=True)
    latency_ms = models.FloatField(default=0)
    first_ms = models.FloatField(null=True)
    model_identity = models.CharField(max_length=200, blank=True)
    attempts = models.PositiveIntegerField(default=1)
    # Of attempts that broke off after the server had begun; null where none did.
    wasted_in = models.PositiveIntegerField(null=True)
    wasted_out = models.PositiveIntegerField(null=True)
    wasted_cost = models.PositiveBigIntegerField(null=True)
    # Where the answer was had, when it was not asked for anew; attempts is then 0. An answer that
    # another output was just having is told as its when that one is stored.
    reused_from = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")
    answered_at = models.DateTimeField()

    class Meta:
        ordering = ["output", "position"]


class OutcomeRuling(models.Model):
    """What a person decided an answer is, in doubt or not; it holds for the same text in a brief."""

    brief = models.ForeignKey("briefs.Brief", on_delete=models.CASCADE, related_name="rulings")
    digest = models.CharField(max_length=64)
    outcome = models.CharField(max_length=10, choices=[(o, o) for o in OUTCOMES])
    decided_by = models.CharField(max_length=60)
    decided_at = models.DateTimeField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["brief", "digest"], name="outcome_ruling_once"),
        ]


class CurrentScores(models.Manager["ScoreRow"]):
    """Score rows that stand; those a newer one took the place of are in `ScoreRow.every`."""

    def get_queryset(self) -> models.QuerySet[ScoreRow]:
        return super().get_queryset().filter(replaced=False)


class ScoreRow(models.Model):
    """All scores of one output by one scorecard, packed: {measure: [value or null, why, code?]}.

    rule: the revision of the rule that made it. replaced: by a newer row, made after a judge
    was asked again, a reference was corrected or the rule was another; it is kept and counts no
    more.
    """

    output = models.ForeignKey(Output, on_delete=models.CASCADE, related_name="scores")
    # Always asked for together with the output, whose index leads to the row.
    scorecard = models.ForeignKey("briefs.Scorecard", on_delete=models.PROTECT, db_index=False)
    total = models.FloatField(null=True)
    total_why = models.TextField(blank=True)
    ungated = models.FloatField(null=True)
    packed = models.JSONField()
    rule = models.PositiveSmallIntegerField(default=0)
    replaced = models.BooleanField(default=False)

    objects = CurrentScores()
    every = models.Manager["ScoreRow"]()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["output", "scorecard"],
                condition=models.Q(replaced=False),
                name="score_row_once",
            ),
        ]


class Worker(models.Model):
    """The one worker process's sign of life."""

    started_at = models.DateTimeField()
    seen_at = models.DateTimeField()
    pid = models.PositiveIntegerField()
