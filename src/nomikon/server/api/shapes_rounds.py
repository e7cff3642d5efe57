"""Shapes of automatic rounds."""

from rest_framework import serializers as s


class RoundsRequest(s.Serializer):
    version = s.IntegerField()
    model = s.IntegerField()
    settings = s.DictField(required=False, default=dict)
    dataset_version = s.IntegerField()
    amender = s.IntegerField()
    instruction = s.CharField(required=False, allow_blank=True, default="", trim_whitespace=False)
    rounds = s.IntegerField(required=False, default=2)
    candidates = s.IntegerField(required=False, default=3)
    repeats = s.IntegerField(required=False, default=1)


class StartRoundsRequest(RoundsRequest):
    budget = s.DecimalField(
        max_digits=20, decimal_places=9, required=False, allow_null=True, default=None
    )


class RoundsProblem(s.Serializer):
    severity = s.ChoiceField(choices=["warning", "error"])
    arm = s.CharField(allow_blank=True)
    text = s.CharField()


class RoundsPlanShape(s.Serializer):
    calls = s.IntegerField()
    cost = s.IntegerField(allow_null=True)
    n_working = s.IntegerField()
    n_held_out = s.IntegerField()
    looks = s.IntegerField()
    instruction = s.CharField()
    unpriced = s.ListField(child=s.CharField())
    problems = RoundsProblem(many=True)


class RoundsRow(s.Serializer):
    id = s.IntegerField()
    number = s.IntegerField()
    state = s.ChoiceField(choices=["running", "ended", "stopped", "failed"])
    stopping = s.BooleanField()
    message = s.CharField(allow_blank=True)
    start = s.IntegerField()
    best = s.IntegerField()
    model = s.CharField()
    simulated = s.BooleanField()
    settings_short = s.CharField(allow_blank=True)
    amender = s.CharField()
    most_rounds = s.IntegerField()
    candidates = s.IntegerField()
    budget = s.IntegerField(allow_null=True)
    spent = s.IntegerField()
    scorecard = s.IntegerField()
    dataset_version = s.IntegerField()
    created_at = s.DateTimeField()
    ended_at = s.DateTimeField(allow_null=True)


class MeasuredShape(s.Serializer):
    mean = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    cost_per_1000 = s.IntegerField(allow_null=True)


class RoundPoint(MeasuredShape):
    round = s.IntegerField()
    version = s.IntegerField()
    tokens = s.IntegerField()


class AgainstParent(s.Serializer):
    mean = s.FloatField(allow_null=True)
    difference = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    p = s.FloatField(allow_null=True)
    n_cases = s.IntegerField()
    left_after = s.IntegerField(allow_null=True)


class RoundFault(s.Serializer):
    title = s.CharField(allow_blank=True)
    label = s.CharField(allow_blank=True)
    source = s.CharField()
    n = s.IntegerField()
    cases = s.IntegerField()


class RoundReason(s.Serializer):
    kind = s.CharField()
    clause = s.IntegerField()
    text = s.CharField(allow_blank=True)
    reason = s.CharField()


class RoundRefusal(s.Serializer):
    place = s.IntegerField()
    reason = s.CharField()


class CandidateShape(s.Serializer):
    place = s.IntegerField()
    faults = s.ListField(child=s.IntegerField())
    answered = s.BooleanField()
    why = s.CharField(allow_blank=True)
    refused = RoundRefusal(many=True)
    version = s.IntegerField(allow_null=True)
    reasons = RoundReason(many=True)
    cost = s.IntegerField(allow_null=True)
    figures = AgainstParent(allow_null=True)


class RoundShape(s.Serializer):
    number = s.IntegerField()
    phase = s.ChoiceField(choices=["measuring", "asking", "testing", "decided"])
    parent = s.IntegerField()
    kept = s.IntegerField(allow_null=True)
    why = s.CharField(allow_blank=True)
    measured = s.IntegerField(allow_null=True)
    tested = s.IntegerField(allow_null=True)
    spared = s.IntegerField()
    faults = RoundFault(many=True)
    candidates = CandidateShape(many=True)


class HeldDifference(s.Serializer):
    difference = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    p = s.FloatField(allow_null=True)
    n_cases = s.IntegerField()


class GapShape(s.Serializer):
    working = s.FloatField(allow_null=True)
    held_out = s.FloatField(allow_null=True)
    gap = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    reading = s.ChoiceField(choices=["too closely", "not too closely", "cannot tell"])
    why_null = s.CharField(allow_null=True)
    n_working = s.IntegerField()
    n_held_out = s.IntegerField()


class HeldOutShape(s.Serializer):
    trial = s.IntegerField()
    trial_number = s.IntegerField()
    state = s.CharField()
    start = MeasuredShape()
    best = MeasuredShape()
    difference = HeldDifference(allow_null=True)
    gap = GapShape(allow_null=True)


class CourseShape(RoundsRow):
    instruction = s.CharField()
    points = RoundPoint(many=True)
    rounds = RoundShape(many=True)
    held_out = HeldOutShape(allow_null=True)
    looks = s.IntegerField()
