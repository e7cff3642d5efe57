"""Shapes of what the grid of cases and imports send and take."""

from rest_framework import serializers as s

from nomikon.core.cases.kinds import KINDS
from nomikon.server.api.shapes import CaseShape, DatasetShape

MOST_TEXT = 10_000_000


class EditShape(s.Serializer):
    revision = s.IntegerField(required=False, allow_null=True)
    values = s.DictField(
        required=False,
        child=s.CharField(allow_blank=True, trim_whitespace=False, max_length=MOST_TEXT),
    )
    reference = s.CharField(
        required=False,
        allow_null=True,
        allow_blank=True,
        trim_whitespace=False,
        max_length=MOST_TEXT,
    )
    tags = s.ListField(child=s.CharField(allow_blank=True), required=False)
    split = s.CharField(required=False)
    conversation = s.JSONField(required=False, allow_null=True)
    put_back = s.IntegerField(required=False, allow_null=True)
    position = s.IntegerField(required=False, allow_null=True, min_value=0)
    out = s.BooleanField(required=False)


class EditRequest(s.Serializer):
    edits = EditShape(many=True, required=False, default=list)
    columns = s.ListField(child=s.CharField(max_length=120), required=False, default=list)
    kinds = s.DictField(child=s.CharField(), required=False, default=dict)
    why = s.CharField(required=False, allow_blank=True, default="", max_length=300)


class PlaceShape(s.Serializer):
    revision = s.IntegerField()
    split = s.CharField()
    position = s.IntegerField(allow_null=True)


class EditedRow(s.Serializer):
    before = PlaceShape(allow_null=True)
    case = CaseShape(allow_null=True)


class EditedShape(DatasetShape):
    rows = EditedRow(many=True)


class PreviewColumn(s.Serializer):
    name = s.CharField()
    use = s.CharField()
    kind = s.ChoiceField(choices=KINDS)
    fills = s.BooleanField()
    examples = s.ListField(child=s.CharField(allow_blank=True))


class RefusedShape(s.Serializer):
    line = s.IntegerField()
    reason = s.CharField()


class TablePreview(s.Serializer):
    columns = PreviewColumn(many=True)
    rows = s.IntegerField()
    n_refused = s.IntegerField()
    refused = RefusedShape(many=True)
    encoding = s.CharField()
    delimiter = s.CharField(allow_blank=True)
    notes = s.ListField(child=s.CharField())
    unfilled = s.ListField(child=s.CharField())


class DimensionShape(s.Serializer):
    name = s.CharField(allow_blank=True, max_length=60)
    values = s.ListField(child=s.CharField(allow_blank=True, max_length=80), max_length=40)


class CoverageRequest(s.Serializer):
    dimensions = DimensionShape(many=True, required=False, default=list)
    tags = s.ListField(child=s.ListField(child=s.CharField()), required=False, default=list)


class ValueCount(s.Serializer):
    value = s.CharField()
    n = s.IntegerField()


class DimensionCounts(s.Serializer):
    name = s.CharField()
    values = ValueCount(many=True)


class CoverageShape(s.Serializer):
    dimensions = DimensionCounts(many=True)
    pairs = s.IntegerField()
    pairs_possible = s.IntegerField()


class ProposalShape(s.Serializer):
    values = s.DictField(child=s.CharField(allow_blank=True))
    reference = s.CharField(allow_null=True)
    tags = s.ListField(child=s.CharField())
    near_case = s.IntegerField(allow_null=True)
    near_proposal = s.IntegerField(allow_null=True)
    likeness = s.FloatField(allow_null=True)


class UnreadShape(s.Serializer):
    place = s.IntegerField()
    reason = s.CharField()


class ProposalsShape(s.Serializer):
    cases = ProposalShape(many=True)
    refused = UnreadShape(many=True)
    before = CoverageShape()
    after = CoverageShape()
