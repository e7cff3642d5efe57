"""Shapes of consultations: a helping model's question, its price, its reply as it is read."""

from rest_framework import serializers as s

from nomikon.server.api.shapes import MessageShape
from nomikon.server.api.shapes_amending import AmendmentProposal
from nomikon.server.api.shapes_cases import CoverageShape, ProposalShape, UnreadShape
from nomikon.server.api.shapes_judges import CriterionShape
from nomikon.server.api.shapes_writing import WrittenClauseShape


class ConsultRequest(s.Serializer):
    role = s.CharField(max_length=20)
    about = s.DictField(child=s.JSONField(allow_null=True), help_text="What it is about, by name.")
    model = s.IntegerField(required=False, allow_null=True, default=None)
    instruction = s.CharField(
        required=False, allow_blank=True, default="", trim_whitespace=False, max_length=20_000
    )
    again = s.BooleanField(default=True, help_text="Ask once more where the reply cannot be read.")
    ask = s.BooleanField(default=False, help_text="Ask now; else it is only told what would be.")


class PreparedShape(s.Serializer):
    instruction = s.CharField(help_text="The newest wording.")
    form = s.CharField(help_text="What the program appends; it fixes the form of the reply.")
    shown = s.CharField(help_text="What the model is shown after it.")
    tokens = s.IntegerField()
    cost_at_most = s.IntegerField(allow_null=True)


class TryShape(s.Serializer):
    reply = s.CharField(allow_blank=True)
    reasoning = s.CharField(allow_blank=True)
    finish_reason = s.CharField(allow_blank=True)
    failure = s.CharField(allow_blank=True)
    problem = s.CharField(allow_blank=True)
    tokens_in = s.IntegerField(allow_null=True)
    tokens_out = s.IntegerField(allow_null=True)
    cost = s.IntegerField(allow_null=True)
    seconds = s.FloatField()


class AskedQuestionShape(s.Serializer):
    text = s.CharField()
    why = s.CharField(allow_blank=True)
    answers = s.ListField(child=s.CharField())


class ReplyReading(s.Serializer):
    items = s.IntegerField()
    refused = UnreadShape(many=True)
    repaired = s.ListField(child=s.CharField())
    passed_over = s.ListField(child=s.CharField())
    nothing = s.CharField(allow_blank=True, help_text="Why it holds nothing, where it does.")
    clauses = WrittenClauseShape(many=True, required=False)
    questions = AskedQuestionShape(many=True, required=False)
    cases = ProposalShape(many=True, required=False)
    before = CoverageShape(required=False)
    amendments = AmendmentProposal(many=True, required=False)
    criteria = CriterionShape(many=True, required=False)
    text = s.CharField(required=False)


class ConsultationShape(s.Serializer):
    id = s.IntegerField()
    role = s.CharField()
    state = s.ChoiceField(choices=["open", "taken", "dropped"])
    waiting = s.BooleanField(help_text="Its reply has not come yet.")
    model = s.CharField()
    simulated = s.BooleanField()
    about = s.DictField()
    instruction = s.CharField()
    request = MessageShape(many=True)
    tries = TryShape(many=True)
    text = s.CharField(allow_blank=True)
    edited = s.BooleanField()
    cost = s.IntegerField(allow_null=True)
    problem = s.CharField(allow_blank=True, help_text="Why nothing could be read.")
    line = s.IntegerField(help_text="The line of the reply at which it goes wrong; 0 unknown.")
    reading = ReplyReading(allow_null=True)
    created_at = s.DateTimeField()
    created_by = s.CharField()


class MaybeConsultation(s.Serializer):
    consultation = ConsultationShape(allow_null=True)


class ConsultedShape(MaybeConsultation):
    prepared = PreparedShape(allow_null=True, help_text="Null where it was asked.")


class SettleConsultationRequest(s.Serializer):
    text = s.CharField(
        required=False,
        default=None,
        allow_null=True,
        allow_blank=True,
        trim_whitespace=False,
        max_length=2_000_000,
    )
    state = s.CharField(required=False, default=None, allow_null=True, max_length=8)
    places = s.ListField(
        child=s.IntegerField(min_value=1), required=False, default=None, allow_null=True
    )
