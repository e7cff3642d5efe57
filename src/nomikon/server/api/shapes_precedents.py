"""Shapes of precedents."""

from rest_framework import serializers as s

from nomikon.server.api.shapes_review import SpanShape
from nomikon.server.api.shapes_trials import ArmShape

KINDS = ["must-say", "must-not-say", "equals", "question"]


class ProposePrecedents(s.Serializer):
    comment = s.CharField(required=False, allow_blank=True, default="")
    spans = SpanShape(many=True, required=False, default=list)
    better = s.CharField(
        required=False, allow_null=True, allow_blank=True, trim_whitespace=False, default=None
    )


class ProposedPrecedent(s.Serializer):
    kind = s.ChoiceField(choices=KINDS)
    text = s.CharField()
    why = s.CharField()


class KeepPrecedentRequest(s.Serializer):
    kind = s.CharField()
    text = s.CharField(allow_blank=True, trim_whitespace=False)
    judge = s.IntegerField(required=False, allow_null=True, default=None)


class PrecedentShape(s.Serializer):
    id = s.IntegerField()
    case = s.IntegerField()
    kind = s.ChoiceField(choices=KINDS)
    text = s.CharField()
    judge = s.CharField(allow_blank=True)
    created_by = s.CharField()
    created_at = s.DateTimeField()
    retired = s.BooleanField()


class BrokenPrecedent(PrecedentShape):
    output = s.IntegerField()
    why = s.CharField()


class ArmPrecedents(s.Serializer):
    arm = ArmShape()
    held = s.IntegerField()
    broken = s.IntegerField()
    open = s.IntegerField()
    rows = BrokenPrecedent(many=True)


class PrecedentBoard(s.Serializer):
    n = s.IntegerField()
    to_ask = s.IntegerField()
    cost_about = s.IntegerField(allow_null=True)
    arms = ArmPrecedents(many=True)
