"""The ledger, and the event table that live pages read."""

from __future__ import annotations

from django.db import models


class Line(models.Model):
    """One thing that happened, in order. Written in the transaction it tells of, never edited."""

    at = models.DateTimeField()
    actor = models.CharField(max_length=60)
    what = models.CharField(max_length=40)
    brief = models.ForeignKey("briefs.Brief", null=True, on_delete=models.CASCADE)
    subject = models.CharField(max_length=40)
    subject_id = models.BigIntegerField(null=True)
    facts = models.JSONField(default=dict)
    # Models, settings, version, trial and output it is about, to find it by.
    about = models.JSONField(default=dict)
    # All that it cost, and the part of that on simulated models, which nobody pays.
    cost_nano = models.PositiveBigIntegerField(null=True)
    simulated_nano = models.PositiveBigIntegerField(default=0)

    class Meta:
        ordering = ["-id"]


class Event(models.Model):
    """Something a live page may want to show; its id lets a page resume where it was."""

    topic = models.CharField(max_length=60, db_index=True)
    kind = models.CharField(max_length=30)
    payload = models.JSONField(default=dict)
    at = models.DateTimeField()

    class Meta:
        ordering = ["id"]


class SpentDay(models.Model):
    """What was newly spent on one day (UTC), all told, and the part of it on simulated models: a
    running total, so that no page adds up every answer there ever was."""

    day = models.DateField(unique=True)
    nano = models.PositiveBigIntegerField(default=0)
    simulated_nano = models.PositiveBigIntegerField(default=0)

    class Meta:
        ordering = ["day"]
