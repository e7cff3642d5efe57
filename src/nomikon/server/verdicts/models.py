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
