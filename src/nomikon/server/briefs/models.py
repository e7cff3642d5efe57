"""Briefs, the versions of their prompt, and the scorecards they are judged by."""

from __future__ import annotations

from django.db import models

ORIGINS = ("typed", "drafted", "amended", "imported", "trimmed")


class Brief(models.Model):
    """The job one prompt must do, and the container of everything below."""

    name = models.CharField(max_length=120)
    job = models.TextField(blank=True)
    task = models.CharField(max_length=20, default="other")
    archived = models.BooleanField(default=False)
    # Rules of findings that do not apply here: {rule: reason}.
    silenced = models.JSONField(default=dict)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]


class Version(models.Model):
    """The text under work. Immutable; a change is a new version with this one as parent."""

    brief = models.ForeignKey(Brief, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="children")
    second_parent = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="+")
    note = models.CharField(max_length=300, blank=True)
    origin = models.CharField(max_length=10, choices=[(o, o) for o in ORIGINS], default="typed")
    messages = models.JSONField()
    settings = models.JSONField(default=dict)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["brief", "number"]
        constraints = [
            models.UniqueConstraint(fields=["brief", "number"], name="version_number"),
        ]


class Scorecard(models.Model):
    """Which measures count, how much. Immutable; a change is a new scorecard."""

    brief = models.ForeignKey(Brief, on_delete=models.CASCADE, related_name="scorecards")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["brief", "number"]
        constraints = [
            models.UniqueConstraint(fields=["brief", "number"], name="scorecard_number"),
        ]
