"""Shapes of trials: plans, boards, outputs, comparisons, verdicts, labels."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers as s

from nomikon.core.trials.states import STATES
from nomikon.server.api.shapes import MessageShape
from nomikon.server.api.shapes_review import MarkShape


class PlanRequest(s.Serializer):
    versions = s.ListField(child=s.IntegerField(), allow_empty=True)
    models = s.ListField(child=s.IntegerField(), allow_empty=True)
    settings = s.ListField(child=s.DictField(), required=False, default=list)
    dataset_version = s.IntegerField()
    split = s.CharField(default="working")
    repeats = s.IntegerField(default=1)
    seed = s.IntegerField(required=False, default=0, min_value=0, max_value=2**31 - 1)
    fresh = s.BooleanField(required=False, default=False)
    continuations = s.IntegerField(required=False, default=0)
    user_model = s.IntegerField(required=False, allow_null=True, default=None)
    racing = s.BooleanField(required=False, default=False)


class BudgetRequest(s.Serializer):
    budget = s.DecimalField(
        max_digits=20, decimal_places=9, required=False, allow_null=True, default=None
    )


class TrialRequest(PlanRequest, BudgetRequest):
    question = s.CharField(required=False, allow_blank=True, default="", max_length=300)


class AfreshRequest(BudgetRequest):
    arm = s.IntegerField(required=False, allow_null=True, default=None)
    output = s.IntegerField(required=False, allow_null=True, default=None)


class ExtendRequest(BudgetRequest):
    versions = s.ListField(child=s.IntegerField(), required=False, default=list)
    models = s.ListField(child=s.IntegerField(), required=False, default=list)
    settings = s.ListField(child=s.DictField(), required=False, default=list)
    dataset_version = s.IntegerField(required=False, allow_null=True, default=None)
    repeats = s.IntegerField(required=False, allow_null=True, default=None)


class ProblemRow(s.Serializer):
    severity = s.CharField()
    arm = s.CharField(allow_blank=True)
    text = s.CharField()
    field = s.CharField()


class ArmEstimateShape(s.Serializer):
    label = s.CharField()
    calls = s.IntegerField()
    tokens_in = s.IntegerField()
    tokens_out = s.IntegerField()
    cost = s.IntegerField(allow_null=True)
    model = s.CharField()
    error_in = s.FloatField(allow_null=True)
    error_out = s.FloatField(allow_null=True)


class ExtensionShape(s.Serializer):
    added = s.IntegerField()
    outputs = s.IntegerField()
    arms = s.ListField(child=s.CharField())
    n_cases = s.IntegerField()
    repeats = s.IntegerField()
    cost = s.IntegerField(allow_null=True)
    in_store = s.IntegerField(allow_null=True)
    problems = ProblemRow(many=True)


class PlanShape(s.Serializer):
    outputs = s.IntegerField()
    calls = s.IntegerField()
    n_cases = s.IntegerField()
    tokens_in = s.IntegerField()
    tokens_out = s.IntegerField()
    cost = s.IntegerField(allow_null=True)
    unpriced = s.ListField(child=s.CharField())
    looks = s.IntegerField()
    in_store = s.IntegerField(allow_null=True)
    beside_calls = s.IntegerField()
    beside_cost = s.IntegerField(allow_null=True)
    arms = ArmEstimateShape(many=True)
    problems = ProblemRow(many=True)


class ArmShape(s.Serializer):
    id = s.IntegerField()
    position = s.IntegerField()
    letter = s.CharField()
    version = s.IntegerField()
    without = s.ListField(child=s.IntegerField())
    version_label = s.CharField()
    model = s.CharField()
    simulated = s.BooleanField()
    settings = s.DictField()
    settings_short = s.CharField()


class ArmFigures(ArmShape):
    n = s.IntegerField()
    cut = s.IntegerField()
    declined = s.IntegerField()
    empty = s.IntegerField()
    failed = s.IntegerField()
    failures = s.DictField(child=s.IntegerField())
    n_cases = s.IntegerField()
    mean = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    method = s.CharField(allow_null=True)
    latency_ms = s.FloatField(allow_null=True)
    cost = s.IntegerField(allow_null=True)
    cost_per_1000 = s.IntegerField(allow_null=True)
    tokens_in = s.IntegerField()
    tokens_out = s.IntegerField()


class ThresholdShape(s.Serializer):
    measure = s.CharField()
    rule = s.CharField()
    needed = s.FloatField()
    mean = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    state = s.ChoiceField(choices=["met", "missed", "unsure"])


class TrialEstimate(s.Serializer):
    calls = s.IntegerField()
    tokens_in = s.IntegerField()
    tokens_out = s.IntegerField()
    cost = s.IntegerField(allow_null=True)


class TrialFacts(s.Serializer):
    id = s.IntegerField()
    brief = s.IntegerField()
    number = s.IntegerField()
    question = s.CharField(allow_blank=True)
    purpose = s.ChoiceField(choices=["compare", "weigh", "watch"])
    state = s.ChoiceField(choices=STATES)
    asked = s.ChoiceField(choices=["", "stop", "pause"], allow_blank=True)
    message = s.CharField(allow_blank=True)
    budget = s.IntegerField(allow_null=True)
    split = s.CharField()
    repeats = s.IntegerField()
    continuations = s.IntegerField()
    racing = s.BooleanField()
    extensions = s.IntegerField()
    n_cases = s.IntegerField()
    n_outputs = s.IntegerField()
    estimate = TrialEstimate()
    scorecard = s.IntegerField()
    dataset_version = s.IntegerField()
    dataset = s.CharField()
    created_at = s.DateTimeField()
    started_at = s.DateTimeField(allow_null=True)
    finished_at = s.DateTimeField(allow_null=True)


class TrialRow(TrialFacts):
    done = s.IntegerField()


class DroppedShape(s.Serializer):
    cases = s.IntegerField()
    against = s.CharField()
    p = s.FloatField()


class ArmOnBoard(ArmFigures):
    dropped = DroppedShape(allow_null=True)
    thresholds = ThresholdShape(many=True)


class ReworkedShape(s.Serializer):
    """When stored figures were last brought to new rules, and how many that changed."""

    at = s.DateTimeField()
    outcomes = s.IntegerField()
    scores = s.IntegerField()


class DoubtfulOutput(s.Serializer):
    id = s.IntegerField()
    arm = s.IntegerField()
    case = s.IntegerField()
    suspected = s.CharField()
    why = s.CharField(allow_blank=True)


class DoubtfulShape(s.Serializer):
    count = s.IntegerField()
    turns = s.BooleanField(help_text="Deciding on them could turn the verdict.")
    outputs = DoubtfulOutput(many=True)


class TrialSummary(TrialFacts):
    reworked = ReworkedShape(allow_null=True)
    examples = s.IntegerField(help_text="cases that an arm shows as worked examples: left out")
    done = s.IntegerField()
    spent = s.IntegerField(allow_null=True)
    nominal = s.IntegerField(allow_null=True)
    beside = s.IntegerField()
    connections = s.ListField(child=s.IntegerField())
    trouble = s.CharField(allow_blank=True)
    reused = s.IntegerField()
    unjudged = s.IntegerField()
    doubtful = DoubtfulShape()
    spared = s.IntegerField()
    looks = s.IntegerField()
    judges = s.ListField(child=s.CharField())
    arms = ArmOnBoard(many=True)


class CellCase(s.Serializer):
    revision = s.IntegerField()
    number = s.IntegerField()
    text = s.CharField()
    tags = s.ListField(child=s.CharField())


@extend_schema_field(
    {
        "type": "array",
        "items": {
            "type": "array",
            "prefixItems": [
                {"type": "integer"},
                {"type": "integer"},
                {"type": "integer"},
                {"type": "integer"},
                {"type": "string"},
                {"type": ["number", "null"]},
            ],
            "minItems": 6,
            "maxItems": 6,
            "description": "output, arm's position, case revision, repeat, outcome, total",
        },
    }
)
class CellRows(s.ListField):
    """Short rows: named fields would make a large trial three times as long."""


class CellsShape(s.Serializer):
    cases = CellCase(many=True)
    rows = CellRows()
    event = s.IntegerField()


class ScoreShape(s.Serializer):
    measure = s.CharField()
    score = s.FloatField(allow_null=True)
    why = s.CharField()


class TurnShape(s.Serializer):
    role = s.CharField()
    text = s.CharField(allow_blank=True)


class ToolCallShape(s.Serializer):
    name = s.CharField(allow_blank=True)
    arguments = s.CharField(allow_blank=True)


class CallShape(s.Serializer):
    position = s.IntegerField()
    part = s.ChoiceField(choices=["answer", "user", "judgement"])
    model = s.CharField()
    failure = s.CharField(allow_blank=True)
    cost = s.IntegerField(allow_null=True)
    step = s.CharField(allow_blank=True)
    continues = s.BooleanField()
    messages = MessageShape(many=True)
    settings = s.DictField()
    text = s.CharField(allow_blank=True)
    reasoning = s.CharField(allow_blank=True)
    refusal = s.CharField(allow_blank=True)
    tool_calls = ToolCallShape(many=True)
    finish_reason = s.CharField(allow_blank=True)
    tokens_in = s.IntegerField(allow_null=True)
    tokens_out = s.IntegerField(allow_null=True)
    tokens_cached = s.IntegerField(allow_null=True)
    tokens_reasoning = s.IntegerField(allow_null=True)
    tokens_estimated = s.BooleanField()
    latency_ms = s.FloatField()
    attempts = s.IntegerField()
    reused = s.BooleanField()
    answered_at = s.DateTimeField()
    model_identity = s.CharField(allow_blank=True)


class OutputCase(s.Serializer):
    number = s.IntegerField()
    revision = s.IntegerField()
    inputs = s.DictField()
    reference = s.CharField(allow_null=True)
    conversation = s.JSONField(allow_null=True)
    tags = s.ListField(child=s.CharField())


class FormerShape(s.Serializer):
    id = s.IntegerField()
    outcome = s.CharField()
    failure = s.CharField(allow_blank=True)
    text = s.CharField(allow_blank=True)
    cost = s.IntegerField(allow_null=True)
    created_at = s.DateTimeField()


class SettleOutcomeRequest(s.Serializer):
    outcome = s.CharField(max_length=10)


class SettledOutcome(s.Serializer):
    answers = s.IntegerField(help_text="For how many identical answers the decision holds.")


class OutputShape(s.Serializer):
    id = s.IntegerField()
    trial = s.IntegerField()
    trial_number = s.IntegerField()
    brief = s.IntegerField()
    arm = ArmShape()
    case = OutputCase()
    repeat = s.IntegerField()
    outcome = s.CharField()
    why = s.CharField(allow_blank=True)
    suspected = s.CharField(allow_blank=True)
    failure = s.CharField(allow_blank=True)
    text = s.CharField(allow_blank=True)
    reasoning = s.CharField(allow_blank=True)
    turns = TurnShape(many=True)
    finish_reason = s.CharField(allow_blank=True)
    tokens_in = s.IntegerField(allow_null=True)
    tokens_out = s.IntegerField(allow_null=True)
    cost = s.IntegerField(allow_null=True)
    latency_ms = s.FloatField(allow_null=True)
    first_ms = s.FloatField(allow_null=True)
    total = s.FloatField(allow_null=True)
    total_why = s.CharField(allow_blank=True)
    scores = ScoreShape(many=True)
    calls = CallShape(many=True)
    current = s.BooleanField()
    former = FormerShape(many=True)
    mark = MarkShape(allow_null=True)


class CompareFigures(s.Serializer):
    a = s.IntegerField()
    b = s.IntegerField()
    n_cases = s.IntegerField()
    difference = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    p = s.FloatField(allow_null=True)
    p_holm = s.FloatField(allow_null=True)
    wins = s.IntegerField()
    ties = s.IntegerField()
    losses = s.IntegerField()
    cases_needed = s.IntegerField(allow_null=True)
    method = s.CharField(allow_null=True)
    why_null = s.CharField(allow_null=True)


class SideShape(s.Serializer):
    output = s.IntegerField()
    score = s.FloatField()
    text = s.CharField(allow_blank=True)


class ChangedCase(s.Serializer):
    revision = s.IntegerField()
    number = s.IntegerField()
    text = s.CharField()
    reference = s.CharField(allow_null=True)
    difference = s.FloatField()
    a = SideShape()
    b = SideShape()


class FamilyMember(CompareFigures):
    arm = ArmShape()
    together = s.FloatField(
        allow_null=True, help_text="half width of the interval that holds for all arms together"
    )


class ComparisonShape(s.Serializer):
    family = FamilyMember(many=True)
    a = ArmShape()
    b = ArmShape()
    credible = s.ListField(child=s.IntegerField())
    words = s.CharField()
    no_worse = s.BooleanField(allow_null=True)
    no_worse_words = s.CharField(allow_blank=True)
    level = s.FloatField()
    margin = s.FloatField()
    complete = s.BooleanField()
    figures = CompareFigures(allow_null=True)
    as_zero = CompareFigures(
        allow_null=True, help_text="with missing scores counted 0; null where none is missing"
    )
    changed = ChangedCase(many=True)


class AdoptRequest(s.Serializer):
    arm = s.IntegerField()
    against = s.IntegerField(required=False, allow_null=True, default=None)
    reason = s.CharField(allow_blank=True)


class ReworkedMean(s.Serializer):
    """What the adopted arm scores by the rules of today, where they are others than then."""

    at = s.DateTimeField()
    mean = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)


class VerdictShape(s.Serializer):
    reworked = ReworkedMean(allow_null=True)
    id = s.IntegerField()
    arm = ArmShape()
    trial = s.IntegerField()
    trial_number = s.IntegerField()
    reason = s.CharField()
    evidence = s.DictField()
    decided_at = s.DateTimeField()
    decided_by = s.CharField()


class RescoreRequest(BudgetRequest):
    scorecard = s.IntegerField()


class RescoredArm(s.Serializer):
    arm = s.IntegerField()
    before = s.FloatField(allow_null=True)
    after = s.FloatField(allow_null=True)


class RescoredShape(s.Serializer):
    scorecard = s.IntegerField()
    former = s.IntegerField()
    outputs = s.IntegerField()
    to_judge = s.IntegerField()
    arms = RescoredArm(many=True)


class LabelFiguresShape(s.Serializer):
    label = s.CharField(allow_blank=True)
    n = s.IntegerField()
    precision = s.FloatField(allow_null=True)
    recall = s.FloatField(allow_null=True)
    f1 = s.FloatField(allow_null=True)
    f1_interval = s.ListField(child=s.FloatField(), allow_null=True)


class LabelledOutput(s.Serializer):
    output = s.IntegerField()
    case = s.IntegerField()
    repeat = s.IntegerField()
    said = s.CharField(allow_null=True, allow_blank=True)


class LabelCell(s.Serializer):
    row = s.IntegerField()
    column = s.IntegerField()
    outputs = LabelledOutput(many=True)


class LabelsShape(s.Serializer):
    choices = s.ListField(child=s.CharField())
    field = s.CharField()
    rows = s.ListField(child=s.CharField(allow_blank=True))
    columns = s.ListField(child=s.CharField(allow_blank=True))
    matrix = s.ListField(child=s.ListField(child=s.IntegerField()))
    accuracy = s.FloatField(allow_null=True)
    macro_f1 = s.FloatField(allow_null=True)
    accuracy_interval = s.ListField(child=s.FloatField(), allow_null=True)
    macro_f1_interval = s.ListField(child=s.FloatField(), allow_null=True)
    per_label = LabelFiguresShape(many=True)
    cells = LabelCell(many=True)
