"""Marks: what people say about outputs."""

from __future__ import annotations

from django.db import models

GOOD, USABLE, BAD = "good", "usable", "bad"
JUDGEMENTS = (GOOD, USABLE, BAD)


class Mark(models.Model):
    """One person's judgement of one output. A change of mind is a new row; the last one counts.

    spans: comments on the answer's words, [{start, end, quote, comment}], offsets
    in code points. faults: kinds of fault, by name. better: an answer that would
    have been right, null where none was given.
    """

    output = models.ForeignKey("trials.Output", on_delete=models.CASCADE, related_name="marks")
    reader = models.CharField(max_length=60)
    judgement = models.CharField(max_length=10, choices=[(j, j) for j in JUDGEMENTS])
    comment = models.TextField(blank=True)
    spans = models.JSONField(default=list)
    faults = models.JSONField(default=list)
    better = models.TextField(null=True)
    current = models.BooleanField(default=True)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["output", "reader"], condition=models.Q(current=True), name="mark_current"
            ),
        ]
