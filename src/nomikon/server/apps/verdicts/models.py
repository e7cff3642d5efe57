"""Verdicts: the recorded decision for an arm, with its evidence as it was then."""

from __future__ import annotations

from django.db import models


class Verdict(models.Model):
    """An arm was adopted: by whom, when, why, and on what figures."""

    brief = models.ForeignKey("briefs.Brief", on_delete=models.CASCADE, related_name="verdicts")
    arm = models.ForeignKey("trials.Arm", on_delete=models.PROTECT, related_name="verdicts")
    against = models.ForeignKey("trials.Arm", null=True, on_delete=models.PROTECT, related_name="+")
    reason = models.TextField()
    evidence = models.JSONField()
    decided_at = models.DateTimeField()
    decided_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["id"]


class Watch(models.Model):
    """An adopted arm that is asked again on a fixed sample of its cases, to see whether it holds.

    sample: the case revisions. planned: how many checks share the 5 % of false alarms; after
    so many it has ended. every_days: null for on demand alone. The first check is what the
    later ones are compared with: the figures an arm was chosen by are the best of several and
    would look like a fall.
    """

    brief = models.ForeignKey("briefs.Brief", on_delete=models.CASCADE, related_name="watches")
    verdict = models.ForeignKey(Verdict, on_delete=models.CASCADE, related_name="watches")
    sample = models.JSONField()
    planned = models.PositiveIntegerField()
    every_days = models.PositiveIntegerField(null=True)
    next_at = models.DateTimeField(null=True)
    stopped_at = models.DateTimeField(null=True)
    # Why the last check could not be started, "" if it could.
    trouble = models.TextField(blank=True)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["-id"]


class WatchCheck(models.Model):
    """One time the arm was asked again; number 0 is the first, which the others are compared with."""

    watch = models.ForeignKey(Watch, on_delete=models.CASCADE, related_name="checks")
    number = models.PositiveIntegerField()
    trial = models.OneToOneField("trials.Trial", on_delete=models.PROTECT, related_name="watched")
    # What it found, kept under a key of all that could change it: {key, drifted, words}.
    found = models.JSONField(null=True)

    class Meta:
        ordering = ["watch", "number"]
        constraints = [
            models.UniqueConstraint(fields=["watch", "number"], name="watch_check_number")
        ]
