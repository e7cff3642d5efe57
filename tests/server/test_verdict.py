"""Beside a verdict: the credible set, effects, slices, the held-out check, and files to take along."""

import csv
import io
import json
import re
from unittest import mock

from django.test import TransactionTestCase

from nomikon.core.cases.spreadsheets import read_xlsx
from nomikon.models import CallFailure
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.trials.models import Arm, Output, Trial
from tests.server.base import CARD, Api, Scripted, better_second, make_brief, run, start, who


class VerdictTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(60)
        self.api = Api()
        self.trial = start(self.brief, versions=[1, 2], repeats=2)
        run(self.trial, Scripted(better_second))
        self.arms = {
            (a.version.number, a.model.name): a
            for a in Arm.objects.filter(trial=self.trial).select_related("version", "model")
        }
        self.b, self.a = self.arms[1, "small"], self.arms[2, "small"]

    def url(self, what):
        return f"trials/{self.trial.pk}/{what}/{self.a.pk}/{self.b.pk}/"

    def text(self, path):
        got = self.api.get(path)
        self.assertEqual(got.status_code, 200)
        body = got.streaming_content if got.streaming else [got.content]
        return b"".join(body).decode()

    def test_words_and_the_arms_that_nobody_beats(self):
        told = self.api.get(self.url("compare")).json()
        self.assertTrue(told["words"].startswith("Yes: v2 on small scores 0.500 higher"))
        together = self.api.get(f"trials/{self.trial.pk}/together/{self.b.pk}/").json()
        self.assertEqual(set(together["credible"]), {self.a.pk, self.arms[2, "large"].pk})
        self.assertEqual((told["no_worse"], told["margin"]), (True, 0.05))

    def test_what_a_score_of_form_alone_cannot_see(self):
        by_reference = self.api.get(f"arms/{self.a.pk}/adoption/").json()["unseen"]
        self.assertEqual(by_reference, [])
        limited = [{"role": "user", "content": "Is {{sea}} wet? Answer in at most 3 words."}]
        SaveVersion(
            self.brief, limited, {}, self.brief.versions.get(number=2), "", **who()
        ).execute()
        card = {"nomikon": "scorecard/1", "measures": [{"measure": "valid-json"}]}
        SaveScorecard(self.brief, card, **who()).execute()
        trial = start(self.brief, versions=[3])
        arm = trial.arms.first()
        self.assertEqual(
            self.api.get(f"arms/{arm.pk}/adoption/").json()["unseen"],
            ["whether what an answer says is true", "the tone", "at most 3 words (§ 2)"],
        )

    def test_what_the_spread_is_due_to(self):
        told = self.api.get(self.url("spread")).json()
        shares = {s["source"]: s["share"] for s in told["shares"]}
        self.assertAlmostEqual(sum(shares.values()), 1)
        self.assertEqual(max(shares, key=shares.get), "version")
        effect = {(e["factor"], e["level"]): e["effect"] for e in told["effects"]}
        self.assertAlmostEqual(effect["version", "v2"], 0.25)
        self.assertEqual(told["repeat_sd"], 0)
        names = [s["name"] for s in told["slices"]]
        self.assertIn("the longest third of inputs", names)

    def test_intervals_for_all_arms_together_are_wider_than_each_by_itself(self):
        def uneven(body):
            number = int(body["messages"][0]["content"].split()[2])
            second = "Say yes" in body["messages"][0]["content"]
            if body["model"] == "large":
                right = (number * 17) % 7 < 5 if second else (number * 13) % 5 < 3
            else:
                right = (number * 11) % 4 > 0 if second else number % 4 < 2
            return "yes" if right else "no"

        trial = start(self.brief, versions=[1, 2], fresh=True)
        run(trial, Scripted(uneven))
        arms = list(trial.arms.order_by("position"))
        told = self.api.get(f"trials/{trial.pk}/compare/{arms[2].pk}/{arms[0].pk}/").json()
        self.assertEqual(len(told["family"]), 3)
        found = self.api.get(f"trials/{trial.pk}/together/{arms[0].pk}/").json()["widths"]
        widths = {w["arm"]: 2 * w["half"] for w in found}
        for member in told["family"]:
            self.assertGreater(widths[member["a"]], member["high"] - member["low"])

    def test_a_case_that_an_arm_shows_as_a_worked_example_counts_for_no_arm(self):
        shown = [
            {"role": "user", "content": "Is sea 0 wet?"},
            {"role": "assistant", "content": "yes"},
            {"role": "user", "content": "Is {{sea}} wet?"},
        ]
        SaveVersion(self.brief, shown, {}, None, "with an example", **who()).execute()
        trial = start(self.brief, versions=[1, 3])
        run(trial, Scripted(lambda body: "yes"))
        summary = self.api.get(f"trials/{trial.pk}/").json()
        self.assertEqual(summary["examples"], 1)
        self.assertEqual({a["n_cases"] for a in summary["arms"]}, {39})
        self.assertEqual({a["n"] for a in summary["arms"]}, {40})
        arms = list(trial.arms.order_by("position"))
        told = self.api.get(f"trials/{trial.pk}/compare/{arms[2].pk}/{arms[0].pk}/").json()
        self.assertEqual(told["figures"]["n_cases"], 39)
        # Nor does it in a table of labels.
        self.assertEqual(Output.objects.filter(arm=arms[0]).count(), 40)
        with mock.patch("nomikon.core.results.labels._few", return_value=True):
            labels = self.api.get(f"trials/{trial.pk}/labels/{arms[0].pk}/").json()
        self.assertEqual(sum(map(sum, labels["matrix"])), 39)
        # All references are alike here: there is nothing to count by, and that is what is said.
        refused = self.api.get(f"trials/{trial.pk}/labels/{arms[0].pk}/")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("hold no labels", refused.json()["detail"])

    def test_what_a_good_answer_costs_and_how_long_it_takes(self):
        told = self.api.get(f"trials/{self.trial.pk}/merits/").json()
        self.assertEqual(told["good_from"], 1)
        by_arm = {m["arm"]: m for m in told["arms"]}
        good, poor = by_arm[self.a.pk], by_arm[self.b.pk]
        # Ten tokens in at 1 and two out at 2 a million: 14 millionths an answer, in billionths.
        self.assertEqual((good["n"], good["n_good"]), (80, 80))
        self.assertAlmostEqual(good["cost_per_good"]["value"], 14_000)
        self.assertAlmostEqual(poor["cost_per_good"]["value"], 28_000)
        self.assertLess(poor["cost_per_good"]["low"], 28_000)
        self.assertGreater(poor["cost_per_good"]["high"], 28_000)
        self.assertEqual(good["median_ms"]["value"], 20)
        # What the scorecard asks of the total is what good means.
        card = {**CARD, "thresholds": [{"measure": "total", "at_least": 0.5}]}
        SaveScorecard(self.brief, card, **who()).execute()
        again = start(self.brief, versions=[1])
        run(again, Scripted(better_second))
        told = self.api.get(f"trials/{again.pk}/merits/").json()
        self.assertEqual((told["good_from"], told["arms"][0]["n_good"]), (0.5, 20))

    def test_gates_stand_beside_the_score_with_what_it_were_without_them(self):
        card = {
            "nomikon": "scorecard/1",
            "measures": [
                {"measure": "normalised-match", "weight": 0, "gate": True},
                {"measure": "length", "unit": "words", "max": 3},
            ],
        }
        SaveScorecard(self.brief, card, **who()).execute()
        trial = start(self.brief, versions=[1, 2])
        run(trial, Scripted(better_second))
        told = self.api.get(f"trials/{trial.pk}/merits/").json()["arms"]
        first = told[0]
        self.assertEqual(first["gates"], [{"measure": "normalised-match", "rate": 0.5}])
        self.assertEqual(first["ungated"], 1)
        # The two models of version 2 come first together.
        self.assertEqual([m["came_first"] for m in told], [0, 0, 0.5, 0.5])
        plain = self.api.get(f"trials/{self.trial.pk}/merits/").json()["arms"][0]
        self.assertEqual((plain["gates"], plain["ungated"]), ([], None))

    def test_missing_scores_are_told_both_ways(self):
        def broken(body):
            text = body["messages"][0]["content"]
            if "Say yes" in text and text.split()[2] == "3":
                raise CallFailure("bad_key", "no")
            return better_second(body)

        trial = start(self.brief, versions=[1, 2], fresh=True)
        run(trial, Scripted(broken))
        arms = list(trial.arms.order_by("position"))
        told = self.api.get(f"trials/{trial.pk}/compare/{arms[2].pk}/{arms[0].pk}/").json()
        self.assertEqual(told["figures"]["n_cases"], 39)
        self.assertEqual(told["as_zero"]["n_cases"], 40)
        self.assertLess(told["as_zero"]["difference"], told["figures"]["difference"])
        whole = self.api.get(self.url("compare")).json()
        self.assertIsNone(whole["as_zero"])

    def test_an_arm_without_answers_has_no_merits_and_says_why(self):
        one = [Model.objects.order_by("id")[0].pk]
        trial = start(self.brief, versions=[1], models=one, fresh=True)

        def down(body):
            raise CallFailure("bad_key", "no")

        run(trial, Scripted(down))
        (arm,) = self.api.get(f"trials/{trial.pk}/merits/").json()["arms"]
        self.assertEqual((arm["n_good"], arm["cost_per_good"]["value"]), (0, None))
        self.assertEqual(arm["median_ms"]["why_null"], "nothing was measured")

    def test_the_held_out_check_is_an_act_of_its_own_and_counted(self):
        before = self.api.get(self.url("check")).json()
        self.assertEqual((before["looks"], before["n_cases"], before["check"]), (0, 20, None))
        begun = self.api.post(self.url("check") + "start/").json()
        self.assertEqual((begun["looks"], begun["check"]["state"]), (1, "queued"))
        check = Trial.objects.get(pk=begun["check"]["trial"])
        self.assertEqual((check.split, check.arms.count(), check.repeats), ("held-out", 2, 2))
        run(check, Scripted(better_second))
        done = self.api.get(self.url("check")).json()["check"]
        self.assertGreater(done["difference"]["low"], 0)
        self.assertEqual((done["gap"]["n_working"], done["gap"]["n_held_out"]), (40, 20))
        self.assertEqual(done["gap"]["reading"], "cannot tell")
        self.assertEqual(
            Line.objects.filter(what="trial.started", facts__split="held-out").count(), 1
        )
        # Read by different scorecards the two gains are no gap.
        SaveScorecard(self.brief, {**CARD, "margin": 0.02}, **who()).execute()
        self.api.post(f"trials/{self.trial.pk}/rescore/", {"scorecard": 2})
        parted = self.api.get(self.url("check")).json()["check"]["gap"]
        self.assertEqual((parted["gap"], parted["reading"]), (None, "cannot tell"))
        self.assertIn("read by scorecard 2", parted["why_null"])
        # A check is not checked again on the same cases.
        a, b = check.arms.order_by("-position")
        again = self.api.post(f"trials/{check.pk}/check/{a.pk}/{b.pk}/start/")
        self.assertEqual(again.status_code, 422)

    def test_without_held_out_cases_it_says_what_to_do(self):
        brief = make_brief(2, name="Few")
        model = Model.objects.filter(connection__name="Here Few").first()
        trial = start(brief, versions=[1, 2], models=[model.pk])
        run(trial, Scripted(better_second))
        a, b = trial.arms.order_by("-position")
        got = self.api.post(f"trials/{trial.pk}/check/{a.pk}/{b.pk}/start/")
        self.assertEqual(got.status_code, 422)
        self.assertIn("hold some out", got.json()["detail"])

    def test_scores_and_outputs_are_what_our_own_commands_read(self):
        rows = list(csv.DictReader(io.StringIO(self.text(f"trials/{self.trial.pk}/scores.csv"))))
        self.assertEqual(len(rows), 320)
        self.assertEqual({r["version"] for r in rows}, {"v1", "v2"})
        self.assertTrue({"arm", "case", "repeat", "score", "normalised-match"} <= set(rows[0]))
        lines = self.text(f"trials/{self.trial.pk}/outputs.jsonl").splitlines()
        first = json.loads(lines[0])
        self.assertEqual((len(lines), first["reference"]), (320, "yes"))
        # As a sheet it says what was asked, answered and wanted, and why it scores so.
        sheet = read_xlsx(self.api.get(f"trials/{self.trial.pk}/scores.xlsx").content)
        output = Output.objects.filter(arm__trial=self.trial).order_by("arm__position").first()
        named = sheet.rows[0]
        self.assertEqual(named["answer"], output.text)
        self.assertEqual(named["wanted"], output.revision.reference)
        self.assertLessEqual({"why normalised-match", "input sea"}, set(sheet.columns))
        self.assertEqual(len(sheet.rows), len(rows))

    def test_calls_are_spans_that_are_the_same_each_time(self):
        text = self.text(f"trials/{self.trial.pk}/calls.otlp.json")
        spans = json.loads(text)["resourceSpans"][0]["scopeSpans"][0]["spans"]
        self.assertEqual(len(spans), 320)
        span = spans[0]
        self.assertRegex(span["traceId"], r"^[0-9a-f]{32}$")
        self.assertRegex(span["spanId"], r"^[0-9a-f]{16}$")
        self.assertEqual(len({s["spanId"] for s in spans}), 320)
        self.assertLess(int(span["startTimeUnixNano"]), int(span["endTimeUnixNano"]))
        named = {a["key"]: a["value"] for a in span["attributes"]}
        self.assertEqual(named["gen_ai.usage.input_tokens"], {"intValue": "10"})
        self.assertEqual(text, self.text(f"trials/{self.trial.pk}/calls.otlp.json"))

    def test_the_report_holds_everything_and_asks_for_nothing(self):
        self.brief.name = "Tides & <waves>"
        self.brief.save()
        text = self.text(self.url("report"))
        self.assertIn("Tides &amp; &lt;waves&gt;", text)
        self.assertIn("Yes: v2 on small scores 0.500 higher", text)
        self.assertIn("<td>1: normalised-match 1</td>", text)
        self.assertIn("<th>1,000 answers, EUR</th>", text)
        self.assertIn("These two arms were not checked on held-out cases", text)
        self.assertIn("<pre>Is {{sea}} wet?</pre>", text)
        self.assertIn("<pre>Say yes or no.</pre>", text)
        # Nothing in it is fetched, run or sent anywhere.
        self.assertIsNone(re.search(r"https?://|<script|src=|@import|url\(", text))


class ComparedWithWhomTest(TransactionTestCase):
    """What the plan names, what is chosen after looking, and what was asked before."""

    def setUp(self):
        self.brief = make_brief(60)
        self.api = Api()
        self.small, self.large = (m.pk for m in Model.objects.order_by("id")[:2])

    def trial(self, **more):
        trial = start(self.brief, versions=[1, 2], **more)
        run(trial, Scripted(better_second))
        trial.refresh_from_db()
        return trial

    def compare(self, trial, a, b):
        return self.api.get(f"trials/{trial.pk}/compare/{a.pk}/{b.pk}/").json()

    def test_the_plan_names_the_reference_and_another_one_widens_the_family(self):
        trial = self.trial(reference={"version": 1, "model": self.large})
        self.assertEqual(trial.reference.model_id, self.large)
        arms = {(a.version.number, a.model_id): a for a in trial.arms.all()}
        planned = self.compare(trial, arms[2, self.large], arms[1, self.large])
        self.assertEqual((planned["n_family"], planned["widened"]), (3, ""))
        other = self.compare(trial, arms[2, self.large], arms[1, self.small])
        self.assertEqual(other["n_family"], 6)
        self.assertIn("corrected over all 6 pairs of its 4 arms", other["widened"])

    def test_without_a_choice_it_is_the_parent_and_only_a_planned_arm_can_be_one(self):
        self.assertEqual(self.trial(models=[self.small]).reference.version.number, 1)
        dataset = self.brief.datasets.first().versions.latest("number").pk
        body = {"versions": [1, 2], "models": [self.small], "dataset_version": dataset}
        url = f"briefs/{self.brief.pk}/plan/"
        self.assertEqual(self.api.post(url, body).json()["reference"], 0)
        away = {"version": 2, "model": self.large}
        refused = self.api.post(url, {**body, "reference": away})
        self.assertEqual((refused.status_code, refused.json()["field"]), (422, "reference"))

    def test_the_same_arms_on_the_same_cases_again_are_a_further_look(self):
        first = self.trial(models=[self.small])
        again = self.trial(models=[self.small], fresh=True)
        new = {a.version.number: a for a in again.arms.all()}
        told = self.compare(again, new[2], new[1])
        self.assertEqual(told["level"], 0.005)
        self.assertEqual(told["earlier"]["trial_number"], first.number)
        self.assertTrue(told["earlier"]["words"].startswith("Yes: v2 on small scores 0.500 higher"))
        self.assertIn("held to 0.005 as these arms were looked at before", told["words"])
        other = self.trial(models=[self.large])
        lone = {a.version.number: a for a in other.arms.all()}
        self.assertIsNone(self.compare(other, lone[2], lone[1])["earlier"])

    def test_cases_of_one_source_count_as_what_they_are(self):
        entries = self.brief.datasets.first().versions.latest("number").entries
        edits = [
            {"revision": e.revision_id, "source": f"talk {i // 12}"}
            for i, e in enumerate(entries.order_by("position"))
        ]
        self.api.post(f"datasets/{self.brief.datasets.first().pk}/edit/", {"edits": edits})
        trial = self.trial(models=[self.small])
        arms = {a.version.number: a for a in trial.arms.all()}
        told = self.compare(trial, arms[2], arms[1])
        self.assertEqual(told["figures"]["n_sources"], 5)
        self.assertIn("With fewer than 6 sources no test can reach 0.05", told["words"])
        self.assertTrue(told["words"].startswith("Cannot tell"))
        row = self.api.get(f"trials/{trial.pk}/").json()["arms"][0]
        self.assertEqual(row["n_sources"], 5)
        exported = self.text_of(f"datasets/{self.brief.datasets.first().pk}/export.csv")
        self.assertIn("source", exported.splitlines()[0])

    def text_of(self, path):
        got = self.api.get(path)
        self.assertEqual(got.status_code, 200, path)
        return b"".join(got.streaming_content if got.streaming else [got.content]).decode()
