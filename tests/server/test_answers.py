"""Answers laid open: selections by figures, words, tags and marks; differences; arms in full."""

import json

from django.test import TransactionTestCase

from nomikon.core.cases import read_csv
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.trials.models import Output
from tests.server.base import Api, Scripted, make_brief, run, start, who

CARD = {
    "nomikon": "scorecard/1",
    "measures": [
        {"measure": "normalised-match"},
        {"measure": "length", "unit": "words", "max": 3, "weight": 0},
    ],
}
# Cases 1 to 6: (what it says, its reference, its tags).
SEAS = (
    ("Ein stürmisches Meer", "yes", "hard;north"),
    ("50% salt_water (really?)", "no", "hard"),
    ("plain sea", "yes", ""),
    ("grey sea", "yes", "north"),
    ("Mar de Alborán", "no", ""),
    ("far sea", "yes", ""),
)


def reply(body):
    """The second version is right but for one, which it declines; the first says yes to all."""
    text = body["messages"][0]["content"]
    if "Say yes or no" not in text:
        return "Yes."
    if "far" in text:
        return "I'm sorry, but I can't help with that."
    return "no" if "50%" in text or "Mar de" in text else "yes"


class AnswersTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(0)
        rows = "sea,reference,tags\n" + "\n".join(f'"{a}",{b},{c}' for a, b, c in SEAS)
        uses = {"reference": {"as": "reference"}, "tags": {"as": "tags"}}
        ImportCases(
            self.brief.datasets.get(), read_csv(rows.encode()), uses, "working", **who()
        ).execute()
        SaveScorecard(self.brief, CARD, **who()).execute()
        self.trial = start(self.brief, models=self.one_model(), repeats=2)
        run(self.trial, Scripted(reply))
        self.api = Api()
        self.first, self.second = self.trial.arms.order_by("position")
        entries = self.trial.dataset_version.entries.select_related("revision__case")
        self.number = {e.revision_id: e.revision.case.number for e in entries}

    def one_model(self):
        from nomikon.server.apps.connections.models import Model

        return [Model.objects.order_by("id").first().pk]

    def get(self, status=200, **query):
        path = f"/api/trials/{self.trial.pk}/selection/"
        got = self.api.client.get(path, query)
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def cases(self, **query):
        return [self.number[r] for r in self.get(**query)["revisions"]]

    def output(self, arm, number, repeat=0):
        return Output.objects.get(arm=arm, revision__case__number=number, repeat=repeat)

    def test_by_words_that_hold_signs_of_patterns_and_other_letters(self):
        self.assertEqual(self.cases(words="50%"), [2])
        self.assertEqual(self.cases(words="salt_water (really?)"), [2])
        self.assertEqual(self.cases(words="_"), [2])
        self.assertEqual(self.cases(words=".*"), [])
        self.assertEqual(self.cases(words="stürm"), [1])
        self.assertEqual(self.cases(words="Alborán"), [5])
        self.assertEqual(self.cases(words="sorry"), [6])
        self.assertEqual(self.cases(words="sorry", arms=str(self.first.pk)), [])

    def test_by_tag_label_outcome_and_score(self):
        self.assertEqual(self.cases(tag="hard"), [1, 2])
        self.assertEqual(self.cases(tag="hard", label="no"), [2])
        self.assertEqual(self.cases(outcome="declined"), [6])
        self.assertEqual(self.cases(outcome="no answer", arms=str(self.first.pk)), [])
        self.assertEqual(self.cases(high="0"), [2, 5, 6])
        self.assertEqual(self.cases(high="0", arms=str(self.second.pk)), [6])
        self.assertEqual(self.cases(measure="length", high="0.5"), [6])

    def test_by_a_cell_of_the_table_of_labels(self):
        def cell(arm, *wanted_given):
            return json.dumps([arm.pk, None, *wanted_given])

        # The first arm says yes to all: cases 2 and 5 are those it should have said no to.
        self.assertEqual(self.cases(cell=cell(self.first, "no", "yes")), [2, 5])
        self.assertEqual(self.cases(cell=cell(self.first, "no", "yes"), tag="hard"), [2])
        self.assertEqual(self.cases(cell=cell(self.first, "no", "no")), [])
        table = self.api.get(f"trials/{self.trial.pk}/labels/{self.second.pk}/").json()
        self.assertEqual(self.cases(cell=cell(self.second, "yes", table["columns"][-1])), [6])
        for wrong in ("x", "[1]", cell(self.first, "maybe", "yes"), '[999999, null, "no", "no"]'):
            with self.subTest(wrong):
                self.assertEqual(self.get(422, cell=wrong)["field"], "cell")

    def test_where_arms_differ_first_and_how_many_do(self):
        found = self.get(order="differ", differ="true")
        self.assertEqual([self.number[r] for r in found["revisions"]], [2, 5, 6])
        self.assertEqual((found["differing"], found["of"], found["outputs"]), (3, 6, 12))
        self.assertEqual(self.cases(order="worst", arms=str(self.second.pk))[0], 6)
        self.assertEqual(self.cases(repeats_differ="true"), [])

    def test_by_mark(self):
        self.api.post(f"outputs/{self.output(self.first, 3).pk}/marks/", {"judgement": "bad"})
        self.assertEqual(self.cases(mark="bad"), [3])
        self.assertEqual(self.cases(mark="marked", tag="north"), [])
        self.assertEqual(self.cases(mark="unmarked"), [1, 2, 3, 4, 5, 6])
        self.assertEqual(
            self.cases(mark="unmarked", arms=str(self.first.pk), repeat="0"), [1, 2, 4, 5, 6]
        )

    def test_what_cannot_be_asked_for_is_said_where(self):
        wrong = {"mark": "fine", "low": "2", "high": "x", "repeat": "x", "order": "size",
                 "measure": "beauty", "outcome": "lost", "arms": "999999"}  # fmt: skip
        for field, value in wrong.items():
            with self.subTest(field):
                self.assertEqual(self.get(422, **{field: value})["field"], field)
        self.assertEqual(self.cases(words="nowhere to be found"), [])

    def test_what_differs(self):
        mine, other = self.output(self.first, 2), self.output(self.second, 2)
        told = self.api.get(f"outputs/{mine.pk}/differences/").json()
        self.assertEqual((told["how"], told["same"]), ("words", False))
        self.assertEqual([w["text"] for w in told["words"] if w["kind"] == "gone"], ["no"])
        told = self.api.get(f"outputs/{mine.pk}/differences/?to={other.pk}").json()
        self.assertFalse(told["same"])
        elsewhere = self.output(self.second, 3)
        got = self.api.get(f"outputs/{mine.pk}/differences/?to={elsewhere.pk}")
        self.assertEqual((got.status_code, got.json()["field"]), (422, "to"))

    def test_what_a_total_is_made_of(self):
        self.api.post(f"outputs/{self.output(self.first, 3).pk}/marks/", {"judgement": "good"})
        told = self.api.get(f"trials/{self.trial.pk}/arms/").json()
        self.assertEqual(told["measures"], ["normalised-match", "length"])
        first, second = told["arms"]
        self.assertAlmostEqual(first["measures"][0]["mean"], 4 / 6)
        self.assertAlmostEqual(second["measures"][0]["mean"], 5 / 6)
        self.assertEqual(first["marks"], {"good": 1, "usable": 0, "bad": 0})
        if told["reference"] == self.first.pk:
            self.assertEqual((second["won"], second["lost"]), (2, 1))

    def test_an_arm_is_named_by_what_tells_it_apart(self):
        arms = self.api.get(f"trials/{self.trial.pk}/").json()["arms"]
        self.assertEqual([a["name"] for a in arms], ["v1", "v2"])
        shown = self.api.get(f"outputs/{self.output(self.first, 1).pk}/").json()
        self.assertEqual((shown["arm"]["name"], shown["uses"]), ("v1", ["sea"]))
