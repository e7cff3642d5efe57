"""Shapes of what stands beside a verdict: effects, slices, the held-out check."""

from rest_framework import serializers as s

from nomikon.server.api.shapes_rounds import GapShape, HeldDifference


class ShareShape(s.Serializer):
    source = s.CharField()
    variance = s.FloatField()
    share = s.FloatField()


class EffectShape(s.Serializer):
    factor = s.CharField()
    level = s.CharField()
    effect = s.FloatField()
    low = s.FloatField()
    high = s.FloatField()


class SliceShape(s.Serializer):
    name = s.CharField()
    n_cases = s.IntegerField()
    difference = s.FloatField()
    low = s.FloatField()
    high = s.FloatField()
    p = s.FloatField()
    p_holm = s.FloatField()
    look = s.BooleanField()


class SpreadShape(s.Serializer):
    shares = ShareShape(many=True)
    effects = EffectShape(many=True)
    negative = s.ListField(child=s.CharField())
    repeat_sd = s.FloatField(allow_null=True)
    why_null = s.CharField(allow_null=True)
    slices = SliceShape(many=True)
    too_small = s.IntegerField()


class CheckedShape(s.Serializer):
    trial = s.IntegerField()
    trial_number = s.IntegerField()
    state = s.CharField()
    difference = HeldDifference(allow_null=True)
    gap = GapShape(allow_null=True)


class CheckShape(s.Serializer):
    looks = s.IntegerField()
    n_cases = s.IntegerField()
    check = CheckedShape(allow_null=True)
