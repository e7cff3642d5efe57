"""Shapes of weighings."""

from rest_framework import serializers as s

from nomikon.core.trials.states import STATES
from nomikon.server.api.shapes_rounds import RoundsProblem


class WeighingRequest(s.Serializer):
    version = s.IntegerField()
    model = s.IntegerField()
    settings = s.DictField(required=False, default=dict)
    dataset_version = s.IntegerField()
    cases = s.IntegerField(required=False, allow_null=True, default=None)
    repeats = s.IntegerField(required=False, default=1)
    keep = s.ListField(child=s.IntegerField(), required=False, default=list)


class StartWeighingRequest(WeighingRequest):
    budget = s.DecimalField(
        max_digits=20, decimal_places=9, required=False, allow_null=True, default=None
    )


class LockedClause(s.Serializer):
    clause = s.IntegerField()
    why = s.CharField()


class FreeClause(s.Serializer):
    clauses = s.ListField(child=s.IntegerField())
    tokens = s.IntegerField()


class WeighedLine(s.Serializer):
    number = s.IntegerField()
    role = s.CharField()
    first = s.BooleanField()
    text = s.CharField()


class WeighingPlanShape(s.Serializer):
    lines = WeighedLine(many=True)
    free = FreeClause(many=True)
    locked = LockedClause(many=True)
    rows = s.IntegerField()
    at_most_out = s.IntegerField()
    n_cases = s.IntegerField()
    n_working = s.IntegerField()
    suggested = s.IntegerField()
    calls = s.IntegerField()
    one_by_one = s.IntegerField()
    cost = s.IntegerField(allow_null=True)
    in_store = s.IntegerField(allow_null=True)
    unpriced = s.ListField(child=s.CharField())
    problems = RoundsProblem(many=True)


class WeighingRow(s.Serializer):
    id = s.IntegerField()
    version = s.IntegerField()
    model = s.CharField()
    simulated = s.BooleanField()
    settings_short = s.CharField(allow_blank=True)
    trial = s.IntegerField()
    trial_number = s.IntegerField()
    state = s.ChoiceField(choices=STATES)
    message = s.CharField(allow_blank=True)
    done = s.IntegerField()
    of = s.IntegerField()
    rows = s.IntegerField()
    n_cases = s.IntegerField()
    repeats = s.IntegerField()
    scorecard = s.IntegerField()
    margin = s.FloatField()
    created_at = s.DateTimeField()
    created_by = s.CharField()


class ClauseWeightShape(FreeClause):
    cost_per_1000 = s.IntegerField(allow_null=True)
    weight = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    p_holm = s.FloatField(allow_null=True)
    verdict = s.ChoiceField(
        choices=["earns", "hurts", "does nothing", "cannot tell"], allow_blank=True
    )


class ClausePairShape(s.Serializer):
    kind = s.ChoiceField(choices=["say the same", "need each other"])
    candidates = s.ListField(
        child=s.ListField(child=s.ListField(child=s.IntegerField())),
        help_text="pairs that these rows cannot tell apart, each two groups of clause numbers",
    )
    extra = s.FloatField()
    low = s.FloatField()
    high = s.FloatField()
    p_holm = s.FloatField()


class StruckPairShape(s.Serializer):
    clauses = s.ListField(child=s.IntegerField())
    difference = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    alone = s.FloatField(allow_null=True, help_text="the sum of what each is worth alone")
    matters = s.BooleanField(help_text="more is lost without both than that, beyond chance")


class StrikeShape(s.Serializer):
    id = s.IntegerField()
    trial = s.IntegerField()
    trial_number = s.IntegerField()
    state = s.ChoiceField(choices=STATES)
    message = s.CharField(allow_blank=True)
    done = s.IntegerField()
    of = s.IntegerField()
    n_cases = s.IntegerField()
    clauses = s.ListField(child=s.IntegerField())
    tokens = s.IntegerField()
    difference = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    no_worse = s.BooleanField(allow_null=True)
    words = s.CharField(allow_blank=True)
    pairs = StruckPairShape(many=True)


class WeighingShape(WeighingRow):
    lines = WeighedLine(many=True)
    clauses = ClauseWeightShape(many=True)
    locked = LockedClause(many=True)
    pairs = ClausePairShape(many=True)
    full = s.FloatField(allow_null=True)
    n_used = s.IntegerField()
    n_dropped = s.IntegerField()
    pairs_met = s.IntegerField()
    pairs_of = s.IntegerField()
    misfit = s.FloatField(help_text="spread of texts about what weights and pairs explain")
    why_null = s.CharField(allow_blank=True)
    strikable = s.ListField(child=s.IntegerField())
    strikes = StrikeShape(many=True)


class StrikeRequest(s.Serializer):
    clauses = s.ListField(child=s.IntegerField())
    budget = s.DecimalField(
        max_digits=20, decimal_places=9, required=False, allow_null=True, default=None
    )


class StrikePlanShape(s.Serializer):
    arms = s.IntegerField()
    n_cases = s.IntegerField()
    calls = s.IntegerField()
    cost = s.IntegerField(allow_null=True)
    in_store = s.IntegerField(allow_null=True)
    tokens = s.IntegerField()
    pairs = s.ListField(child=s.ListField(child=s.IntegerField()))


class TrimmedShape(s.Serializer):
    number = s.IntegerField()
