"""Datasets and cases. A case is an identity, its content an immutable revision."""

from __future__ import annotations

from django.db import models

WORKING, HELD_OUT = "working", "held-out"
SPLITS = (WORKING, HELD_OUT)
LONGEST_ID = 200


class Dataset(models.Model):
    """Rows of inputs for one brief."""

    brief = models.ForeignKey("briefs.Brief", on_delete=models.CASCADE, related_name="datasets")
    name = models.CharField(max_length=120)
    archived = models.BooleanField(default=False)
    # Groups of copies that a person said may stay: [[numbers of their cases]].
    copies_kept = models.JSONField(default=list)
    # The file or folder of this machine that it is read from again, and how: see `tied.Tied`.
    tied = models.JSONField(null=True)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]


class DatasetVersion(models.Model):
    """What a dataset held at one time: a list of revisions, each with its split.

    Once a trial has run on it, it never changes; until then changes go into it,
    and `changed` counts them. kinds: what the values of a column are, by column.
    taken_back_to: of a version that one change of many made, {words: that change, before: id of
    the version it was made from, columns, kinds: those it had, changed: the count after it};
    that change can be taken back as long as nothing else has changed the version.
    """

    dataset = models.ForeignKey(Dataset, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    note = models.CharField(max_length=300, blank=True)
    columns = models.JSONField(default=list)
    kinds = models.JSONField(default=dict)
    changed = models.PositiveIntegerField(default=0)
    taken_back_to = models.JSONField(null=True)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["dataset", "number"]
        constraints = [
            models.UniqueConstraint(fields=["dataset", "number"], name="dataset_version_number"),
        ]


class CaseImport(models.Model):
    """An import under way: it stores cases in batches that no version lists until the end.

    mark: the last case there was before; what comes after it and is listed
    nowhere was left by an import that did not end. at: the time that its revisions bear.
    """

    dataset = models.OneToOneField(Dataset, on_delete=models.CASCADE, related_name="importing")
    mark = models.BigIntegerField()
    at = models.DateTimeField(null=True)
    beat_at = models.DateTimeField()


class Case(models.Model):
    """One row's identity, kept through all its revisions.

    own_id: what it is called where it comes from; "" where it has no name of its own.
    """

    dataset = models.ForeignKey(Dataset, on_delete=models.CASCADE, related_name="cases")
    number = models.PositiveIntegerField()
    own_id = models.CharField(max_length=LONGEST_ID, blank=True, default="")

    class Meta:
        ordering = ["dataset", "number"]
        constraints = [
            models.UniqueConstraint(fields=["dataset", "number"], name="case_number"),
            models.UniqueConstraint(
                fields=["dataset", "own_id"], condition=~models.Q(own_id=""), name="case_own_id"
            ),
        ]

    @property
    def name(self) -> str:
        """What it is called wherever it is named: its own id, else its number."""
        return self.own_id or str(self.number)


class CaseRevision(models.Model):
    """What a case says. Immutable; outputs point here, and pairing is by revision.

    The one thing that may be put right in place is a wrong reference: what an
    arm was asked stays the same, so trials stay comparable. Every such
    correction is kept in `ReferenceCorrection`.
    """

    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField(default=1)
    inputs = models.JSONField()
    # A list of user turns, or {user, most}; null for a single answer.
    conversation = models.JSONField(null=True)
    reference = models.TextField(null=True)
    # Further references that are as right: the one that an answer meets best counts.
    forms = models.JSONField(default=list)
    tags = models.JSONField(default=list)
    # What it comes from, where other cases share that: a conversation, a document, a person.
    source = models.CharField(max_length=200, blank=True, default="")
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["case", "number"]
        constraints = [
            models.UniqueConstraint(fields=["case", "number"], name="case_revision_number"),
        ]


class ReferenceCorrection(models.Model):
    """A reference found wrong and put right: what it said before, what it says now, and why."""

    revision = models.ForeignKey(CaseRevision, on_delete=models.CASCADE, related_name="corrections")
    before = models.TextField(null=True)
    after = models.TextField(null=True)
    forms_before = models.JSONField(default=list)
    forms_after = models.JSONField(default=list)
    reason = models.CharField(max_length=300, blank=True)
    corrected_at = models.DateTimeField()
    corrected_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["id"]


class Entry(models.Model):
    """A revision's place and split in one dataset version."""

    dataset_version = models.ForeignKey(
        DatasetVersion, on_delete=models.CASCADE, related_name="entries"
    )
    revision = models.ForeignKey(CaseRevision, on_delete=models.PROTECT, related_name="entries")
    split = models.CharField(max_length=10, choices=[(s, s) for s in SPLITS])
    position = models.PositiveIntegerField()

    class Meta:
        ordering = ["dataset_version", "position"]
        constraints = [
            models.UniqueConstraint(fields=["dataset_version", "revision"], name="entry_once"),
        ]


class Pin(models.Model):
    """A case held ready while a draft is worked on: one key tries the text on all of these."""

    brief = models.ForeignKey("briefs.Brief", on_delete=models.CASCADE, related_name="pins")
    case = models.ForeignKey(Case, on_delete=models.CASCADE, related_name="pins")

    class Meta:
        ordering = ["brief", "id"]
        constraints = [models.UniqueConstraint(fields=["brief", "case"], name="pinned_once")]
