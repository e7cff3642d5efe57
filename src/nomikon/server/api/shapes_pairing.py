"""Shapes of blind pairs and the strengths from them."""

from rest_framework import serializers as s


class PairsRequest(s.Serializer):
    arms = s.ListField(child=s.IntegerField(), max_length=50)


class PairShape(s.Serializer):
    left = s.IntegerField()
    right = s.IntegerField()
    case = s.IntegerField()
    number = s.IntegerField()
    inputs = s.DictField()
    left_text = s.CharField(allow_blank=True)
    right_text = s.CharField(allow_blank=True)
    outcome = s.ChoiceField(choices=["left", "right", "tie"], allow_null=True)


class PairsShape(s.Serializer):
    pairs = PairShape(many=True)
    n_same = s.IntegerField()
    settled = s.IntegerField()


class PreferRequest(s.Serializer):
    left = s.IntegerField()
    right = s.IntegerField()
    outcome = s.CharField()
    reason = s.CharField(required=False, allow_blank=True, default="", max_length=2000)


class StrengthShape(s.Serializer):
    arm = s.IntegerField()
    strength = s.FloatField()
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    wins = s.IntegerField()
    losses = s.IntegerField()
    ties = s.IntegerField()


class PreferenceResult(s.Serializer):
    items = StrengthShape(many=True)
    side_bias = s.FloatField(allow_null=True)
    side_low = s.FloatField(allow_null=True)
    side_high = s.FloatField(allow_null=True)
    n = s.IntegerField()
    why = s.CharField(allow_blank=True)


class PreferencesShape(s.Serializer):
    result = PreferenceResult(allow_null=True)
