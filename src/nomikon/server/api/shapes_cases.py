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
