"""Weighings: a version's clauses left out by a designed experiment, and what came of it."""

from __future__ import annotations

from django.db import models


class Weighing(models.Model):
    """One screening of one version on one model with one settings.

    units: the clauses that are left out, each group as one, by number. locked: those that
    stay, [[number, why]]. lines: the clauses as they were numbered then, [{number, role, first,
    text}]. clause_rule: by which revision of the rule. trial: its arms are the screening's rows,
    in order.
    """

    brief = models.ForeignKey("briefs.Brief", on_delete=models.CASCADE, related_name="weighings")
    version = models.ForeignKey(
        "briefs.Version", on_delete=models.PROTECT, related_name="weighings"
    )
    trial = models.OneToOneField("trials.Trial", on_delete=models.PROTECT, related_name="weighing")
    units = models.JSONField()
    locked = models.JSONField()
    lines = models.JSONField(default=list)
    clause_rule = models.PositiveSmallIntegerField(default=0)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["-id"]


class Strike(models.Model):
    """The test of a weighing: clauses struck together, and pairs left out by themselves.

    clauses: what is struck. pairs: the groups of clauses that its further arms leave out.
    """

    weighing = models.ForeignKey(Weighing, on_delete=models.CASCADE, related_name="strikes")
    trial = models.OneToOneField("trials.Trial", on_delete=models.PROTECT, related_name="strike")
    clauses = models.JSONField()
    pairs = models.JSONField()
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["-id"]
