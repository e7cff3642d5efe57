"""Columns of all cases renamed, taken out, joined and split, and the placeholders that follow."""

import json
import random

from django.test import TransactionTestCase

from nomikon.core.cases.columns import ColumnsError, changing
from nomikon.server.apps.baselines.actions.make_baseline import MakeBaseline
from nomikon.server.apps.baselines.facts import holding_answers
from nomikon.server.apps.baselines.models import BaselineAnswer
from nomikon.server.apps.datasets.versioning import newest_version
from tests.server.base import Api, Scripted, make_brief, run, start, who


class ChangingTest(TransactionTestCase):
    def test_what_becomes_of_a_case(self):
        there = ["id", "name", "town"]
        case = {"id": 1, "name": "Ada B. Lovelace", "town": "Malmö"}
        for act, columns, to, mark, now, after in (
            ("rename", ["name"], ["who"], "", ["id", "who", "town"],
             {"id": 1, "who": "Ada B. Lovelace", "town": "Malmö"}),
            ("remove", ["name", "id"], [], "", ["town"], {"town": "Malmö"}),
            ("join", ["town", "name"], ["all"], ", ", ["id", "all"],
             {"id": 1, "all": "Malmö, Ada B. Lovelace"}),
            ("split", ["name"], ["first", "rest"], " ", ["id", "first", "rest", "town"],
             {"id": 1, "first": "Ada", "rest": "B. Lovelace", "town": "Malmö"}),
            ("split", ["town"], ["a", "b", "c"], "/", ["id", "name", "a", "b", "c"],
             {"id": 1, "name": "Ada B. Lovelace", "a": "Malmö", "b": "", "c": ""}),
        ):  # fmt: skip
            put, columns_now = changing(act, columns, to, mark, there)
            self.assertEqual((columns_now, put(case)), (now, after), act)

    def test_what_cannot_be_is_refused_with_its_field(self):
        there = ["a", "b"]
        for act, columns, to, mark, field in (
            ("turn", ["a"], ["x"], "", "act"), ("rename", ["z"], ["x"], "", "columns"),
            ("rename", ["a"], ["b"], "", "to"), ("rename", ["a"], ["a"], "", "to"),
            ("rename", ["a"], ["{x}"], "", "to"), ("rename", ["a"], [" "], "", "to"),
            ("join", ["a"], ["x"], "", "columns"), ("join", ["a", "a"], ["x"], "", "columns"),
            ("split", ["a"], ["x"], ",", "to"), ("split", ["a"], ["x", "x"], ",", "to"),
            ("split", ["a"], ["x", "y"], "", "mark"), ("remove", [], [], "", "columns"), ("remove", ["a", "b"], [], "", "columns"),
        ):  # fmt: skip
            with self.assertRaises(ColumnsError) as caught:
                changing(act, columns, to, mark, there)
            self.assertEqual(caught.exception.field, field, (act, columns, to))

    def test_split_and_joined_again_nothing_is_lost(self):
        dice = random.Random(3)
        for _ in range(200):
            text = " ".join("".join(dice.choices("abcé", k=3)) for _ in range(dice.randint(1, 5)))
            put, now = changing("split", ["t"], ["x", "y"], " ", ["t"])
            back, _ = changing("join", ["x", "y"], ["t"], " ", now)
            self.assertEqual(back(put({"t": text})), {"t": text})


class ColumnsTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(6)
        self.dataset = self.brief.datasets.first()
        self.api = Api()

    def send(self, act, columns, to=(), mark="", **more):
        newest = newest_version(self.dataset)
        return self.api.post(
            f"datasets/{self.dataset.pk}/columns/",
            {"act": act, "columns": columns, "to": list(to), "mark": mark,
             "version": newest.pk, "changed": newest.changed, **more},
        )  # fmt: skip

    def test_a_column_is_renamed_and_the_placeholders_follow_when_asked(self):
        trial = start(self.brief, versions=[2])
        run(trial)
        case = self.dataset.cases.get(number=1)
        made = MakeBaseline(self.dataset, "By hand", "", **who()).execute()
        BaselineAnswer.objects.create(
            baseline=made, case=case, revision=case.revisions.get(), text="yes", written_by="me",
            written_at=who()["now"],
        )  # fmt: skip
        seen = self.send("rename", ["sea"], ["water"]).json()
        self.assertEqual((seen["n_changed"], seen["read_by"]), (0, 2))
        self.assertEqual(seen["samples"][0]["after"], {"water": "sea 0"})
        done = self.send("rename", ["sea"], ["water"], store=True, follow=2).json()
        self.assertEqual((done["n_changed"], done["saved"]), (6, 3))
        text = self.brief.versions.get(number=3).messages[0]["content"]
        self.assertEqual(text, "Is {{water}} wet? Say yes or no.")
        newest = newest_version(self.dataset)
        self.assertEqual(newest.columns, ["water"])
        self.assertEqual(run(start(self.brief, versions=[3]), Scripted()), "complete")
        # The trial before keeps what it ran on, and an answer to the same words is one still.
        inputs = trial.dataset_version.entries.first().revision.inputs
        self.assertEqual(list(inputs), ["sea"])
        revisions = newest.entries.values_list("revision_id", flat=True)
        self.assertEqual(len(holding_answers(made, revisions)[0]), 1)

    def test_a_change_is_taken_back_with_one_press(self):
        self.send("split", ["sea"], ["word", "number"], " ", store=True)
        newest = newest_version(self.dataset)
        self.assertEqual(newest.columns, ["word", "number"])
        first = newest.entries.order_by("position").first().revision.inputs
        self.assertEqual(first, {"word": "sea", "number": "0"})
        self.assertEqual(self.api.post(f"datasets/{self.dataset.pk}/take-back/").status_code, 200)
        self.assertEqual(newest_version(self.dataset).columns, ["sea"])

    def test_what_changed_meanwhile_and_what_cannot_be(self):
        self.assertEqual(self.send("rename", ["x"], ["y"], store=True).json()["field"], "columns")
        body = {"act": "remove", "columns": ["sea"], "version": 0, "changed": 0, "store": True}
        got = self.api.post(f"datasets/{self.dataset.pk}/columns/", body)
        self.assertEqual(got.status_code, 409, json.dumps(got.json()))

    def test_a_further_column_is_computed_and_cases_without_a_value_are_told(self):
        def compute(formula, **more):
            return self.send("compute", [], ["wet"], formula=formula, **more)

        tries = {
            "number(part(inputs.sea, ' ', -1)) * 2 + 1": [1, 3, 5],
            "if(number(part(inputs.sea, ' ', 2)) > 1, 'far', upper(reference))": ["YES", "YES", "far"],
            "concat(replace(inputs.sea, 'sea ', '№'), ' of ', 6)": ["№0 of 6", "№1 of 6", "№2 of 6"],
            "inputs.sea == 'sea 1'": [False, True, False],
        }  # fmt: skip
        for formula, wanted in tries.items():
            got = compute(formula).json()
            self.assertEqual([s["after"]["wet"] for s in got["samples"]], wanted, formula)
            self.assertEqual((got["n_changed"], got["n_without"]), (0, 0))
        some = "10 / (number(part(inputs.sea, ' ', 2)) - 1)"
        got = compute(some).json()
        self.assertEqual(got["n_without"], 1)
        self.assertEqual(got["without"][0]["number"], 2)
        self.assertIn("divides by zero", got["without"][0]["why"])
        for formula, told in (
            ("", "write the expression"), ("output", "there is no 'output'"),
            ("inputs.sea +", "position"), ("nonsense(inputs.sea)", "no function"),
        ):  # fmt: skip
            got = compute(formula)
            self.assertEqual((got.status_code, got.json()["field"]), (422, "formula"))
            self.assertIn(told, got.json()["detail"])
        compute(some, store=True)
        version = newest_version(self.dataset)
        self.assertEqual(version.columns, ["sea", "wet"])
        self.assertEqual(
            [e.revision.inputs["wet"] for e in version.entries.select_related("revision")][:3],
            [-10, None, 10],
        )
