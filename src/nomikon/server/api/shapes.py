"""Shapes of what the API takes and gives; the OpenAPI document is made from these.

Here stand those of briefs, cases, connections, desk and ledger; what is larger has a file of its
own beside this one (shapes_trials.py, shapes_draft.py …), each a flat list in the order of the screens.
"""

from __future__ import annotations

from rest_framework import serializers as s

from nomikon.core.replies.reasoning import AUTO, WHERE
from nomikon.models.types import OUTPUT_LIMIT


class MessageShape(s.Serializer):
    role = s.CharField()
    content = s.CharField(allow_blank=True, trim_whitespace=False, max_length=4_000_000)
    step = s.CharField(required=False, allow_null=True, default=None)


class ClauseShape(s.Serializer):
    number = s.IntegerField()
    message = s.IntegerField()
    kind = s.CharField()
    start = s.IntegerField()
    end = s.IntegerField()
    text = s.CharField()


class WordChangeShape(s.Serializer):
    kind = s.ChoiceField(choices=["same", "gone", "new"])
    text = s.CharField(trim_whitespace=False)


class AmendmentShape(s.Serializer):
    id = s.CharField()
    kind = s.ChoiceField(choices=["add", "amend", "strike", "move", "layout"])
    before = ClauseShape(allow_null=True)
    after = ClauseShape(allow_null=True)
    requires = s.ListField(child=s.CharField())
    detail = s.CharField(allow_blank=True)
    words = WordChangeShape(many=True)


class TagShape(s.Serializer):
    message = s.IntegerField()
    kind = s.CharField()
    name = s.CharField()
    start = s.IntegerField()
    end = s.IntegerField()


class DraftProblemShape(s.Serializer):
    field = s.CharField()
    text = s.CharField()
    severity = s.ChoiceField(choices=["error", "warning", "note"])


class FixShape(s.Serializer):
    start = s.IntegerField()
    end = s.IntegerField()
    text = s.CharField(allow_blank=True, trim_whitespace=False)


class FindingShape(s.Serializer):
    rule = s.CharField()
    severity = s.ChoiceField(choices=["note", "warning", "error"])
    text = s.CharField()
    message = s.IntegerField(allow_null=True)
    clause = s.IntegerField(allow_null=True)
    start = s.IntegerField()
    end = s.IntegerField()
    fix = FixShape(allow_null=True)


class SilencedShape(s.Serializer):
    rule = s.CharField()
    reason = s.CharField()


class SilenceRequest(s.Serializer):
    rule = s.CharField()
    reason = s.CharField(allow_blank=True, allow_null=True, max_length=300)


class DraftRequest(s.Serializer):
    messages = MessageShape(many=True)
    settings = s.DictField(required=False, default=dict)
    parent = s.IntegerField(required=False, allow_null=True, default=None)


class CameFromShape(s.Serializer):
    number = s.IntegerField()
    parent = s.IntegerField()


class DraftReport(s.Serializer):
    clauses = ClauseShape(many=True)
    tags = TagShape(many=True)
    placeholders = s.ListField(child=s.CharField())
    unfilled = s.ListField(child=s.CharField())
    unused = s.ListField(child=s.CharField())
    problems = DraftProblemShape(many=True)
    findings = FindingShape(many=True)
    silenced = SilencedShape(many=True)
    tokens = s.IntegerField()
    parent = s.IntegerField(allow_null=True)
    amendments = AmendmentShape(many=True)
    kept = s.IntegerField()
    rewritten = s.BooleanField()
    came_from = CameFromShape(many=True)


class ReasonShape(s.Serializer):
    """Why a proposed amendment was made; clause as numbered in the parent."""

    kind = s.ChoiceField(choices=["add", "amend", "strike"])
    clause = s.IntegerField()
    text = s.CharField(allow_blank=True, trim_whitespace=False)
    reason = s.CharField(max_length=1000)
    fault = s.CharField(allow_blank=True, max_length=400, required=False, default="")
    cases = s.IntegerField(required=False, default=0)
    outputs = s.ListField(child=s.IntegerField(), required=False, default=list, max_length=50)


class VersionRequest(DraftRequest):
    reasons = ReasonShape(many=True, required=False, default=list)
    note = s.CharField(required=False, allow_blank=True, default="", max_length=300)
    second_parent = s.IntegerField(required=False, allow_null=True, default=None)
    origin = s.ChoiceField(
        choices=["typed", "drafted", "amended", "imported", "trimmed"],
        required=False,
        default="typed",
    )


class SpineScoreShape(s.Serializer):
    mean = s.FloatField()
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    trial = s.IntegerField()


class VersionFacts(s.Serializer):
    id = s.IntegerField()
    number = s.IntegerField()
    parent = s.IntegerField(allow_null=True)
    second_parent = s.IntegerField(allow_null=True)
    note = s.CharField()
    tags = s.ListField(child=s.CharField())
    archived = s.BooleanField()
    origin = s.CharField()
    adopted = s.BooleanField()
    created_at = s.DateTimeField()
    score = SpineScoreShape(allow_null=True)


class VersionDetail(s.Serializer):
    id = s.IntegerField()
    number = s.IntegerField()
    parent = s.IntegerField(allow_null=True)
    second_parent = s.IntegerField(allow_null=True)
    note = s.CharField()
    tags = s.ListField(child=s.CharField())
    archived = s.BooleanField()
    origin = s.CharField()
    messages = MessageShape(many=True)
    settings = s.DictField()
    reasons = ReasonShape(many=True)
    created_at = s.DateTimeField()
    created_by = s.CharField()


class ChangesShape(s.Serializer):
    amendments = AmendmentShape(many=True)
    kept = s.IntegerField()
    rewritten = s.BooleanField()
    against = s.IntegerField()
    settings_before = s.DictField()
    settings_after = s.DictField()


class RenderedMessage(s.Serializer):
    role = s.CharField()
    content = s.CharField()
    step = s.CharField(allow_null=True)


class RenderedShape(s.Serializer):
    messages = RenderedMessage(many=True)
    missing = s.ListField(child=s.CharField())
    unused = s.ListField(child=s.CharField())


class RenderRequest(s.Serializer):
    messages = MessageShape(many=True)
    inputs = s.DictField()


class StageShape(s.Serializer):
    stage = s.CharField()
    words = s.CharField(allow_blank=True)


class SpineBasis(s.Serializer):
    model = s.CharField()
    settings = s.CharField()
    scorecard = s.IntegerField()
    dataset_version = s.IntegerField()
    split = s.CharField()


class ScorecardShape(s.Serializer):
    id = s.IntegerField()
    number = s.IntegerField()
    document = s.DictField()
    created_at = s.DateTimeField()


class DatasetShape(s.Serializer):
    id = s.IntegerField()
    name = s.CharField()
    version = s.IntegerField()
    version_id = s.IntegerField()
    changed = s.IntegerField()
    open = s.BooleanField()
    columns = s.ListField(child=s.CharField())
    kinds = s.DictField(child=s.CharField())
    working = s.IntegerField()
    held_out = s.IntegerField()


class BriefDetail(s.Serializer):
    id = s.IntegerField()
    name = s.CharField()
    job = s.CharField()
    task = s.CharField()
    stages = StageShape(many=True)
    versions = VersionFacts(many=True)
    basis = SpineBasis(allow_null=True)
    adopted = s.IntegerField(allow_null=True)
    datasets = DatasetShape(many=True)
    scorecard = ScorecardShape(allow_null=True)
    last_event = s.IntegerField()


class BriefRequest(s.Serializer):
    name = s.CharField(max_length=120, allow_blank=True)
    job = s.CharField(required=False, allow_blank=True, default="")
    task = s.CharField(required=False, default="other")


class BriefMade(s.Serializer):
    id = s.IntegerField()


class CoursePoint(s.Serializer):
    version = s.IntegerField()
    mean = s.FloatField()


class WaitingShape(s.Serializer):
    words = s.CharField()
    to = s.CharField(help_text="the address within the brief")


class DocketEntry(s.Serializer):
    id = s.IntegerField()
    name = s.CharField()
    job = s.CharField()
    state = s.CharField()
    course = CoursePoint(many=True)
    best = SpineScoreShape(allow_null=True)
    best_label = s.CharField(allow_blank=True)
    waiting = WaitingShape(many=True)
    spent = s.IntegerField()


class LineShape(s.Serializer):
    id = s.IntegerField()
    at = s.DateTimeField()
    actor = s.CharField()
    what = s.CharField()
    brief = s.IntegerField(allow_null=True)
    brief_name = s.CharField(allow_blank=True)
    subject = s.CharField()
    subject_id = s.IntegerField(allow_null=True)
    facts = s.DictField()
    about = s.DictField(help_text="models, settings, version, trial, output it is about")
    cost_nano = s.IntegerField(allow_null=True)


class LedgerShape(s.Serializer):
    lines = LineShape(many=True)
    more = s.BooleanField()
    kinds = s.ListField(child=s.CharField())
    people = s.ListField(child=s.CharField())
    models = s.ListField(child=s.CharField())


class SpendDay(s.Serializer):
    day = s.IntegerField()
    nano = s.IntegerField()


class DeskShape(s.Serializer):
    briefs = DocketEntry(many=True)
    lately = LineShape(many=True)
    month = s.CharField()
    spend_days = SpendDay(many=True)
    spent_month = s.IntegerField()


class SessionShape(s.Serializer):
    csrf = s.CharField()
    actor = s.CharField()
    currency = s.CharField()
    worker = s.ChoiceField(choices=["running", "idle", "stopped"])
    running_trials = s.IntegerField()
    spent_month = s.IntegerField()
    month = s.CharField()


class CaseShape(s.Serializer):
    revision = s.IntegerField()
    number = s.IntegerField()
    inputs = s.DictField()
    reference = s.CharField(allow_null=True)
    conversation = s.JSONField(allow_null=True)
    tags = s.ListField(child=s.CharField())
    split = s.CharField()


class CasePage(s.Serializer):
    total = s.IntegerField()
    offset = s.IntegerField()
    cases = CaseShape(many=True)


class DatasetRequest(s.Serializer):
    name = s.CharField(allow_blank=True)


class DatasetMade(s.Serializer):
    id = s.IntegerField()


class ModelShape(s.Serializer):
    id = s.IntegerField()
    connection = s.IntegerField()
    connection_name = s.CharField()
    name = s.CharField()
    simulated = s.BooleanField()
    context_length = s.IntegerField(allow_null=True)
    price_in = s.DecimalField(
        max_digits=20, decimal_places=9, allow_null=True, coerce_to_string=False
    )
    price_out = s.DecimalField(
        max_digits=20, decimal_places=9, allow_null=True, coerce_to_string=False
    )

    price_cached = s.DecimalField(
        max_digits=20, decimal_places=9, allow_null=True, coerce_to_string=False
    )
    price_reasoning = s.DecimalField(
        max_digits=20, decimal_places=9, allow_null=True, coerce_to_string=False
    )
    reasoning = s.ChoiceField(choices=WHERE)
    borne = s.IntegerField(allow_null=True)
    unsupported = s.ListField(child=s.CharField())
    never_sent = s.ListField(child=s.CharField())
    concurrency = s.IntegerField(allow_null=True)
    requests_per_minute = s.IntegerField(allow_null=True)
    tokens_per_minute = s.IntegerField(allow_null=True)
    calls_seen = s.IntegerField()
    error_in = s.FloatField(allow_null=True)
    error_out = s.FloatField(allow_null=True)


class LaneShape(s.Serializer):
    state = s.ChoiceField(choices=["steady", "slowed", "resting", "probing", "given-up"])
    reason = s.CharField(allow_blank=True)
    width = s.IntegerField(allow_null=True)
    next_look_s = s.FloatField(allow_null=True)


class StandingShape(s.Serializer):
    state = s.ChoiceField(choices=["steady", "slowed", "resting", "probing", "given-up"])
    reason = s.CharField(allow_blank=True)
    lanes = s.DictField(child=LaneShape())
    since = s.DateTimeField(allow_null=True)
    next_look_at = s.DateTimeField(allow_null=True)


class ConnectionShape(s.Serializer):
    id = s.IntegerField()
    name = s.CharField()
    protocol = s.CharField()
    base_url = s.CharField()
    key_env = s.CharField(allow_blank=True)
    key_kept = s.BooleanField()
    key_set = s.BooleanField()
    standing = StandingShape()
    requests_per_minute = s.IntegerField(allow_null=True)
    tokens_per_minute = s.IntegerField(allow_null=True)
    simulated = s.BooleanField()
    concurrency = s.IntegerField(allow_null=True)
    headers = s.DictField(child=s.CharField(allow_blank=True))
    body_fields = s.JSONField()
    output_limit = s.CharField()
    call_timeout_s = s.FloatField()
    stall_timeout_s = s.FloatField()
    models = ModelShape(many=True)


class ConnectionRequest(s.Serializer):
    name = s.CharField(allow_blank=True, max_length=80)
    protocol = s.CharField(default="chat-completions")
    base_url = s.CharField(allow_blank=True, max_length=500)
    key_env = s.CharField(allow_blank=True, default="", max_length=120)
    key = s.CharField(
        allow_blank=True, allow_null=True, default=None, max_length=4000, write_only=True
    )
    requests_per_minute = s.IntegerField(allow_null=True, default=None)
    tokens_per_minute = s.IntegerField(allow_null=True, default=None)
    concurrency = s.IntegerField(allow_null=True, default=None)
    headers = s.DictField(child=s.CharField(allow_blank=True), default=dict)
    body_fields = s.DictField(child=s.JSONField(), default=dict)
    output_limit = s.CharField(default=OUTPUT_LIMIT, max_length=60)
    call_timeout_s = s.FloatField(default=120.0)
    stall_timeout_s = s.FloatField(default=30.0)


class ModelRequest(s.Serializer):
    name = s.CharField(allow_blank=True, max_length=200)
    context_length = s.IntegerField(allow_null=True, default=None)
    price_in = s.DecimalField(max_digits=20, decimal_places=9, allow_null=True, default=None)
    price_out = s.DecimalField(max_digits=20, decimal_places=9, allow_null=True, default=None)

    price_cached = s.DecimalField(max_digits=20, decimal_places=9, allow_null=True, default=None)
    price_reasoning = s.DecimalField(max_digits=20, decimal_places=9, allow_null=True, default=None)
    reasoning = s.CharField(default=AUTO, max_length=10)
    simulated = s.BooleanField(default=False)
    unsupported = s.ListField(child=s.CharField(), required=False, default=list)
    concurrency = s.IntegerField(allow_null=True, default=None)
    requests_per_minute = s.IntegerField(allow_null=True, default=None)
    tokens_per_minute = s.IntegerField(allow_null=True, default=None)


class ModelsRequest(s.Serializer):
    names = s.ListField(child=s.CharField(max_length=200), allow_empty=False, max_length=500)


class AddressChecked(s.Serializer):
    base_url = s.CharField(help_text="As it answers: completed where that was needed.")
    models = s.IntegerField(allow_null=True)
    failure = s.CharField(allow_blank=True)


class TestRequest(s.Serializer):
    text = s.CharField(max_length=20_000)


class FailureShape(s.Serializer):
    code = s.CharField()
    text = s.CharField()
    attempts = s.IntegerField()


class AnswerShape(s.Serializer):
    text = s.CharField(allow_blank=True)
    finish_reason = s.CharField(allow_null=True)
    tokens_in = s.IntegerField(allow_null=True)
    tokens_out = s.IntegerField(allow_null=True)
    cost = s.IntegerField(allow_null=True)
    latency_ms = s.FloatField()
    first_ms = s.FloatField(allow_null=True)
    model_identity = s.CharField(allow_blank=True)
    attempts = s.IntegerField()


class TestedShape(s.Serializer):
    request = s.DictField()
    answer = AnswerShape(allow_null=True)
    failure = FailureShape(allow_null=True)


class OfferedModelShape(s.Serializer):
    name = s.CharField()
    context_length = s.IntegerField(allow_null=True)
    simulated = s.BooleanField()
    added = s.BooleanField()


class OfferedShape(s.Serializer):
    models = OfferedModelShape(many=True)
    failure = FailureShape(allow_null=True)


class HealthHour(s.Serializer):
    hour = s.DateTimeField()
    answered = s.IntegerField()
    failures = s.DictField(child=s.IntegerField())
    latency_ms = s.FloatField(allow_null=True)


class SpendRow(s.Serializer):
    month = s.CharField()
    brief = s.IntegerField(allow_null=True)
    name = s.CharField()
    model = s.CharField()
    cost = s.IntegerField()


class MeasureExample(s.Serializer):
    parameters = s.DictField()
    output = s.CharField()
    reference = s.CharField(allow_null=True)
    score = s.FloatField(allow_null=True)


class SortShape(s.Serializer):
    sort = s.CharField()
    options = s.ListField(child=s.CharField())


class MeasureShape(s.Serializer):
    sorts = s.DictField(child=SortShape())
    judged = s.BooleanField()
    name = s.CharField()
    description = s.CharField()
    needs_reference = s.BooleanField()
    parameters = s.DictField(child=s.CharField())
    family = s.CharField()
    example = MeasureExample()


class ScorecardRequest(s.Serializer):
    document = s.DictField()


class ProblemShape(s.Serializer):
    title = s.CharField()
    status = s.IntegerField()
    detail = s.CharField()
    field = s.CharField(required=False)
