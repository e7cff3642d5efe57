"""Marks with what is said on words, faults gathered from them, amendments asked for, read and applied."""

import json
from unittest import mock

from django.test import TransactionTestCase

from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.trials.models import Output
from tests.server.base import Api, Scripted, make_brief, run, start
from tests.server.consulting import consult


class ReviewingTest(TransactionTestCase):
    def about(self, faults, model=None):
        return {
            "brief": self.brief.pk, "trial": self.trial.pk, "version": 1,
            "faults": faults, "model": model,
        }  # fmt: skip

    def setUp(self):
        self.brief = make_brief(6)
        self.api = Api()
        self.trial = start(self.brief, versions=[1, 2])
        run(self.trial, Scripted(lambda body: "It is 🚢 dry, I think"))
        self.output = Output.objects.filter(arm__version__number=1).first()
        self.url = f"briefs/{self.brief.pk}"

    def mark(self, output=None, status=200, **body):
        said = {"judgement": "bad", **body}
        got = self.api.post(f"outputs/{(output or self.output).pk}/marks/", said)
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def faults(self, number=1):
        return self.api.get(f"trials/{self.trial.pk}/faults/{number}/").json()["faults"]


class MarkTest(ReviewingTest):
    def test_what_is_said_of_words_keeps_the_words(self):
        spans = [{"start": 6, "end": 11, "comment": "wrong"}]
        made = self.mark(spans=spans, faults=["invented", " invented "], better="yes")
        # Offsets are code points: the ship counts as one.
        self.assertEqual(made["spans"][0]["quote"], "🚢 dry")
        self.assertEqual((made["faults"], made["better"]), (["invented"], "yes"))
        kinds = self.api.get(f"{self.url}/reading/").json()["fault_kinds"]
        self.assertEqual(kinds, [{"name": "invented", "n": 1}])
        told = self.api.get(f"outputs/{self.output.pk}/").json()["mark"]
        self.assertEqual(told["spans"][0]["comment"], "wrong")

    def test_a_span_off_the_answer_or_without_a_comment_is_refused(self):
        for span in (
            {"start": 0, "end": 99, "comment": "x"},
            {"start": 3, "end": 3, "comment": "x"},
        ):
            with self.subTest(span=span):
                self.mark(status=422, spans=[span])
        self.mark(status=400, spans=[{"start": 0, "end": 2, "comment": " "}])
        self.assertFalse(Mark.objects.exists())

    def test_a_mark_taken_back_stays_in_history(self):
        self.mark(comment="no")
        back = f"outputs/{self.output.pk}/marks/take-back/"
        self.assertEqual(self.api.post(back).status_code, 200)
        self.assertEqual(Mark.objects.filter(current=True).count(), 0)
        self.assertEqual(Mark.objects.count(), 1)
        self.assertTrue(Line.objects.filter(what="mark.taken_back").exists())
        self.assertEqual(self.api.post(back).status_code, 422)


class ReadersTest(ReviewingTest):
    def test_readers_are_told_apart_by_name_and_their_agreement_is_alpha(self):
        """By hand: 8 answers, one of them marked otherwise; alpha as nominal with two values."""
        other = Api()
        other.client.cookies["nomikon-name"] = "Ann%20Tolley"
        outputs = list(Output.objects.order_by("id"))
        for i, output in enumerate(outputs):
            judgement = "good" if i % 2 else "bad"
            self.mark(output, judgement=judgement, comment=f"c{i}")
            said = "bad" if i == 1 else judgement
            other.post(f"outputs/{output.pk}/marks/", {"judgement": said})
        found = self.api.get(f"trials/{self.trial.pk}/readers/").json()
        self.assertEqual({r["name"] for r in found["readers"]}, {"you", "Ann Tolley"})
        n, goods = 2 * len(outputs), len(outputs) - 1
        expected = 2 * goods * (n - goods) / (n * (n - 1))
        self.assertAlmostEqual(found["alpha"], 1 - (2 / n) / expected)
        self.assertEqual([a["output"] for a in found["apart"]], [outputs[1].pk])
        self.assertEqual({m["reader"] for m in found["apart"][0]["marks"]}, {"you", "Ann Tolley"})

    def test_only_marks_drawn_by_chance_tell_of_agreement(self):
        other = Api()
        other.client.cookies["nomikon-name"] = "Ann"
        for api in (self.api, other):
            body = {"judgement": "bad", "drawn": False}
            api.post(f"outputs/{self.output.pk}/marks/", body)
        found = self.api.get(f"trials/{self.trial.pk}/readers/").json()
        self.assertEqual((found["n_units"], found["alpha"]), (0, None))

    def test_other_orders_lead_to_what_wants_reading_and_say_they_are_not_drawn(self):
        run(start(self.brief), Scripted(lambda b: "yes" if "Say yes" in str(b) else "no"))
        url = f"{self.url}/reading/"
        drawn = self.api.get(url).json()
        self.assertEqual(
            (drawn["drawn"], len(drawn["trials"]), drawn["trial_number"]), (True, 2, 2)
        )
        for order, first in (("low", 0.0), ("arms-apart", None)):
            found = self.api.client.get(f"/api/{url}", {"order": order}).json()
            self.assertFalse(found["drawn"])
            self.assertEqual(len(found["queue"]), len(drawn["queue"]))
            if first is not None:
                top = Output.objects.get(pk=found["queue"][0]["output"])
                self.assertEqual(top.scores.get().total, first)
        apart = self.api.client.get(f"/api/{url}", {"order": "arms-apart"}).json()["queue"]
        cases = [Output.objects.get(pk=r["output"]).revision_id for r in apart]
        self.assertEqual(cases, sorted(cases), "answers to one case stand together")
        arm = Output.objects.last().arm_id
        of_arm = self.api.client.get(f"/api/{url}", {"arm": arm}).json()
        self.assertFalse(of_arm["drawn"])
        self.assertEqual(
            {Output.objects.get(pk=r["output"]).arm_id for r in of_arm["queue"]}, {arm}
        )
        self.assertEqual(self.api.client.get(f"/api/{url}", {"order": "x"}).status_code, 422)


class FaultTest(ReviewingTest):
    def test_marks_and_measures_of_one_version_are_gathered(self):
        others = Output.objects.filter(arm__version__number=1).exclude(pk=self.output.pk)
        self.mark(comment="It says dry although seas are wet")
        self.mark(others.first(), comment="says it is dry, seas are wet", faults=["guesses"])
        self.mark(Output.objects.filter(arm__version__number=2).first(), comment="other version")
        self.mark(others.last(), judgement="good", comment="fine")
        found = self.faults()
        said = [f for f in found if f["source"] == "mark"]
        self.assertEqual([(f["n"], f["source"]) for f in said], [(2, "mark")])
        measured = next(f for f in found if f["source"] == "measure")
        self.assertEqual((measured["label"], measured["cases"]), ("normalised-match", 4))
        self.assertEqual(measured["remarks"][0]["wanted"], "yes")
        self.assertIn("guesses", [f["label"] for f in found])
        self.assertNotIn("fine", json.dumps(found))
        self.assertNotIn("other version", json.dumps(found))

    def test_held_out_cases_teach_nothing(self):
        trial = start(self.brief, versions=[1], split="held-out")
        run(trial, Scripted(lambda body: "no"))
        got = self.api.get(f"trials/{trial.pk}/faults/1/")
        self.assertEqual(got.status_code, 422)
        self.assertIn("held-out", got.json()["detail"])


class AmendTest(ReviewingTest):
    def test_from_faults_to_a_version_with_its_reasons(self):
        self.mark(comment="too long")
        ticked = [f["key"] for f in self.faults()[:2]]
        reply = {
            "amendments": [
                {
                    "kind": "add",
                    "clause": 1,
                    "text": "Say yes or no.",
                    "reason": "short",
                    "fault": 1,
                },
                {"kind": "strike", "clause": 1, "reason": "gone"},
                {"kind": "amend", "clause": 7, "text": "x", "reason": "y"},
            ]
        }
        made, calls = consult(self.api, "amendments", self.about(ticked), json.dumps(reply))
        asked = calls[0]["messages"][1]["content"]
        self.assertIn("§1 (user) Is {{sea}} wet?", asked)
        self.assertIn("Fault 2", asked)
        read = made["reading"]
        self.assertEqual([p["id"] for p in read["amendments"]], ["p1"])
        self.assertEqual([r["place"] for r in read["refused"]], [2, 3])
        row = {k: read["amendments"][0][k] for k in ("id", "kind", "clause", "text", "reason")}
        fault = {"label": "long", "title": "too long", "cases": 1, "outputs": [self.output.pk]}
        edited = {**row, "text": "Say yes or no only.", "fault": fault}
        bad = {**row, "id": "p9", "text": "Ask {{lake}}."}
        done = self.api.post(
            f"{self.url}/apply-amendments/", {"version": 1, "proposals": [edited, bad]}
        ).json()
        self.assertEqual(done["messages"][0]["content"], "Is {{sea}} wet?\nSay yes or no only.")
        self.assertEqual([r["id"] for r in done["refused"]], ["p9"])
        self.assertGreater(done["tokens_after"], done["tokens_before"])
        (reason,) = done["reasons"]
        self.assertEqual((reason["kind"], reason["clause"]), ("add", 1))
        self.assertEqual((reason["text"], reason["reason"]), (edited["text"], row["reason"]))
        self.assertEqual((reason["fault"], reason["cases"]), ("long: too long", 1))
        self.assertEqual(reason["outputs"], [self.output.pk])
        saved = self.api.post(
            f"{self.url}/versions/",
            {
                "messages": done["messages"],
                "settings": {},
                "parent": 1,
                "origin": "amended",
                "note": "n",
                "reasons": [reason],
            },
        )
        self.assertEqual(saved.status_code, 200, saved.content[:300])
        stored = Version.objects.get(number=3).reasons
        self.assertEqual(stored, [{**reason, "before": "Is {{sea}} wet?"}])
        self.assertEqual(saved.json()["reasons"], [reason])

    def test_faults_that_are_not_there_are_refused(self):
        body = {"role": "amendments", "about": self.about(["no such fault"])}
        self.assertEqual(self.api.post("consultations/", body).status_code, 422)

    def test_a_ticked_fault_is_the_one_that_is_sent_whatever_is_said_in_another_tab(self):
        self.mark(comment="much too long for a label")
        ticked = next(f for f in self.faults() if f["title"] == "much too long for a label")
        # In another tab: more said on two cases comes before it in the list, one more joins it.
        others = list(Output.objects.filter(arm=self.output.arm).exclude(pk=self.output.pk)[:3])
        for output in others[:2]:
            self.mark(output, comment="the tone is rude", faults=["rude"])
        self.mark(others[2], comment="too long for a label, again")
        self.assertNotEqual(self.faults()[0]["key"], ticked["key"])
        body = {"role": "amendments", "about": self.about([ticked["key"]])}
        asked = self.api.post("consultations/", body).json()["prepared"]["shown"]
        self.assertIn("too long for a label", asked)
        self.assertNotIn("rude", asked)
        # Taken back by both who said it, it is said to be gone; nothing else is sent in its place.
        self.mark(judgement="good", comment="")
        self.assertEqual(self.api.post("consultations/", body).status_code, 200)
        self.mark(others[2], judgement="good", comment="")
        self.assertEqual(self.api.post("consultations/", body).status_code, 422)


class PairsTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(9)
        self.api = Api()
        self.trial = start(self.brief)
        run(self.trial, Scripted(lambda body: body["messages"][0]["content"] + body["model"]))
        self.arms = list(self.trial.arms.values_list("pk", flat=True))
        self.url = f"trials/{self.trial.pk}"

    def pairs(self, arms):
        return self.api.post(f"{self.url}/pairs/", {"arms": arms}).json()

    def test_pairs_are_blind_the_same_each_time_and_of_one_case(self):
        first = self.pairs(self.arms)
        self.assertEqual(first, self.pairs(self.arms))
        self.assertEqual(len(first["pairs"]), 6)
        self.assertNotIn("arm", json.dumps(first["pairs"][0]))
        for p in first["pairs"]:
            both = Output.objects.in_bulk([p["left"], p["right"]])
            self.assertEqual(len({o.revision_id for o in both.values()}), 1)
            self.assertEqual(len({o.arm_id for o in both.values()}), 2)

    def test_sides_are_drawn_by_chance(self):
        # Forty pairs: all on one side once in 2^39 draws, which follow the arms' ids.
        trial = start(make_brief(60, name="Wide"), versions=[1, 2])
        run(trial, Scripted(lambda body: body["messages"][0]["content"] + body["model"]))
        arms = list(trial.arms.values_list("pk", flat=True))[:2]
        pairs = self.api.post(f"trials/{trial.pk}/pairs/", {"arms": arms}).json()["pairs"]
        sides = {Output.objects.get(pk=p["left"]).arm_id for p in pairs}
        self.assertEqual(sides, set(arms))

    def test_preferences_give_strengths_and_a_change_of_mind_is_kept(self):
        a, b = self.arms[:2]
        for p in self.pairs([a, b])["pairs"]:
            outcome = "left" if Output.objects.get(pk=p["left"]).arm_id == b else "right"
            body = {"left": p["left"], "right": p["right"], "outcome": outcome}
            self.assertEqual(self.api.post(f"{self.url}/prefer/", body).status_code, 200)
        got = self.api.get(f"{self.url}/preferences/").json()
        items = {i["arm"]: i for i in got["result"]["items"]}
        self.assertGreater(items[b]["strength"], items[a]["strength"])
        self.assertEqual((items[b]["wins"], items[b]["losses"]), (6, 0))
        self.assertIn("ridge", got["result"]["why"])
        self.api.post(f"{self.url}/prefer/", {**body, "outcome": "tie", "reason": "much the same"})
        again = self.api.get(f"{self.url}/preferences/").json()["result"]
        self.assertEqual((again["n"], {i["arm"]: i["ties"] for i in again["items"]}[b]), (6, 1))
        self.assertEqual(self.pairs([a, b])["settled"], 6)
        turned = {"left": body["right"], "right": body["left"], "outcome": "left"}
        self.api.post(f"{self.url}/prefer/", turned)
        self.assertEqual(self.api.get(f"{self.url}/preferences/").json()["result"]["n"], 6)

    def test_what_is_no_pair_is_refused(self):
        one, other = Output.objects.order_by("id")[:2]
        far = Output.objects.exclude(revision=one.revision_id).first()
        for body in (
            {"left": one.pk, "right": far.pk, "outcome": "left"},
            {"left": one.pk, "right": 10**6, "outcome": "left"},
            {"left": one.pk, "right": other.pk, "outcome": "both"},
        ):
            with self.subTest(body=body):
                self.assertEqual(self.api.post(f"{self.url}/prefer/", body).status_code, 422)
        self.assertEqual(
            self.api.post(f"{self.url}/pairs/", {"arms": self.arms[:1]}).status_code, 422
        )


class PurposeTest(ReviewingTest):
    """Amendments by rule, shorter ones, ones for a model; the instruction as versions."""

    def ask(self, status=200, role="amendments", model=None, faults=()):
        about = self.about([self.faults()[place]["key"] for place in faults], model=model)
        got = self.api.post("consultations/", {"role": role, "about": about})
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()["prepared"] if status == 200 else got.json()

    def test_by_rule_from_the_scorecard_without_a_model(self):
        about = self.about([self.faults()[0]["key"]])
        found = self.api.post(f"{self.url}/amend-by-rule/", about).json()
        # Six answers want the same one word: it is a label.
        self.assertIn("exactly one of these and nothing else: yes", found["proposals"][0]["text"])
        self.assertEqual(found["proposals"][0]["fault"], 1)

    def test_trimming_takes_no_fault_and_refuses_what_is_longer(self):
        asked = self.ask(role="shorter", faults=[0])
        self.assertIn("shorter", asked["instruction"])
        self.assertNotIn("Fault 1", asked["shown"])
        longer = {"kind": "add", "clause": 1, "text": "More.", "reason": "no"}
        made, _ = consult(self.api, "shorter", self.about([]), json.dumps([longer]), again=False)
        self.assertEqual((made["reading"]["items"], len(made["reading"]["refused"])), (0, 1))
        self.assertIn("makes nothing shorter", made["reading"]["nothing"])
        self.assertEqual(self.ask(422)["field"], "faults")

    def test_adapting_looks_at_one_models_answers_only(self):
        from nomikon.server.apps.connections.models import Model

        small, _ = Model.objects.order_by("id")
        both = self.faults()[0]["n"]
        url = f"trials/{self.trial.pk}/faults/1/"
        one = self.api.get(f"{url}?model={small.pk}").json()["faults"][0]["n"]
        self.assertEqual(one * 2, both)
        asked = self.ask(role="adapt", model=small.pk, faults=[0])
        self.assertIn("- its name is small", asked["shown"])
        self.assertIn("4,096 tokens", asked["shown"])
        self.ask(404, role="adapt", model=999)

    def test_a_remark_is_put_elsewhere_and_stays_there(self):
        outputs = list(Output.objects.filter(arm__version__number=1).order_by("id")[:3])
        for output, comment in zip(
            outputs, ("no vessel", "odd ending", "curious sign-off"), strict=True
        ):
            self.mark(output, comment=comment)
        there = f"trials/{self.trial.pk}/faults/1/"

        def ids(told):
            return {r["text"]: r for f in told["faults"] for r in f["remarks"]}

        before = ids(self.api.get(there).json())
        ending, sign = before["odd ending"]["id"], before["curious sign-off"]["id"]
        told = self.api.post(f"{there}place/", {"remark": sign, "beside": ending}).json()
        group = next(f for f in told["faults"] if any(r["id"] == sign for r in f["remarks"]))
        self.assertEqual((group["n"], group["title"]), (2, "odd ending"))
        self.assertEqual([r["moved"] for r in group["remarks"]], [False, True])
        # What is ticked keeps its key, and the other way round they would chase each other.
        got = self.api.post(f"{there}place/", {"remark": ending, "beside": sign})
        self.assertEqual((got.status_code, got.json()["field"]), (422, "beside"))
        for bad in ({"remark": "x", "beside": None}, {"remark": sign, "beside": "x"}):
            self.assertEqual(self.api.post(f"{there}place/", bad).status_code, 422)
        told = self.api.post(f"{there}place/", {"remark": sign, "beside": None}).json()
        self.assertFalse(any(r["moved"] for r in ids(told).values()))
        self.assertEqual(self.api.get(there).json(), told)

    def test_remarks_are_grouped_by_meaning_where_a_person_chose_that(self):
        outputs = list(Output.objects.filter(arm__version__number=1).order_by("id")[:2])
        for output, comment in zip(outputs, ("where is the boat", "ship unnamed"), strict=True):
            self.mark(output, comment=comment)
        there = f"trials/{self.trial.pk}/faults/1/"
        connection = self.trial.arms.first().model.connection_id
        asked = {"connection": connection, "model": "near", "price": "2"}
        calls = []

        def worker(path, body=None, *, within_s):
            calls.append((path, body))
            if body["model"] == "broken":
                return {
                    "failure": {"code": "unknown_model", "text": "no such model", "attempts": 1}
                }
            return {"vectors": [[1.0, 0.0] for _ in body["texts"]], "tokens_in": 500_000}

        with mock.patch("nomikon.server.apps.reviews.actions.embed_remarks.ask_worker", worker):
            got = self.api.post(f"{there}group/", {**asked, "model": "broken"})
            self.assertEqual((got.status_code, got.json()["field"]), (409, "model"))
            self.assertIsNone(self.api.get(there).json()["embedder"])
            told = self.api.post(f"{there}group/", asked).json()
            said = [f for f in told["faults"] if f["source"] == "mark"]
            self.assertEqual([f["n"] for f in said], [2])
            self.assertEqual((told["embedder"]["model"], told["embedder"]["missing"]), ("near", 0))
            self.assertEqual(Line.objects.get(what="remarks.embedded").cost_nano, 10**9)
            # What has its vector is not sent again.
            self.mark(outputs[1], comment="no name of it")
            self.assertEqual(self.api.get(there).json()["embedder"]["missing"], 1)
            self.api.post(f"{there}group/", asked)
        self.assertEqual(calls[-1][1]["texts"], ["no name of it"])
        told = self.api.post(f"{there}group/", {"connection": None}).json()
        said = [f["n"] for f in told["faults"] if f["source"] == "mark"]
        self.assertEqual((told["embedder"], said), (None, [1, 1]))

    def test_a_kept_wording_is_what_models_are_told_and_the_former_ones_stay(self):
        first = self.api.get("instructions/amendments/").json()
        self.assertEqual([r["number"] for r in first], [0])
        keep = {"text": "You amend prompts, gently.", "note": "gently"}
        rows = self.api.post("instructions/amendments/keep/", keep).json()
        self.assertEqual([r["number"] for r in rows], [1, 0])
        told = self.ask(faults=[0])["instruction"]
        self.assertEqual(told, "You amend prompts, gently.")
        self.assertEqual(self.api.post("instructions/amendments/keep/", keep).status_code, 409)
        for bad in ("", "x" * 20_001, "You {{amend}}."):
            self.assertEqual(
                self.api.post("instructions/amendments/keep/", {"text": bad}).status_code, 422
            )
        self.assertEqual(self.api.get("instructions/nothing/").status_code, 422)
        self.assertEqual(Line.objects.filter(what="instruction.kept").count(), 1)
