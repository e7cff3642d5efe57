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
    # What a person put right of how its prompts are read: [{part, text, value}], as core's facts.
    readings = models.JSONField(default=list)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]


class TextReading(models.Model):
    """How a model read one text: what both of its passes said, as rows of core's `by_model.as_kept`.

    digest: of the messages. clauses: their texts, by which a later text knows what was read already.
    """

    brief = models.ForeignKey(Brief, on_delete=models.CASCADE, related_name="text_readings")
    digest = models.CharField(max_length=64)
    clauses = models.JSONField()
    entries = models.JSONField()
    model = models.CharField(max_length=200)
    simulated = models.BooleanField()
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(fields=["brief", "digest"], name="text_reading_once"),
        ]


class Version(models.Model):
    """The text under work. Immutable; a change is a new version with this one as parent.

    Only what people say of it can change: note, tags, and whether it is archived.
    """

    brief = models.ForeignKey(Brief, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="children")
    second_parent = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="+")
    note = models.CharField(max_length=300, blank=True)
    tags = models.JSONField(default=list)
    archived = models.BooleanField(default=False)
    origin = models.CharField(max_length=10, choices=[(o, o) for o in ORIGINS], default="typed")
    messages = models.JSONField()
    settings = models.JSONField(default=dict)
    # Why it differs from its parent, where proposals were taken: [{kind, clause, text, reason,
    # fault, cases, outputs, before}], clause as numbered in the parent by clause_rule, before its
    # text there.
    reasons = models.JSONField(default=list)
    clause_rule = models.PositiveSmallIntegerField(default=0)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["brief", "number"]
        constraints = [
            models.UniqueConstraint(fields=["brief", "number"], name="version_number"),
        ]


class WorkingCopy(models.Model):
    """The unsaved text on one version (base), or for a first one where base is null.

    revision counts every change: a page that knows an older one may not overwrite it.
    """

    brief = models.ForeignKey(Brief, on_delete=models.CASCADE, related_name="copies")
    base = models.ForeignKey(Version, null=True, on_delete=models.CASCADE, related_name="copies")
    second_parent = models.ForeignKey(
        Version, null=True, on_delete=models.SET_NULL, related_name="+"
    )
    revision = models.PositiveIntegerField(default=0)
    messages = models.JSONField()
    settings = models.JSONField(default=dict)
    # What it was last changed for, where that is known: a question, a wish, a finding.
    reason = models.CharField(max_length=300, blank=True)
    changed_at = models.DateTimeField()
    changed_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["brief", "id"]
        constraints = [
            models.UniqueConstraint(fields=["brief", "base"], name="one_copy_a_version"),
            models.UniqueConstraint(
                fields=["brief"], condition=models.Q(base=None), name="one_copy_without_version"
            ),
        ]


class CopyState(models.Model):
    """What a working copy said before, so that undo survives a reload and nothing is lost."""

    copy = models.ForeignKey(WorkingCopy, on_delete=models.CASCADE, related_name="states")
    revision = models.PositiveIntegerField()
    messages = models.JSONField()
    settings = models.JSONField(default=dict)
    reason = models.CharField(max_length=300, blank=True)
    size = models.PositiveIntegerField()
    at = models.DateTimeField()

    class Meta:
        ordering = ["copy", "revision"]
        constraints = [
            models.UniqueConstraint(fields=["copy", "revision"], name="copy_state_revision"),
        ]


OPEN, ANSWERED, SKIPPED, INDIFFERENT = "open", "answered", "skipped", "indifferent"
QUESTION_STATES = (OPEN, ANSWERED, SKIPPED, INDIFFERENT)


class AskedQuestion(models.Model):
    """Something the brief left open, and what was said about it; an answer is a fact of the brief."""

    brief = models.ForeignKey(Brief, on_delete=models.CASCADE, related_name="questions")
    key = models.CharField(max_length=80)
    text = models.CharField(max_length=300)
    why = models.CharField(max_length=300, blank=True)
    answers = models.JSONField(default=list)
    clause = models.CharField(max_length=400)
    asked_by = models.CharField(max_length=120)
    state = models.CharField(max_length=12, choices=[(s, s) for s in QUESTION_STATES], default=OPEN)
    answer = models.TextField(blank=True)
    settled_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["brief", "id"]
        constraints = [models.UniqueConstraint(fields=["brief", "key"], name="question_once")]


class Instruction(models.Model):
    """What a proposing model is told for one purpose, as a person has reworded it; the newest is used.

    Number 0 is the one that ships, which is in the code.
    """

    purpose = models.CharField(max_length=12)
    number = models.PositiveIntegerField()
    text = models.TextField()
    note = models.CharField(max_length=200, blank=True)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["purpose", "number"]
        constraints = [
            models.UniqueConstraint(fields=["purpose", "number"], name="instruction_number"),
        ]


class OwnPreset(models.Model):
    """Settings a person keeps under a name, beside those that ship."""

    name = models.CharField(max_length=60, unique=True)
    task = models.CharField(max_length=20, default="other")
    settings = models.JSONField()
    reason = models.CharField(max_length=200, blank=True)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["name"]


class ShelfEntry(models.Model):
    """A text of one's own on the starter shelf. Taken off, it is kept and no longer shown."""

    name = models.CharField(max_length=120)
    task = models.CharField(max_length=20, default="other")
    about = models.CharField(max_length=300, blank=True)
    tags = models.JSONField(default=list)
    messages = models.JSONField()
    settings = models.JSONField(default=dict)
    taken_off = models.BooleanField(default=False)
    created_at = models.DateTimeField()

    class Meta:
        ordering = ["name", "id"]


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


class Try(models.Model):
    """A text asked while it was under work, with what was answered and said of it; it stays.

    version: the one in hand, changed: whether the text differed from it. inputs, reference: what
    filled it; case: the number of the case they are of, null where they were typed. rows: where it was
    asked of several inputs, each {inputs, reference, case}; inputs is then empty. step: the only step
    that was asked, else "". talk: turns after the text, {role, content} each, the asked one last;
    after: the try whose answer the talk goes on from. answers: {key, model, model_name, simulated,
    settings, of (a saved version set beside, else null), repeat, row, result, problem, judgement, best,
    comment}; result as a try tells it, null where none came.
    """

    brief = models.ForeignKey(Brief, on_delete=models.CASCADE, related_name="tries")
    number = models.PositiveIntegerField()
    version = models.ForeignKey(Version, null=True, on_delete=models.SET_NULL, related_name="tries")
    changed = models.BooleanField()
    messages = models.JSONField()
    settings = models.JSONField()
    inputs = models.JSONField()
    reference = models.TextField(null=True)
    case = models.PositiveIntegerField(null=True)
    rows = models.JSONField(default=list)
    step = models.CharField(max_length=120, blank=True)
    talk = models.JSONField(default=list)
    after = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="+")
    answers = models.JSONField(default=list)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["brief", "number"]
        constraints = [
            models.UniqueConstraint(fields=["brief", "number"], name="try_number_once"),
        ]


class TryForm(models.Model):
    """What is set for the next try and not asked yet: inputs typed, models, settings, of what.

    revision counts every change, as a working copy's does: an older page may not overwrite it.
    """

    brief = models.OneToOneField(Brief, on_delete=models.CASCADE, related_name="try_form")
    revision = models.PositiveIntegerField(default=0)
    content = models.JSONField(default=dict)
    changed_at = models.DateTimeField()
    changed_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["brief"]


class Piece(models.Model):
    """Words of an answer that a person keeps for later; taken out, the row stays and is not shown."""

    brief = models.ForeignKey(Brief, on_delete=models.CASCADE, related_name="pieces")
    text = models.TextField()
    # Whence it is: {model, try, version}, whatever is known.
    source = models.JSONField(default=dict)
    position = models.PositiveIntegerField()
    taken_out = models.BooleanField(default=False)
    created_at = models.DateTimeField()
    created_by = models.CharField(max_length=60)

    class Meta:
        ordering = ["brief", "position", "id"]
