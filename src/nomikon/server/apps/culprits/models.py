"""Searches for the amendment that moved the cases between two versions."""

from __future__ import annotations

from django.db import models


class CulpritSearch(models.Model):
    """Which of the amendments between two arms of a trial did it.

    of: the trial both arms ran in. older, newer: the arms. trial: its arms are the texts with some of
    the amendments taken, in the order of `subsets`. amendments: [{id, kind, clause, text, requires}] as
    they were then; clause: its number in the newer version, in the older where it was struck. subsets:
    of each arm, the ids taken. orders: those drawn, each
    a list of groups of ids; none where they were not asked for. better, worse: revisions of cases that moved and are asked again.
    clause_rule: by which revision of the rule clauses were told. saved: numbers of the versions made
    from the newer one without some of them.
    """

    brief = models.ForeignKey(
        "briefs.Brief", on_delete=models.CASCADE, related_name="culprit_searches"
    )
    of = models.ForeignKey("trials.Trial", on_delete=models.PROTECT, related_name="searched_by")
    older = models.ForeignKey("trials.Arm", on_delete=models.PROTECT, related_name="+")
    newer = models.ForeignKey("trials.Arm", on_delete=models.PROTECT, related_name="+")
    trial = models.OneToOneField(
        "trials.Trial", on_delete=models.PROTECT, related_name="culprit_search"
    )
    amendments = models.JSONField()
    subsets = models.JSONField()
    orders = models.JSONField(default=list)
    better = models.JSONField()
    worse = models.JSONField()
    saved = models.JSONField(default=list)
    clause_rule = models.PositiveSmallIntegerField(default=0)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["-id"]
