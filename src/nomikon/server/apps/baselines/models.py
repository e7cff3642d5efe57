"""Answers that no model of ours gave: a person's, a former system's, those of a log."""

from __future__ import annotations

from django.db import models


class Baseline(models.Model):
    """Answers to the cases of a dataset, at most one for each.

    Trials copy what they take of it: what is changed here later changes no trial.
    """

    dataset = models.ForeignKey(
        "datasets.Dataset", on_delete=models.CASCADE, related_name="baselines"
    )
    name = models.CharField(max_length=120)
    # Who or what gave the answers, for people.
    note = models.TextField(blank=True)
    archived = models.BooleanField(default=False)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["dataset", "id"]


class BaselineAnswer(models.Model):
    """One answer. revision: the case as it was when it was answered.

    tokens, cost (in billionths of the currency) and latency as they were told with it.
    """

    baseline = models.ForeignKey(Baseline, on_delete=models.CASCADE, related_name="answers")
    case = models.ForeignKey("datasets.Case", on_delete=models.CASCADE, related_name="+")
    revision = models.ForeignKey(
        "datasets.CaseRevision", on_delete=models.CASCADE, related_name="+"
    )
    text = models.TextField()
    tokens_in = models.PositiveIntegerField(null=True)
    tokens_out = models.PositiveIntegerField(null=True)
    cost_nano = models.PositiveBigIntegerField(null=True)
    latency_ms = models.FloatField(null=True)
    written_by = models.CharField(max_length=60)
    written_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["baseline", "case"], name="baseline_answer_once"),
        ]
