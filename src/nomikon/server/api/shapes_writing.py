"""Shapes of a first version from the brief, and of open questions."""

from rest_framework import serializers as s

from nomikon.server.api.shapes import MessageShape, ReasonShape


class WrittenClauseShape(s.Serializer):
    role = s.CharField()
    part = s.CharField()
    text = s.CharField()
    reason = s.CharField()


class WrittenRefusal(s.Serializer):
    place = s.IntegerField()
    reason = s.CharField()


class ComposeRequest(s.Serializer):
    clauses = WrittenClauseShape(many=True)


class ComposedShape(s.Serializer):
    messages = MessageShape(many=True)
    reasons = ReasonShape(many=True)
    tokens = s.IntegerField()


class TextRequest(s.Serializer):
    messages = MessageShape(many=True)


class QuestionShape(s.Serializer):
    key = s.CharField()
    text = s.CharField()
    why = s.CharField(allow_blank=True)
    answers = s.ListField(child=s.CharField())
    asked_by = s.CharField()
    state = s.ChoiceField(choices=["open", "answered", "skipped", "indifferent"])
    answer = s.CharField(allow_blank=True)


class QuestionsShape(s.Serializer):
    questions = QuestionShape(many=True)


class SettleRequest(TextRequest):
    key = s.CharField(max_length=80)
    state = s.CharField()
    answer = s.CharField(required=False, allow_blank=True, default="")


class QuestionAmendment(s.Serializer):
    clause = s.IntegerField()
    text = s.CharField()
    reason = s.CharField()
    messages = MessageShape(many=True)


class SettledShape(s.Serializer):
    questions = QuestionShape(many=True)
    proposed = QuestionAmendment(allow_null=True)
