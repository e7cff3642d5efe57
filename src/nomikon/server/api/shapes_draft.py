"""Shapes of the draft's own endpoints: working copies, lineage, presets, the shelf, trying out."""

from __future__ import annotations

from rest_framework import serializers as s

from nomikon.server.api.shapes import AmendmentShape, CaseShape, MessageShape, WordChangeShape


class BareMessage(s.Serializer):
    """A message of a working copy: kept as typed, whether it can be sent or not."""

    role = s.CharField(max_length=20)
    content = s.CharField(allow_blank=True, trim_whitespace=False, max_length=4_000_000)
    step = s.CharField(
        required=False, allow_null=True, allow_blank=True, trim_whitespace=False, default=None
    )


class CopyStateShape(s.Serializer):
    messages = BareMessage(many=True)
    settings = s.DictField()


class CopyShape(CopyStateShape):
    revision = s.IntegerField()
    second_parent = s.IntegerField(allow_null=True)
    changed_at = s.DateTimeField(allow_null=True)
    changed_by = s.CharField(allow_blank=True)
    before = CopyStateShape(many=True)


class CopyRequest(CopyStateShape):
    base = s.IntegerField(allow_null=True)
    second_parent = s.IntegerField(required=False, allow_null=True, default=None)
    revision = s.IntegerField(min_value=0)


class CopyKept(s.Serializer):
    revision = s.IntegerField()


class LeaveRequest(s.Serializer):
    parent = s.IntegerField()
    messages = MessageShape(many=True)
    settings = s.DictField(required=False, default=dict)
    leave = s.ListField(child=s.CharField(), allow_empty=False, max_length=5000)


class TakenShape(s.Serializer):
    messages = MessageShape(many=True)
    settings = s.DictField()
    left = s.ListField(child=s.CharField())


class MergeChoiceShape(s.Serializer):
    amendment = AmendmentShape()
    side = s.ChoiceField(choices=["ours", "theirs", "both"])


class MergeShape(s.Serializer):
    base = s.IntegerField()
    kept = s.IntegerField()
    choices = MergeChoiceShape(many=True)
    proposed = s.ListField(child=s.CharField())


class TakeRequest(s.Serializer):
    take = s.ListField(child=s.CharField(), max_length=5000)


class AnnotateRequest(s.Serializer):
    note = s.CharField(
        required=False, allow_null=True, allow_blank=True, default=None, max_length=300
    )
    tags = s.ListField(
        child=s.CharField(max_length=60), required=False, allow_null=True, default=None
    )
    archived = s.BooleanField(required=False, allow_null=True, default=None)


class ClauseEventShape(s.Serializer):
    version = s.IntegerField()
    kind = s.ChoiceField(choices=["add", "amend", "move"])
    number = s.IntegerField()
    before = s.CharField(allow_null=True)
    after = s.CharField()
    note = s.CharField(allow_blank=True)
    created_at = s.DateTimeField()
    created_by = s.CharField()
    score = s.FloatField(allow_null=True)
    score_before = s.FloatField(allow_null=True)


class ImportedVersions(s.Serializer):
    versions = s.ListField(child=s.IntegerField())


class CodeRequest(s.Serializer):
    model = s.IntegerField()
    messages = MessageShape(many=True)
    settings = s.DictField(required=False, default=dict)
    inputs = s.DictField(required=False, default=dict)


class CodeShape(s.Serializer):
    curl = s.CharField()
    python = s.CharField()
    key_env = s.CharField(allow_null=True)
    calls = s.IntegerField()


class PresetShape(s.Serializer):
    id = s.IntegerField(allow_null=True)
    name = s.CharField()
    task = s.CharField()
    settings = s.DictField()
    reason = s.CharField(allow_blank=True)


class PresetRequest(s.Serializer):
    name = s.CharField(allow_blank=True, max_length=60)
    task = s.CharField(required=False, default="other")
    settings = s.DictField()
    reason = s.CharField(required=False, allow_blank=True, default="", max_length=200)


class ShelfRow(s.Serializer):
    key = s.CharField()
    source = s.ChoiceField(choices=["shipped", "own", "version"])
    name = s.CharField()
    task = s.CharField()
    about = s.CharField(allow_blank=True)
    tags = s.ListField(child=s.CharField())
    messages = MessageShape(many=True)
    settings = s.DictField()
    settings_in_short = s.CharField()
    brief = s.IntegerField(allow_null=True)
    brief_name = s.CharField(allow_blank=True)
    number = s.IntegerField(allow_null=True)


class ShelfShape(s.Serializer):
    entries = ShelfRow(many=True)
    more = s.BooleanField()
    tags = s.ListField(child=s.CharField())


class ShelfRequest(s.Serializer):
    name = s.CharField(allow_blank=True, max_length=120)
    task = s.CharField(required=False, default="other")
    about = s.CharField(required=False, allow_blank=True, default="", max_length=300)
    tags = s.ListField(child=s.CharField(), required=False, default=list)
    messages = MessageShape(many=True)
    settings = s.DictField(required=False, default=dict)


class KeptShape(s.Serializer):
    id = s.IntegerField()


class ExampleTexts(s.Serializer):
    messages = MessageShape(many=True)


class OpenAnswerRequest(s.Serializer):
    text = s.CharField(allow_blank=True, trim_whitespace=False, max_length=4_000_000)


class TryJob(s.Serializer):
    key = s.CharField(max_length=100)
    model = s.IntegerField()
    messages = MessageShape(many=True)
    settings = s.DictField(required=False, default=dict)
    inputs = s.DictField(required=False, default=dict)
    reference = s.CharField(required=False, allow_null=True, allow_blank=True, default=None)
    repeat = s.IntegerField(required=False, default=0, min_value=0, max_value=10_000)


class TryRequest(s.Serializer):
    jobs = TryJob(many=True, allow_empty=False, max_length=200)


class DifferencesRequest(s.Serializer):
    texts = s.ListField(
        child=s.CharField(allow_blank=True, trim_whitespace=False, max_length=200_000),
        allow_empty=False,
        max_length=24,
    )


class AlternativeShape(s.Serializer):
    text = s.CharField(allow_blank=True, trim_whitespace=False)
    which = s.ListField(child=s.IntegerField())
    words = WordChangeShape(many=True)


class KeepCaseRequest(s.Serializer):
    inputs = s.DictField()
    reference = s.CharField(required=False, allow_null=True, allow_blank=True, default=None)
    tags = s.ListField(child=s.CharField(), required=False, default=list)
    split = s.CharField(required=False, default="working")


class PinRequest(s.Serializer):
    revision = s.IntegerField()
    pinned = s.BooleanField()


class PinsShape(s.Serializer):
    cases = CaseShape(many=True)


class NearPairShape(s.Serializer):
    a = s.IntegerField()
    b = s.IntegerField()
    likeness = s.FloatField()


class LengthsShape(s.Serializer):
    column = s.CharField()
    least = s.IntegerField()
    lower = s.FloatField()
    median = s.FloatField()
    upper = s.FloatField()
    p95 = s.FloatField()
    greatest = s.IntegerField()
    empty = s.IntegerField()


class QualityShape(s.Serializer):
    near = s.BooleanField()
    duplicates = NearPairShape(many=True)
    n_duplicates = s.IntegerField()
    leaks = NearPairShape(many=True)
    n_leaks = s.IntegerField()
    labels = s.DictField(child=s.IntegerField(), allow_null=True)
    lengths = LengthsShape(many=True)
    empty = s.ListField(child=s.IntegerField())
    outliers = s.ListField(child=s.IntegerField())
    tags = s.DictField(child=s.IntegerField())
    smallest_difference = s.FloatField(allow_null=True)


class SplitRequest(s.Serializer):
    share = s.FloatField()
    seed = s.IntegerField(required=False, default=0, min_value=0, max_value=2**31)
    by = s.CharField(required=False, default="reference")


class SplitShape(s.Serializer):
    held_out = s.IntegerField()
    of = s.IntegerField()
