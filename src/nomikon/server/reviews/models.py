"""Marks: what people say about outputs."""

from __future__ import annotations

from django.db import models

from nomikon.core.stats.pairs import OUTCOMES

GOOD, USABLE, BAD = "good", "usable", "bad"
JUDGEMENTS = (GOOD, USABLE, BAD)
# A mark as a place on an ordinal scale.
PLACES = {BAD: 0, USABLE: 1, GOOD: 2}


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
    # Whether the output came up by chance; others say nothing about an arm as a whole.
    drawn = models.BooleanField(default=True)
    current = models.BooleanField(default=True)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["output", "reader"], condition=models.Q(current=True), name="mark_current"
            ),
        ]


class Preference(models.Model):
    """Which of two answers to one case a reader preferred, shown blind; the last one counts."""

    left = models.ForeignKey("trials.Output", on_delete=models.CASCADE, related_name="+")
    right = models.ForeignKey("trials.Output", on_delete=models.CASCADE, related_name="+")
    reader = models.CharField(max_length=60)
    outcome = models.CharField(max_length=5, choices=[(o, o) for o in OUTCOMES])
    reason = models.TextField(blank=True)
    current = models.BooleanField(default=True)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["left", "right", "reader"],
                condition=models.Q(current=True),
                name="preference_current",
            ),
        ]
