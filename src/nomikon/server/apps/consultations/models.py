"""Consultations: what helping models were asked, and what they replied, kept until it is settled."""

from __future__ import annotations

from django.db import models

from nomikon.core.consulting import ROLES

OPEN, TAKEN, DROPPED = "open", "taken", "dropped"
STATES = (OPEN, TAKEN, DROPPED)


class StandingReader(models.Model):
    """A standing consent: every version that is saved in a brief is read by this model, unasked."""

    brief = models.OneToOneField(
        "briefs.Brief", on_delete=models.CASCADE, related_name="standing_reader"
    )
    model = models.ForeignKey("connections.Model", on_delete=models.CASCADE, related_name="+")
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)


class Consultation(models.Model):
    """One question to a helping model, with its paid reply.

    about: what fills the question and what the reply is read against, by name. request: the
    messages as first sent. tries: [{reply, reasoning, finish_reason, failure, problem, tokens_in,
    tokens_out, cost, seconds}], the first question and what was asked once more. text: the reply
    as it is read now; edited: a person has changed it.
    """

    role = models.CharField(max_length=20, choices=[(r, r) for r in ROLES])
    brief = models.ForeignKey(
        "briefs.Brief", null=True, on_delete=models.CASCADE, related_name="consultations"
    )
    model = models.ForeignKey("connections.Model", on_delete=models.PROTECT, related_name="+")
    about = models.JSONField()
    settings = models.JSONField()
    instruction = models.TextField()
    request = models.JSONField()
    tries = models.JSONField(default=list)
    text = models.TextField(blank=True)
    edited = models.BooleanField(default=False)
    state = models.CharField(max_length=8, choices=[(s, s) for s in STATES], default=OPEN)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["-id"]
