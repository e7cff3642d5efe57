"""Shapes of what stands beside a verdict: effects, slices, the held-out check."""

from rest_framework import serializers as s

from nomikon.server.api.shapes_rounds import GapShape, HeldDifference
from nomikon.server.api.shapes_trials import ArmShape


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


class NoticeShape(s.Serializer):
    kind = s.ChoiceField(choices=["beaten", "drift"])
    trial = s.IntegerField()
    trial_number = s.IntegerField()
    words = s.CharField()


class DriftShape(s.Serializer):
    n_cases = s.IntegerField()
    before = s.FloatField(allow_null=True)
    now = s.FloatField(allow_null=True)
    change = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    p = s.FloatField(allow_null=True)
    level = s.FloatField()
    drifted = s.BooleanField()
    why_null = s.CharField(allow_null=True)


class WatchCheckShape(s.Serializer):
    number = s.IntegerField()
    trial = s.IntegerField()
    trial_number = s.IntegerField()
    state = s.CharField()
    at = s.DateTimeField()
    score = DriftShape(allow_null=True)
    cost = DriftShape(allow_null=True, help_text="in billionths of the currency")
    identity = s.ListField(child=s.CharField())
    changed_identity = s.BooleanField()
    drifted = s.BooleanField()
    words = s.CharField(allow_blank=True)


class WatchShape(s.Serializer):
    id = s.IntegerField()
    verdict = s.IntegerField()
    arm = ArmShape()
    n_cases = s.IntegerField()
    planned = s.IntegerField()
    used = s.IntegerField()
    every_days = s.IntegerField(allow_null=True)
    next_at = s.DateTimeField(allow_null=True)
    stopped = s.BooleanField()
    over = s.BooleanField()
    trouble = s.CharField(allow_blank=True)
    created_at = s.DateTimeField()
    created_by = s.CharField()
    checks = WatchCheckShape(many=True)
    drifted = s.BooleanField()


class VerdictStanding(s.Serializer):
    verdict = s.IntegerField(allow_null=True)
    n_cases = s.IntegerField(help_text="cases of the verdict's trial")
    notices = NoticeShape(many=True)
    watch = WatchShape(allow_null=True)


class WatchRequest(s.Serializer):
    cases = s.IntegerField()
    planned = s.IntegerField(required=False, default=12)
    every_days = s.IntegerField(required=False, allow_null=True, default=None)


class AdoptionShape(s.Serializer):
    reservations = s.ListField(child=s.CharField())


class MeritFigure(s.Serializer):
    value = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    why_null = s.CharField(allow_null=True)


class GateShape(s.Serializer):
    measure = s.CharField()
    rate = s.FloatField(help_text="share of answers that pass it")


class ArmMerits(s.Serializer):
    arm = s.IntegerField()
    n_good = s.IntegerField()
    n = s.IntegerField()
    came_first = s.FloatField(allow_null=True, help_text="share of resamples; it decides nothing")
    ungated = s.FloatField(allow_null=True, help_text="mean had no gate failed; null without gates")
    gates = GateShape(many=True)
    cost_per_good = MeritFigure(help_text="in billionths of the currency")
    median_ms = MeritFigure()
    slow_ms = MeritFigure(help_text="95 of 100 answers take no longer")


class MeritsShape(s.Serializer):
    good_from = s.FloatField()
    arms = ArmMerits(many=True)
