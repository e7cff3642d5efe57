"""Shapes of queries: what narrows and orders an answer; nothing of it is required."""

from rest_framework import serializers as s


class Page(s.Serializer):
    offset = s.IntegerField(required=False, help_text="how many to pass over")
    limit = s.IntegerField(required=False, help_text="how many at most, up to 1000")


class CasesQuery(Page):
    split = s.CharField(required=False, help_text="working or held-out")
    q = s.CharField(required=False, help_text="words that stand anywhere in a case")
    where = s.CharField(required=False, help_text="a JSON list of {column, test, value}")
    sort = s.CharField(required=False, help_text="a column")
    down = s.ChoiceField(choices=["true", "false"], required=False)


class QualityQuery(s.Serializer):
    near = s.ChoiceField(
        choices=["true", "false"], required=False, help_text="look for near-copies among very many"
    )


class FaultsQuery(s.Serializer):
    model = s.IntegerField(required=False, help_text="in this model's own answers only")


class LabelsQuery(s.Serializer):
    field = s.CharField(required=False, help_text="a key of the references; the first without it")


class ReadingQuery(s.Serializer):
    order = s.CharField(required=False)
    trial = s.IntegerField(required=False, help_text="the newest without it")
    arm = s.IntegerField(required=False)
    tag = s.CharField(required=False)


class ShelfQuery(s.Serializer):
    q = s.CharField(required=False, help_text="words of a text")
    task = s.CharField(required=False)
    tag = s.CharField(required=False)
    source = s.CharField(required=False)
    setting = s.CharField(required=False)
    value = s.CharField(required=False)


class LedgerQuery(Page):
    brief = s.CharField(required=False)
    what = s.CharField(required=False, help_text="a kind of line")
    who = s.CharField(required=False)
    since = s.CharField(required=False, help_text="a day, included")
    until = s.CharField(required=False, help_text="a day, included")
    model = s.CharField(required=False)
    setting = s.CharField(required=False, help_text="a setting, with or without its value")
    words = s.CharField(required=False)
    before = s.IntegerField(required=False, help_text="only lines older than this one")


class OpenConsultationQuery(s.Serializer):
    role = s.CharField()
    brief = s.IntegerField(required=False)
