"""Marks: what people say about outputs."""

from __future__ import annotations

from django.db import models

from nomikon.core.measures.precedents import KINDS
from nomikon.core.stats.pairs import OUTCOMES

GOOD, USABLE, BAD = "good", "usable", "bad"
JUDGEMENTS = (GOOD, USABLE, BAD)
# What became of what was said of a former answer.
FIXED, STILL, WORSE = "fixed", "still", "worse"
SINCE = (FIXED, STILL, WORSE)
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
    # Taken back by its reader; others that are not current were replaced by a later one.
    taken_back = models.BooleanField(default=False)
    # The mark of an identical answer that this one was taken over from.
    inherited_from = models.ForeignKey(
        "self", null=True, on_delete=models.SET_NULL, related_name="inherited"
    )
    # The mark of a former answer to the same case, and what became of what it said.
    former = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="later")
    since = models.CharField(max_length=5, blank=True, choices=[(s, s) for s in SINCE])
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["output", "reader"], condition=models.Q(current=True), name="mark_current"
            ),
        ]


class ReferenceDraft(models.Model):
    """What one person holds to be right for a case, while another is to write it, too.

    The same from two is the reference; what differs is settled by a person. text and forms: as
    of a case revision. settled: a reference was made of it and the others.
    """

    revision = models.ForeignKey(
        "datasets.CaseRevision", on_delete=models.CASCADE, related_name="drafts"
    )
    reader = models.CharField(max_length=60)
    text = models.TextField()
    forms = models.JSONField(default=list)
    settled = models.BooleanField(default=False)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["revision", "reader"], name="reference_draft_once"),
        ]


class Precedent(models.Model):
    """A check on one case that a person confirmed from a mark; every later version is held to it."""

    brief = models.ForeignKey("briefs.Brief", on_delete=models.CASCADE, related_name="precedents")
    case = models.ForeignKey("datasets.Case", on_delete=models.CASCADE, related_name="precedents")
    kind = models.CharField(max_length=12, choices=[(k, k) for k in KINDS])
    text = models.TextField()
    # Who answers a question; null for the other kinds.
    judge = models.ForeignKey(
        "connections.Model", null=True, on_delete=models.PROTECT, related_name="+"
    )
    mark = models.ForeignKey(Mark, null=True, on_delete=models.SET_NULL, related_name="precedents")
    retired = models.BooleanField(default=False)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["brief", "id"]


class Ruling(models.Model):
    """What a judge said of one answer under a precedent; null where its reply could not be read."""

    precedent = models.ForeignKey(Precedent, on_delete=models.CASCADE, related_name="rulings")
    output = models.ForeignKey("trials.Output", on_delete=models.CASCADE, related_name="rulings")
    holds = models.BooleanField(null=True)
    why = models.TextField(blank=True)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["precedent", "output"], name="ruling_once"),
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


class RemarkPlace(models.Model):
    """Where a person put a remark: with another one's group, or in a group of its own.

    remark, beside: what tells a remark from others, as core's `remark_id`; the same where it stands alone.
    It holds in every trial in which both are said.
    """

    brief = models.ForeignKey(
        "briefs.Brief", on_delete=models.CASCADE, related_name="remark_places"
    )
    remark = models.CharField(max_length=64)
    beside = models.CharField(max_length=64)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["brief", "remark"], name="remark_place_once"),
        ]


class Embedder(models.Model):
    """What puts a brief's remarks into vectors, by which they are grouped; price of a million tokens."""

    brief = models.OneToOneField("briefs.Brief", on_delete=models.CASCADE, related_name="embedder")
    connection = models.ForeignKey(
        "connections.Connection", on_delete=models.CASCADE, related_name="+"
    )
    model = models.CharField(max_length=200)
    price_nano = models.PositiveBigIntegerField(null=True)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)


class RemarkVector(models.Model):
    """A remark's text as an embeddings model gave it. digest: of the text. packed: float32, little-endian."""

    connection = models.ForeignKey(
        "connections.Connection", on_delete=models.CASCADE, related_name="+"
    )
    model = models.CharField(max_length=200)
    digest = models.CharField(max_length=64)
    packed = models.BinaryField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["connection", "model", "digest"], name="remark_vector_once"
            ),
        ]
