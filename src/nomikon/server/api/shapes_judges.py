"""Shapes of what judges, corrections and thresholds send and take."""

from rest_framework import serializers as s

from nomikon.server.api.shapes_trials import RescoredArm


class RescorePlanShape(s.Serializer):
    judges = s.ListField(child=s.CharField())
    calls = s.IntegerField()
    cost = s.IntegerField(allow_null=True)
    unpriced = s.ListField(child=s.CharField())


class RelationShape(s.Serializer):
    n = s.IntegerField()
    rho = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    why_null = s.CharField(allow_null=True)


class OrderShape(s.Serializer):
    of = s.ChoiceField(choices=["answers", "criteria"])
    pairs = s.IntegerField()
    turned = s.IntegerField()
    first = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)


class ApartShape(s.Serializer):
    output = s.IntegerField()
    score = s.FloatField()
    mark = s.CharField()


class JudgeShape(s.Serializer):
    measure = s.CharField()
    kind = s.CharField()
    model = s.CharField()
    judged = s.IntegerField()
    failed = s.IntegerField()
    marked = s.IntegerField()
    alpha = s.FloatField(allow_null=True)
    alpha_low = s.FloatField(allow_null=True)
    alpha_high = s.FloatField(allow_null=True)
    with_marks = RelationShape()
    with_length = RelationShape()
    order = OrderShape(allow_null=True)
    apart = ApartShape(many=True)


class CorrectRequest(s.Serializer):
    before = s.CharField(allow_null=True, allow_blank=True, trim_whitespace=False)
    reference = s.CharField(allow_null=True, allow_blank=True, trim_whitespace=False)
    reason = s.CharField(required=False, allow_blank=True, default="", max_length=300)


class CorrectedTrial(s.Serializer):
    trial = s.IntegerField()
    outputs = s.IntegerField()
    arms = RescoredArm(many=True)


class CorrectionShape(s.Serializer):
    before = s.CharField(allow_null=True)
    after = s.CharField(allow_null=True)
    reason = s.CharField(allow_blank=True)
    corrected_at = s.DateTimeField()
    corrected_by = s.CharField()


class CorrectedShape(s.Serializer):
    revision = s.IntegerField()
    reference = s.CharField(allow_null=True)
    trials = CorrectedTrial(many=True)
    corrections = CorrectionShape(many=True)


class CriterionShape(s.Serializer):
    name = s.CharField()
    asks = s.CharField(allow_blank=True)
    levels = s.ListField(child=s.CharField())
    weight = s.FloatField()


class InstructionShape(s.Serializer):
    measure = s.CharField()
    text = s.CharField()
