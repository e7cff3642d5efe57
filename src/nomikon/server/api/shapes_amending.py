"""Shapes of faults and of the amendments proposed to put them right."""

from rest_framework import serializers as s

from nomikon.server.api.shapes import MessageShape, ReasonShape
from nomikon.server.api.shapes_cases import UnreadShape


class RemarkShape(s.Serializer):
    source = s.CharField()
    text = s.CharField(allow_blank=True)
    output = s.IntegerField()
    case = s.IntegerField()
    label = s.CharField(allow_blank=True)
    quote = s.CharField(allow_blank=True)
    wanted = s.CharField(allow_blank=True)


class FaultShape(s.Serializer):
    title = s.CharField(allow_blank=True)
    label = s.CharField(allow_blank=True)
    source = s.ChoiceField(choices=["mark", "span", "fault", "better", "measure"])
    n = s.IntegerField()
    cases = s.IntegerField()
    remarks = RemarkShape(many=True)
    key = s.CharField()


class FaultsShape(s.Serializer):
    faults = FaultShape(many=True)


class AmendByRuleRequest(s.Serializer):
    trial = s.IntegerField()
    version = s.IntegerField()
    faults = s.ListField(child=s.CharField(max_length=40), max_length=12)
    model = s.IntegerField(required=False, allow_null=True, default=None)


class ProposalRow(s.Serializer):
    id = s.CharField(max_length=20)
    kind = s.ChoiceField(choices=["add", "amend", "strike"])
    clause = s.IntegerField(min_value=0)
    text = s.CharField(allow_blank=True, trim_whitespace=False, max_length=200_000)
    reason = s.CharField()


class AmendmentProposal(ProposalRow):
    before = s.CharField(allow_blank=True)
    fault = s.IntegerField(allow_null=True)
    repaired = s.CharField(allow_blank=True)


class ProposedShape(s.Serializer):
    proposals = AmendmentProposal(many=True)
    refused = UnreadShape(many=True)


class AnsweredFault(s.Serializer):
    """The fault that a proposal answers; outputs: answers it was seen in."""

    label = s.CharField(allow_blank=True, max_length=200)
    title = s.CharField(allow_blank=True)
    cases = s.IntegerField(min_value=0)
    outputs = s.ListField(child=s.IntegerField())


class TakenProposal(ProposalRow):
    fault = AnsweredFault(required=False, allow_null=True, default=None)


class ApplyRequest(s.Serializer):
    version = s.IntegerField()
    proposals = TakenProposal(many=True)


class RefusedProposal(s.Serializer):
    id = s.CharField()
    reason = s.CharField()


class AppliedShape(s.Serializer):
    messages = MessageShape(many=True)
    tokens_before = s.IntegerField()
    tokens_after = s.IntegerField()
    refused = RefusedProposal(many=True)
    reasons = ReasonShape(many=True, help_text="Of what is taken, to be saved with the version.")


class WordingShape(s.Serializer):
    number = s.IntegerField()
    text = s.CharField()
    note = s.CharField(allow_blank=True)
    created_at = s.DateTimeField(allow_null=True)
    created_by = s.CharField(allow_blank=True)


class KeepWordingRequest(s.Serializer):
    text = s.CharField(allow_blank=True, trim_whitespace=False)
    note = s.CharField(required=False, allow_blank=True, default="")
