"""Automatic rounds: a run of them, each round, and the candidates it tried."""

from __future__ import annotations

from django.db import models

RUNNING, ENDED, STOPPED, ROUNDS_FAILED = "running", "ended", "stopped", "failed"
STATES = (RUNNING, ENDED, STOPPED, ROUNDS_FAILED)
# What a round is doing: scoring its parent, asking for candidates, testing them; then it is decided.
MEASURING, ASKING, TESTING, DECIDED = "measuring", "asking", "testing", "decided"
PHASES = (MEASURING, ASKING, TESTING, DECIDED)


class Rounds(models.Model):
    """Rounds that run by themselves: from which version, on what, within which bounds.

    best: the version that no later candidate has beaten so far.
    """

    brief = models.ForeignKey("briefs.Brief", on_delete=models.CASCADE, related_name="rounds")
    number = models.PositiveIntegerField()
    state = models.CharField(max_length=8, choices=[(s, s) for s in STATES], default=RUNNING)
    # Set when a person asks it to stop.
    stopping = models.BooleanField(default=False)
    # How it ended, in words.
    message = models.TextField(blank=True)
    start = models.ForeignKey("briefs.Version", on_delete=models.PROTECT, related_name="+")
    best = models.ForeignKey("briefs.Version", on_delete=models.PROTECT, related_name="+")
    dataset_version = models.ForeignKey("datasets.DatasetVersion", on_delete=models.PROTECT)
    scorecard = models.ForeignKey("briefs.Scorecard", on_delete=models.PROTECT)
    model = models.ForeignKey("connections.Model", on_delete=models.PROTECT, related_name="+")
    settings = models.JSONField(default=dict)
    repeats = models.PositiveIntegerField(default=1)
    # Who proposes, told what, with which settings.
    amender = models.ForeignKey("connections.Model", on_delete=models.PROTECT, related_name="+")
    instruction = models.TextField()
    amender_settings = models.JSONField(default=dict)
    most_rounds = models.PositiveIntegerField()
    candidates = models.PositiveIntegerField()
    budget_nano = models.PositiveBigIntegerField(null=True)
    # The one trial on held-out cases at the end, of start and best.
    held_trial = models.ForeignKey(
        "trials.Trial", null=True, on_delete=models.PROTECT, related_name="+"
    )
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["brief", "number"]
        constraints = [models.UniqueConstraint(fields=["brief", "number"], name="rounds_number")]


class Round(models.Model):
    """One round. measured: the trial whose answers its faults come from; tested: of the candidates."""

    rounds = models.ForeignKey(Rounds, on_delete=models.CASCADE, related_name="parts")
    number = models.PositiveIntegerField()
    phase = models.CharField(max_length=10, choices=[(p, p) for p in PHASES], default=MEASURING)
    parent = models.ForeignKey("briefs.Version", on_delete=models.PROTECT, related_name="+")
    measured = models.ForeignKey(
        "trials.Trial", null=True, on_delete=models.PROTECT, related_name="+"
    )
    tested = models.ForeignKey(
        "trials.Trial", null=True, on_delete=models.PROTECT, related_name="+"
    )
    # The faults as they were found: [{title, label, source, n, cases, outputs}].
    faults = models.JSONField(default=list)
    kept = models.ForeignKey(
        "briefs.Version", null=True, on_delete=models.PROTECT, related_name="+"
    )
    why = models.TextField(blank=True)

    class Meta:
        ordering = ["rounds", "number"]
        constraints = [models.UniqueConstraint(fields=["rounds", "number"], name="round_number")]


class Candidate(models.Model):
    """One set of amendments that was asked for. faults: places from 0 in its round's list.

    version: null where nothing of the reply could stand, and why says so.
    """

    round = models.ForeignKey(Round, on_delete=models.CASCADE, related_name="tried")
    place = models.PositiveIntegerField()
    faults = models.JSONField()
    asked = models.JSONField(default=list)
    answered = models.BooleanField(default=False)
    reply = models.TextField(blank=True)
    refused = models.JSONField(default=list)
    why = models.TextField(blank=True)
    version = models.ForeignKey(
        "briefs.Version", null=True, on_delete=models.PROTECT, related_name="+"
    )
    tokens_in = models.PositiveIntegerField(null=True)
    tokens_out = models.PositiveIntegerField(null=True)
    cost_nano = models.PositiveBigIntegerField(null=True)

    class Meta:
        ordering = ["round", "place"]
        constraints = [models.UniqueConstraint(fields=["round", "place"], name="candidate_place")]
