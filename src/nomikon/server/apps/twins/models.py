"""Twins of cases, as they were made, and which of them a person left."""

from __future__ import annotations

from django.db import models

from nomikon.core.twins import EXPECTS


class TwinSet(models.Model):
    """Twins of some working cases of a dataset.

    of: the version whose cases they are twins of. dataset: a dataset of its own, put away, that holds
    these cases again, under their numbers, and the twins after them; trials run on it like on any.
    kinds: those that were asked for. each: how many of a kind and case.
    """

    brief = models.ForeignKey("briefs.Brief", on_delete=models.CASCADE, related_name="twin_sets")
    of = models.ForeignKey("datasets.DatasetVersion", on_delete=models.PROTECT, related_name="+")
    dataset = models.OneToOneField(
        "datasets.Dataset", on_delete=models.CASCADE, related_name="twin_set"
    )
    kinds = models.JSONField()
    each = models.PositiveSmallIntegerField()
    seed = models.PositiveIntegerField()
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["-id"]


class Twin(models.Model):
    """One case put differently. revision, original: both in the set's dataset. about, token: as in
    `core.twins.Twin`. left: a person said that it expects what it should not; it counts for nothing."""

    set = models.ForeignKey(TwinSet, on_delete=models.CASCADE, related_name="twins")
    revision = models.OneToOneField(
        "datasets.CaseRevision", on_delete=models.CASCADE, related_name="twin"
    )
    original = models.ForeignKey(
        "datasets.CaseRevision", on_delete=models.CASCADE, related_name="twins"
    )
    kind = models.CharField(max_length=40)
    expects = models.CharField(max_length=13, choices=[(e, e) for e in EXPECTS])
    about = models.JSONField(default=dict)
    token = models.CharField(max_length=20, blank=True)
    left = models.BooleanField(default=False)

    class Meta:
        ordering = ["set", "id"]
