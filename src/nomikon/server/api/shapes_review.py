"""Shapes of reading, marks and readers."""

from rest_framework import serializers as s


class SpanShape(s.Serializer):
    start = s.IntegerField()
    end = s.IntegerField()
    quote = s.CharField(required=False, allow_blank=True, trim_whitespace=False)
    comment = s.CharField(max_length=2000)


class MarkShape(s.Serializer):
    judgement = s.ChoiceField(choices=["good", "usable", "bad"])
    comment = s.CharField(allow_blank=True)
    spans = SpanShape(many=True)
    faults = s.ListField(child=s.CharField())
    better = s.CharField(allow_null=True)
    reader = s.CharField()
    created_at = s.DateTimeField()


class MarkRequest(s.Serializer):
    judgement = s.CharField()
    comment = s.CharField(required=False, allow_blank=True, default="")
    spans = SpanShape(many=True, required=False, default=list)
    faults = s.ListField(child=s.CharField(max_length=60), required=False, default=list)
    drawn = s.BooleanField(required=False, default=True)
    former = s.IntegerField(required=False, allow_null=True, default=None)
    since = s.CharField(required=False, allow_blank=True, default="")
    better = s.CharField(
        required=False, allow_null=True, allow_blank=True, trim_whitespace=False, default=None
    )


class InheritRequest(s.Serializer):
    from_output = s.IntegerField()
    drawn = s.BooleanField(required=False, default=True)


class FormerSaid(s.Serializer):
    mark = s.IntegerField()
    output = s.IntegerField()
    trial_number = s.IntegerField()
    judgement = s.CharField()
    comment = s.CharField(allow_blank=True)
    spans = SpanShape(many=True)
    faults = s.ListField(child=s.CharField())
    better = s.CharField(allow_null=True)
    reader = s.CharField()


class FaultKindShape(s.Serializer):
    name = s.CharField()
    n = s.IntegerField()


class ReadableTrial(s.Serializer):
    id = s.IntegerField()
    number = s.IntegerField()
    question = s.CharField(allow_blank=True)


class NamedMark(s.Serializer):
    reader = s.CharField()
    judgement = s.CharField()
    comment = s.CharField(allow_blank=True)


class DisagreementShape(s.Serializer):
    output = s.IntegerField()
    case = s.IntegerField()
    marks = NamedMark(many=True)


class ReaderCount(s.Serializer):
    name = s.CharField()
    n = s.IntegerField()


class KappaShape(s.Serializer):
    a = s.CharField()
    b = s.CharField()
    kappa = s.FloatField(allow_null=True)
    n = s.IntegerField()


class ReadersShape(s.Serializer):
    readers = ReaderCount(many=True)
    n_units = s.IntegerField()
    alpha = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    why_null = s.CharField(allow_blank=True)
    kappa = KappaShape(many=True)
    n_apart = s.IntegerField()
    apart = DisagreementShape(many=True)


class MeasureApart(s.Serializer):
    output = s.IntegerField()
    case = s.IntegerField()
    score = s.FloatField()
    mark = s.FloatField()


class MeasureAgainstMarks(s.Serializer):
    measure = s.CharField()
    n = s.IntegerField()
    rho = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    why_null = s.CharField(allow_null=True)
    n_apart = s.IntegerField()
    apart = MeasureApart(many=True)


class ReadingRow(s.Serializer):
    output = s.IntegerField()
    judgement = s.CharField(allow_null=True)
    # Answers to one case that read the same share a number.
    same = s.IntegerField(required=False)
    inherits = s.IntegerField(required=False, allow_null=True)
    former = FormerSaid(required=False, allow_null=True)


class ReadableArm(s.Serializer):
    id = s.IntegerField()
    label = s.CharField()


class ReadingShape(s.Serializer):
    arms = ReadableArm(many=True)
    tags = s.ListField(child=s.CharField())
    changed = s.IntegerField()
    trial = s.IntegerField(allow_null=True)
    trial_number = s.IntegerField(allow_null=True)
    queue = ReadingRow(many=True)
    marked = s.IntegerField()
    fault_kinds = FaultKindShape(many=True)
    trials = ReadableTrial(many=True)
    order = s.CharField()
    drawn = s.BooleanField()
