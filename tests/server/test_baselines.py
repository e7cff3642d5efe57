"""Answers from elsewhere: a file, a sheet, and what they are as an arm of a trial."""

import json

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TransactionTestCase

from nomikon.core.errors import PlanError
from nomikon.server.apps.baselines.actions.make_baseline import MakeBaseline
from nomikon.server.apps.baselines.guessing import guess_uses
from nomikon.server.apps.baselines.models import BaselineAnswer
from nomikon.server.apps.baselines.reads import AnswersLook, LogDone, LogLook
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.actions.edit_cases import Edit, EditCases
from nomikon.server.apps.trials.models import Arm, Call, Output, Trial
from nomikon.server.typed import check
from tests.server.base import Api, Scripted, better_second, make_brief, plan_of, run, start, who
from tests.server.test_judging import RUBRIC, judging

BY_ID = json.dumps(["#id"])


class Baselines(TransactionTestCase):
    def setUp(self):
        # Cases 1 to 12 hold sea 0 to sea 11; every third is held out.
        self.brief = make_brief(12)
        self.dataset = self.brief.datasets.first()
        self.api = Api()
        self.small = [Model.objects.get(name="small").pk]
        self.made = MakeBaseline(self.dataset, "By hand", "", **who()).execute()

    def send(self, what, text, name="answers.csv", baseline=None, **fields):
        data = text if isinstance(text, bytes) else text.encode()
        got = self.api.upload(
            f"baselines/{(baseline or self.made).pk}/{what}/",
            file=SimpleUploadedFile(name, data),
            **{k: v if isinstance(v, str) else json.dumps(v) for k, v in fields.items()},
        )
        return self.api.lines(got)[-1] if got.status_code == 200 else got.json()

    def look(self, text, **more):
        got = self.send("look", text, **more)
        seen = got.get("done") or self.fail(got)
        check(seen, AnswersLook)
        return seen

    def answer(self, case, text, **more):
        pk = self.dataset.cases.get(number=case).pk
        return self.api.put(f"baselines/{self.made.pk}/answers/{pk}/", {"text": text, **more})

    def fill(self, answers):
        for case, text in answers.items():
            self.assertEqual(self.answer(case, text).status_code, 200)

    def means(self, trial):
        told = self.api.get(f"trials/{trial.pk}/").json()
        return {a["name"]: (a["mean"], a["n_cases"]) for a in told["arms"]}


class FileTest(Baselines):
    def test_every_line_finds_its_case_or_is_told_with_the_reason(self):
        text = (
            "case no;Antwort;Output tokens;cost;latency ms;remark\n"
            '1;yes;"1.234";0,002;812,5;fine\n'
            '2;"no,\n""really"" no";7;0.1;20;\n'
            "99;yes;1;1;1;nobody\n"
            "1;no;1;1;1;again\n"
            ";yes;1;1;1;\n"
            "4; ;1;1;1;\n"
            "5;yes;1.5;1;1;\n"
            "7;yes;1;1,234;1;\n"
            "8;yes;few;1;1;\n"
        )
        seen = self.look(text)
        self.assertEqual({c["name"]: c["use"] for c in seen["columns"]}, {
            "case no": "id", "Antwort": "answer", "Output tokens": "tokens-out", "cost": "cost",
            "latency ms": "milliseconds", "remark": "leave-out"})  # fmt: skip
        self.assertEqual((seen["new"], seen["changed"], seen["same"]), (2, 0, 0))
        self.assertEqual([s["text"] for s in seen["samples"]], ["yes", 'no,\n"really" no'])
        self.assertEqual(seen["unanswered"], 10)
        why = {r["line"]: r["reason"] for r in seen["refused"]}
        self.assertEqual(why[5], "there is no case '99' here")
        self.assertEqual(why[6], "case 1 stands on line 2 already")
        self.assertEqual((why[7], why[8]), ("the id is empty", "the answer is empty"))
        self.assertIn("tokens are whole", why[9])
        self.assertIn("can be read two ways", why[10])
        self.assertIn("which is no amount", why[11])
        self.assertEqual(BaselineAnswer.objects.count(), 0)
        mapping = {c["name"]: {"as": c["use"]} for c in seen["columns"]}
        done = self.send("import", text, mapping=mapping, by=BY_ID)["done"]
        self.assertEqual((done["new"], done["n_refused"]), (2, 7))
        first = self.made.answers.get(case__number=1)
        self.assertEqual(
            (first.text, first.tokens_out, first.cost_nano, first.latency_ms),
            ("yes", 1234, 2_000_000, 812.5),
        )
        # Once more nothing is new; another text takes the place of the one there was.
        again = self.send("import", text, mapping=mapping, by=BY_ID)
        self.assertIn("nothing is to be done", again["refused"]["detail"])
        seen = self.look(text.replace(";yes;", ";no;", 1), mapping=mapping, by=BY_ID)
        self.assertEqual((seen["new"], seen["changed"], seen["same"]), (0, 1, 1))

    def test_inputs_find_a_case_where_there_is_no_id(self):
        lines = [{"sea": f"sea {n}", "completion": "yes"} for n in (0, 3, 77)]
        seen = self.look("\n".join(map(json.dumps, lines)), name="log.jsonl")
        self.assertEqual((seen["by"], seen["new"]), (["sea"], 2))
        self.assertEqual(seen["refused"][0]["reason"], "no case has 'sea 77'")

    def test_what_cannot_be_guessed_is_asked_and_the_columns_are_shown(self):
        seen = self.look("sea,what was said,who\nsea 1,yes,me\n")
        self.assertIn("choose the one column that holds the answers", seen["amiss"])
        self.assertEqual([c["name"] for c in seen["columns"]], ["sea", "what was said", "who"])
        got = self.send("import", "sea,what was said\nsea 1,yes\n")
        self.assertIn("choose the one column", got["refused"]["detail"])

    def test_no_file_is_too_long_for_an_answer_by_accident(self):
        seen = self.look("id,answer\n1," + "a" * 2_000_001 + "\n")
        self.assertIn("2,000,001 characters", seen["refused"][0]["reason"])

    def test_two_who_write_see_each_other(self):
        self.answer(1, "yes", seen="")
        got = self.answer(1, "no", seen="")
        self.assertEqual((got.status_code, got.json()["facts"]["now"]), (409, {"text": "yes"}))
        self.assertEqual(self.answer(1, "", seen="yes").json()["text"], None)
        self.assertEqual(self.answer(1, "x" * 2_000_001).status_code, 400)

    def test_names_stand_once_whatever_they_hold(self):
        path = f"briefs/{self.brief.pk}/baselines/"
        for name, status in ((" by  HAND ", 422), ("", 422), ("x" * 121, 422), ("../今日 🚢", 200)):
            got = self.api.post(path, {"dataset": self.dataset.pk, "name": name})
            self.assertEqual(got.status_code, status, name)
        self.assertEqual(self.api.get(path).json()[-1]["name"], "../今日 🚢")


class ArmTest(Baselines):
    def test_it_is_scored_and_compared_like_any_other_and_never_asked(self):
        # Working cases hold sea 0, 1, 3, 4, 6, 7, 9 and 10; what is wanted is always yes.
        self.fill({1: "yes", 2: "yes", 4: "yes", 5: "no", 7: "yes", 8: "no", 10: "yes"})
        plan = plan_of(self.brief, versions=[1], models=self.small, baselines=[self.made.pk])
        self.assertEqual(plan.reference, 1)
        self.assertEqual(plan.n_outputs, 15)
        self.assertEqual([p.text for p in plan.estimate.problems if p.field == "baselines"],
                         ["answers 7 of 8 cases, and is compared on these alone"])  # fmt: skip
        caller = Scripted(better_second)
        trial = start(
            self.brief, versions=[1], models=self.small, repeats=2, baselines=[self.made.pk]
        )
        self.assertEqual(run(trial, caller), "complete")
        self.assertEqual(caller.calls, 16)
        arm = trial.arms.get(position=1)
        self.assertFalse(Call.objects.filter(output__arm=arm).exists())
        means = self.means(trial)
        self.assertEqual(means["By hand"], (5 / 7, 7))
        self.assertEqual(means["v1 on small"], (0.5, 8))
        told = self.api.get(f"trials/{trial.pk}/compare/{trial.arms.get(position=0).pk}/{arm.pk}/")
        told = told.json()
        self.assertEqual(told["figures"]["n_cases"], 7)
        self.assertIn("By hand", told["words"])
        self.assertTrue(told["b"]["brought_in"])
        self.assertIsNone(told["b"]["version"])
        # What is changed in the sheet later changes no trial.
        self.answer(5, "yes")
        self.assertEqual(self.means(Trial.objects.get(pk=trial.pk))["By hand"], (5 / 7, 7))
        rows = self.api.client.get(f"/api/trials/{trial.pk}/scores.csv").content.decode()
        self.assertIn("By hand", rows)
        for path in ("", "selection/", "arms/", "cells/", "merits/"):
            self.assertEqual(self.api.get(f"trials/{trial.pk}/{path}").status_code, 200, path)
        spread = f"trials/{trial.pk}/spread/{trial.arms.first().pk}/{arm.pk}/"
        self.assertEqual(self.api.get(spread).status_code, 200)

    def test_an_answer_to_other_inputs_is_none_to_these(self):
        self.fill({1: "yes", 2: "yes"})
        first = self.dataset.cases.get(number=1).revisions.first()
        trial = start(self.brief, versions=[1], models=self.small, baselines=[self.made.pk])
        edit = Edit(first.pk, values={"sea": "another sea"})
        EditCases(self.dataset, [edit], **who()).execute()
        plan = plan_of(self.brief, versions=[1], models=self.small, baselines=[self.made.pk])
        self.assertEqual(plan.n_outputs, 9)
        texts = [p.text for p in plan.estimate.problems if p.field == "baselines"]
        self.assertIn("1 of its answers is left out: the case was changed since", texts)
        run(trial)
        self.assertEqual(Output.objects.filter(arm__trial=trial).count(), 10)
        sheet = self.api.get(f"baselines/{self.made.pk}/sheet/?which=answered").json()
        self.assertEqual([r["changed"] for r in sheet["rows"]], [True, False])

    def test_a_trial_of_nothing_but_what_was_brought_in(self):
        self.fill({1: "yes", 2: "no"})
        trial = start(self.brief, versions=[], models=[], baselines=[self.made.pk])
        self.assertEqual(run(trial, Scripted()), "complete")
        self.assertEqual(self.means(trial), {"By hand": (0.5, 2)})

    def test_judges_judge_it_too_at_a_price_told_before(self):
        card = {"nomikon": "scorecard/1", "measures": [RUBRIC]}
        SaveScorecard(self.brief, card, **who()).execute()
        self.fill({1: "yes", 2: "no"})
        alone = plan_of(self.brief, versions=[1], models=self.small)
        plan = plan_of(self.brief, versions=[1], models=self.small, baselines=[self.made.pk])
        self.assertEqual(plan.beside.calls, 2 * alone.beside.calls)
        trial = start(self.brief, versions=[1], models=self.small, baselines=[self.made.pk])
        self.assertEqual(run(trial, judging(3)), "complete")
        self.assertEqual(self.means(trial)["By hand"], (1.0, 2))
        brought = Call.objects.filter(output__arm__baseline=self.made)
        self.assertEqual(set(brought.values_list("part", flat=True)), {"judgement"})

    def test_a_finished_trial_takes_it_beside_what_it_has(self):
        trial = start(self.brief, versions=[1], models=self.small, cases={"which": "first", "n": 3})
        run(trial)
        self.fill({1: "yes", 4: "yes", 11: "yes"})
        more = {"baselines": [self.made.pk]}
        seen = self.api.post(f"trials/{trial.pk}/extension/", more).json()
        self.assertEqual((seen["added"], seen["arms"], seen["cost"]), (2, ["By hand"], 0))
        self.assertEqual(self.api.post(f"trials/{trial.pk}/extend/", more).status_code, 200)
        self.assertEqual(run(Trial.objects.get(pk=trial.pk), Scripted()), "complete")
        self.assertEqual(self.means(trial)["By hand"], (1.0, 2))
        # The rest of the cases brings the rest of the answers.
        self.api.post(f"trials/{trial.pk}/extend/", {"rest": True})
        self.assertEqual(run(Trial.objects.get(pk=trial.pk)), "complete")
        self.assertEqual(self.means(trial)["By hand"], (1.0, 3))
        self.assertEqual(Trial.objects.get(pk=trial.pk).n_outputs, 11)

    def test_what_needs_a_model_is_refused(self):
        self.fill({1: "yes", 2: "no"})
        trial = start(self.brief, versions=[1], models=self.small, baselines=[self.made.pk])
        run(trial)
        arm = Arm.objects.get(trial=trial, baseline=self.made)
        got = self.api.post(f"briefs/{self.brief.pk}/adopt/", {"arm": arm.pk, "reason": "best"})
        self.assertEqual(got.status_code, 422)
        self.assertIn("no version of it here to adopt", got.json()["detail"])
        got = self.api.post(f"trials/{trial.pk}/afresh/", {"arm": arm.pk})
        self.assertIn("nobody to ask", got.json()["detail"])
        self.assertEqual(self.api.post(f"trials/{trial.pk}/afresh/", {}).status_code, 200)
        run(Trial.objects.get(pk=trial.pk))
        self.assertEqual(Output.every.filter(arm=arm).count(), 2)
        with self.assertRaisesMessage(PlanError, "answers none of these cases"):
            empty = MakeBaseline(self.dataset, "Nobody", "", **who()).execute()
            start(self.brief, versions=[1], models=self.small, baselines=[empty.pk])
        with self.assertRaisesMessage(PlanError, "cannot race"):
            start(self.brief, models=self.small, racing=True, baselines=[self.made.pk])
        race = start(self.brief, models=self.small, racing=True)
        run(race)
        got = self.api.post(f"trials/{race.pk}/extension/", {"baselines": [self.made.pk]})
        self.assertIn("is a race", got.json()["detail"])

    def test_no_two_arms_read_alike_and_nothing_is_simulated_where_nobody_was_asked(self):
        named = MakeBaseline(self.dataset, "v1 on small", "", **who()).execute()
        case = self.dataset.cases.get(number=1)
        BaselineAnswer.objects.create(
            baseline=named, case=case, revision=case.revisions.get(), text="yes", written_by="me",
            written_at=who()["now"],
        )  # fmt: skip
        trial = start(self.brief, versions=[1], models=self.small, baselines=[named.pk])
        names = [a["name"] for a in self.api.get(f"trials/{trial.pk}/").json()["arms"]]
        self.assertEqual(names, ["v1 on small", "v1 on small, brought in"])
        start(self.brief, versions=[], models=[], baselines=[named.pk])
        listed = self.api.get(f"briefs/{self.brief.pk}/trials/").json()
        self.assertFalse(listed[0]["simulated"])

    def test_the_held_out_check_holds_it_against_the_held_out_answers(self):
        self.fill({1: "yes", 2: "no", 4: "yes", 3: "yes", 6: "yes"})
        trial = start(self.brief, versions=[2], models=self.small, baselines=[self.made.pk])
        run(trial)
        a, b = trial.arms.order_by("position")
        got = self.api.post(f"trials/{trial.pk}/check/{a.pk}/{b.pk}/start/")
        self.assertEqual(got.status_code, 200)
        run(Trial.objects.latest("pk"))
        told = self.api.get(f"trials/{trial.pk}/check/{a.pk}/{b.pk}/").json()
        self.assertEqual(told["check"]["difference"]["n_cases"], 2)
        # The plan can be made again as it was.
        again = self.api.get(f"trials/{trial.pk}/choices/").json()
        self.assertEqual((again["versions"], again["baselines"]), ([2], [self.made.pk]))


class GuessTest(Baselines):
    def test_headings_as_they_come(self):
        answer, left = "answer", "leave-out"
        for columns, told in (
            ("ticket|bot_reply|agent", {"bot_reply": answer}),
            ("id|finalAnswer|confidence", {"id": "id", "finalAnswer": answer}),
            ("Case ID|Expected answer|Human answer", {"Human answer": answer, "Expected answer": left}),
            ("sea|text", {"sea": "input", "text": answer}),
            ("sea|Prompt Tokens|LLM Output|Cost (USD)",
             {"Prompt Tokens": "tokens-in", "LLM Output": answer, "Cost (USD)": "cost"}),
            ("sea|Antwort des Dienstes|Dauer in Sekunden",
             {"Antwort des Dienstes": answer, "Dauer in Sekunden": "seconds"}),
            ("sea|réponse du service|réponse attendue", {"réponse du service": answer}),
            ("sea|answer A|answer B", {"answer A": left, "answer B": left}),
            ("sea|predicted_label", {"predicted_label": answer}),
            ("sea|response time (s)|response", {"response time (s)": "seconds", "response": answer}),
        ):  # fmt: skip
            found = guess_uses(columns.split("|"), ["sea"])
            self.assertEqual({c: found[c] for c in told}, told, columns)


class LogTest(Baselines):
    LOG = "\n".join(
        json.dumps(row)
        for row in (
            {"id": "a", "messages": [
                {"role": "system", "content": "Be brief."},
                {"role": "user", "content": "Is the North Sea wet?"},
                {"role": "assistant", "content": "yes"},
                {"role": "user", "content": "And the Dead Sea?"},
                {"role": "assistant", "content": "yes, very"}], "latency_ms": 70},
            {"id": "b", "messages": [{"role": "user", "content": "Is dust wet?"}]},
            {"id": "c", "messages": [{"role": "assistant", "content": "nobody asked"}]},
            {"id": "d", "messages": []},
        )
    )  # fmt: skip

    def log(self, what, **fields):
        got = self.api.upload(
            f"datasets/{self.dataset.pk}/log/{what}/",
            file=SimpleUploadedFile("chats.jsonl", self.LOG.encode()), **fields,
        )  # fmt: skip
        return self.api.lines(got)[-1]

    def test_last_turns_come_in_as_cases_and_the_answers_as_an_arm(self):
        seen = self.log("look")["done"]
        check(seen, LogLook)
        self.assertEqual(seen["message"], "sea")
        self.assertEqual((seen["n_talks"], seen["n_cases"], seen["n_answers"]), (4, 2, 1))
        self.assertEqual([r["line"] for r in seen["refused"]], [3, 4])
        first = seen["samples"][0]
        self.assertEqual((first["message"], first["answer"]), ("And the Dead Sea?", "yes, very"))
        self.assertIn("User: Is the North Sea wet?", first["history"])
        self.assertEqual(self.dataset.cases.count(), 12)
        self.assertEqual(self.log("look", way="each")["done"]["n_cases"], 3)
        self.assertIn("allowed are", self.log("look", way="some")["refused"]["detail"])

        done = self.log("import", baseline="As it is today")["done"]
        check(done, LogDone)
        self.assertEqual((done["added"], done["n_answers"], done["n_refused"]), (2, 1, 2))
        case = self.dataset.cases.get(number=13).revisions.get()
        self.assertEqual(case.inputs["sea"], "And the Dead Sea?")
        self.assertEqual(case.source, "a")
        said = [{"role": "user", "content": "Is the North Sea wet?"},
                {"role": "assistant", "content": "yes"}]  # fmt: skip
        self.assertEqual(case.inputs["history"], said)
        # In the place of the message that names it stand the messages themselves, as sent.
        prompt = [
            {"role": "user", "content": "{{history}}"},
            {"role": "user", "content": "{{sea}}"},
        ]
        body = {"messages": prompt, "inputs": case.inputs}
        sent = self.api.post("render/", body).json()["messages"]
        self.assertEqual([(m["role"], m["content"]) for m in sent],
                         [*((m["role"], m["content"]) for m in said), ("user", "And the Dead Sea?")])  # fmt: skip
        brought = BaselineAnswer.objects.get(baseline=done["baseline"])
        self.assertEqual(
            (brought.case.number, brought.text, brought.latency_ms), (13, "yes, very", 70)
        )
        trial = start(self.brief, versions=[1], models=self.small, baselines=[done["baseline"]])
        self.assertEqual(run(trial, Scripted()), "complete")
        # The same name again is refused before a case comes in.
        self.assertIn("already", self.log("import", baseline="as it is TODAY")["refused"]["detail"])
        self.assertEqual(self.dataset.cases.count(), 14)

    def test_what_came_before_as_one_text(self):
        self.log("import", past="text", baseline="Text")
        inputs = self.dataset.cases.get(number=13).revisions.get().inputs
        self.assertEqual(inputs["history"], "User: Is the North Sea wet?\nAssistant: yes")
        self.assertIn("allowed are", self.log("look", past="both")["refused"]["detail"])

    def test_a_talk_as_a_whole_is_a_conversation(self):
        done = self.log("import", way="whole")["done"]
        self.assertEqual((done["added"], done["baseline"]), (2, None))
        case = self.dataset.cases.get(number=13).revisions.get()
        self.assertEqual(case.conversation, ["Is the North Sea wet?", "And the Dead Sea?"])
