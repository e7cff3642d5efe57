"""Precedents and former answers on the database: held against, inherited, set beside, never read twice."""

import json
from unittest import mock

from django.test import TransactionTestCase

from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.ledger.models import Line
from nomikon.server.apps.reviews.models import Mark, Precedent, Ruling
from nomikon.server.apps.trials.models import Arm, Output
from nomikon.server.apps.verdicts.models import Verdict
from tests.server.base import Api, Scripted, make_brief, run, start, who
from tests.server.consulting import Replies


def kindly(body):
    """The first version says what it thinks; the second is brief, and right about even seas only."""
    text = body["messages"][0]["content"]
    if "Say yes" not in text:
        return "It is dry, I think"
    return "yes" if int(text.split()[2]) % 2 == 0 else "It is dry, I think"


class ReviewedTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(12)
        self.api = Api()
        self.model = Model.objects.order_by("id").first()
        self.first = start(self.brief, versions=[1], models=[self.model.pk])
        run(self.first, Scripted(kindly))
        self.outputs = list(
            Output.objects.filter(arm__trial=self.first).order_by("revision__case__number")
        )

    def mark(self, output, **body):
        got = self.api.post(f"outputs/{output.pk}/marks/", {"judgement": "bad", **body})
        self.assertEqual(got.status_code, 200, got.content[:300])

    def second(self):
        trial = start(self.brief, versions=[2], models=[self.model.pk])
        run(trial, Scripted(kindly))
        return trial

    def reading(self, query=""):
        return self.api.get(f"briefs/{self.brief.pk}/reading/{query}").json()

    def keep(self, output, status=200, **body):
        got = self.api.post(f"outputs/{output.pk}/precedents/", body)
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()


class PrecedentTest(ReviewedTest):
    def test_from_a_mark_to_a_check_that_every_later_version_is_held_to(self):
        output = self.outputs[0]
        self.mark(output, comment="It guesses.", better="yes")
        proposed = self.api.post(
            f"outputs/{output.pk}/precedents/propose/", {"comment": "It guesses.", "better": "yes"}
        ).json()
        self.assertEqual((proposed[0]["kind"], proposed[0]["text"]), ("equals", "yes"))
        made = self.keep(output, kind=proposed[0]["kind"], text=proposed[0]["text"])
        self.assertEqual(Precedent.objects.get().mark.comment, "It guesses.")
        self.keep(self.outputs[1], kind="must-not-say", text="I think")
        trial = self.second()
        board = self.api.get(f"trials/{trial.pk}/precedents/").json()
        arm = board["arms"][0]
        # Case 1 is about sea 0, which the second version gets right; case 2 is not.
        self.assertEqual((board["n"], arm["held"], arm["broken"]), (2, 1, 1))
        self.assertEqual(arm["rows"][0]["case"], 2)
        self.assertIn("it says “I think”", arm["rows"][0]["why"])
        adopted = self.api.post(
            f"briefs/{self.brief.pk}/adopt/",
            {"arm": Arm.objects.get(trial=trial).pk, "against": None, "reason": "right more often"},
        )
        self.assertEqual(adopted.status_code, 200, adopted.content[:200])
        evidence = Verdict.objects.get().evidence["precedents"]
        self.assertEqual((evidence["held"], evidence["broken"]), (1, 1))
        # Retired, it is kept and holds nobody.
        self.assertEqual(self.api.post(f"precedents/{made['id']}/retire/").status_code, 200)
        self.assertEqual(self.api.get(f"trials/{trial.pk}/precedents/").json()["n"], 1)
        self.assertEqual(Precedent.objects.count(), 2)
        self.assertEqual(self.api.post(f"precedents/{made['id']}/retire/").status_code, 409)

    def test_a_question_waits_for_its_judge_and_a_reply_that_is_none_may_be_had_again(self):
        output = self.outputs[0]
        self.assertEqual(self.keep(output, 422, kind="question", text="Sure?")["field"], "judge")
        self.keep(output, kind="question", text="Is it sure?", judge=self.model.pk)
        trial = self.second()
        url = f"trials/{trial.pk}/precedents/"
        self.assertEqual(self.api.get(url).json()["to_ask"], 1)

        def rule(*replies):
            worker = Replies(*replies)
            with mock.patch("nomikon.server.apps.consultations.asking.ask_worker", worker):
                return self.api.post(f"{url}ask/").json(), worker.calls

        told, calls = rule({"failure": ("timeout", "no full answer")})
        self.assertIn("Is it sure?", calls[0]["messages"][0]["content"])
        self.assertEqual((told["to_ask"], told["arms"][0]["open"]), (1, 1))
        # What cannot be read is asked for once more, with the reason.
        reply = json.dumps({"precedent": {"level": 1, "reason": "It does not sound sure."}})
        told, calls = rule("Well, hard to say.", f"Sure!\n```json\n{reply}\n```")
        self.assertIn("there is no JSON", calls[1]["messages"][-1]["content"])
        self.assertEqual((told["to_ask"], told["arms"][0]["broken"]), (0, 1))
        self.assertEqual(Ruling.objects.count(), 1)
        line = Line.objects.filter(what="ruling.asked").first()
        self.assertEqual((line.facts["holds"], line.facts["again"]), (False, True))
        self.assertGreater(line.cost_nano, 0)

    def test_what_is_kept_already_or_is_none(self):
        self.keep(self.outputs[0], kind="must-say", text="yes")
        self.keep(self.outputs[0], 409, kind="must-say", text="yes")
        self.assertEqual(
            self.keep(self.outputs[0], 422, kind="must-say", text=" ")["field"], "text"
        )
        self.assertEqual(self.keep(self.outputs[0], 422, kind="may", text="x")["field"], "kind")


class FormerTest(ReviewedTest):
    def test_changed_answers_come_first_with_the_former_one_beside(self):
        for output in self.outputs[:4]:
            self.mark(output, comment="It guesses.", faults=["guess"])
        self.second()
        reading = self.reading()
        self.assertEqual((reading["order"], reading["drawn"]), ("changed", False))
        # Of four marked answers two are as before.
        self.assertEqual((reading["changed"], len(reading["queue"])), (2, 2))
        row = reading["queue"][0]
        self.assertEqual(row["former"]["comment"], "It guesses.")
        former = row["former"]["mark"]
        self.mark(
            Output.objects.get(pk=row["output"]), judgement="good", former=former, since="fixed"
        )
        self.assertEqual(Mark.objects.get(output=row["output"]).since, "fixed")
        self.assertEqual(self.reading()["changed"], 1)
        self.assertEqual(
            Line.objects.filter(what="output.marked").order_by("-id").first().facts["since"],
            "fixed",
        )
        # Once all are read, chance goes on.
        self.mark(Output.objects.get(pk=self.reading()["queue"][-1]["output"]), former=None)
        self.assertEqual(self.reading()["order"], "random")

    def test_an_identical_answer_inherits_the_readers_own_mark_and_no_other(self):
        self.mark(self.outputs[1], comment="It guesses.")
        trial = self.second()
        twin = Output.objects.get(
            arm__trial=trial, revision=self.outputs[1].revision_id, arm__version__number=2
        )
        row = next(r for r in self.reading("?order=random")["queue"] if r["output"] == twin.pk)
        self.assertEqual((row["inherits"], row["former"]), (self.outputs[1].pk, None))
        url = f"outputs/{twin.pk}/marks/inherit/"
        self.assertEqual(self.api.post(url, {"from_output": self.outputs[1].pk}).status_code, 200)
        taken = Mark.objects.get(output=twin)
        self.assertEqual((taken.comment, taken.judgement), ("It guesses.", "bad"))
        self.assertEqual(taken.inherited_from.output_id, self.outputs[1].pk)
        # Another answer, or another reader's mark, is not taken over.
        other = Output.objects.get(arm__trial=trial, revision=self.outputs[0].revision_id)
        refused = self.api.post(
            f"outputs/{other.pk}/marks/inherit/", {"from_output": self.outputs[1].pk}
        )
        self.assertEqual(refused.status_code, 422)
        stranger = Api()
        stranger.client.cookies["nomikon-name"] = "Ines"
        rows = stranger.get(f"briefs/{self.brief.pk}/reading/?order=random").json()["queue"]
        self.assertTrue(all(r["inherits"] is None for r in rows))

    def test_since_needs_a_former_mark_of_the_same_case(self):
        self.mark(self.outputs[0])
        mark = Mark.objects.get()
        for body, field in (
            ({"since": "fixed"}, "since"),
            ({"since": "maybe", "former": mark.pk}, "since"),
            ({"since": "fixed", "former": mark.pk}, "former"),
        ):
            got = self.api.post(
                f"outputs/{self.outputs[1].pk}/marks/", {"judgement": "good", **body}
            )
            self.assertEqual((got.status_code, got.json()["field"]), (422, field))
        self.assertEqual(Mark.objects.count(), 1)


class NothingTest(TransactionTestCase):
    def test_before_any_trial_there_is_nothing_to_read_and_nothing_breaks(self):
        brief = make_brief(3)
        got = Api().get(f"briefs/{brief.pk}/reading/")
        self.assertEqual((got.status_code, got.json()["queue"]), (200, []))
        self.assertEqual(got.json()["tags"], [])


class OrderTest(ReviewedTest):
    def test_in_turn_every_arm_has_its_share_of_any_beginning(self):
        SaveVersion(
            self.brief, [{"role": "user", "content": "{{sea}}?"}], {}, None, "third", **who()
        ).execute()
        trial = start(self.brief, versions=[1, 2, 3], models=[self.model.pk])
        run(trial, Scripted(kindly))
        reading = self.reading(f"?order=spread&trial={trial.pk}")
        self.assertTrue(reading["drawn"])
        arms = dict(Output.objects.filter(arm__trial=trial).values_list("id", "arm_id"))
        for n in (3, 9, 15):
            first = [arms[r["output"]] for r in reading["queue"][:n]]
            self.assertEqual([first.count(a) for a in set(arms.values())], [n // 3] * 3)

    def test_where_scores_and_people_part_comes_first(self):
        self.mark(self.outputs[3], judgement="good")
        self.mark(self.outputs[5], judgement="bad")
        reading = self.reading("?order=people-apart")
        # Both scored 0: the good mark is the one that differs.
        self.assertEqual(reading["queue"][0]["output"], self.outputs[3].pk)
        self.assertFalse(reading["drawn"])


class MeasuredTest(ReviewedTest):
    def test_measures_beside_marks_and_where_they_part(self):
        trial = self.second()
        outputs = list(Output.objects.filter(arm__trial=trial).order_by("id"))
        for output in outputs:
            # Readers say what the measure says, but for one answer.
            right = (output.text == "yes") != (output.pk == outputs[0].pk)
            self.mark(output, judgement="good" if right else "bad")
        url = f"trials/{trial.pk}/measures-against-marks/"
        total, match = self.api.get(url).json()
        self.assertEqual((total["measure"], match["measure"]), ("total", "normalised-match"))
        # Eight answers, one mark turned: the rank correlation of two shares is that of a
        # two-by-two table, by hand (phi).
        self.assertEqual(total["n"], 8)
        table = [[0, 0], [0, 0]]
        for i, output in enumerate(outputs):
            scored = output.text == "yes"
            table[scored][scored != (i == 0)] += 1
        (a, b), (c, d) = table
        phi = (a * d - b * c) / ((a + b) * (c + d) * (a + c) * (b + d)) ** 0.5
        self.assertAlmostEqual(total["rho"], phi)
        self.assertEqual([r["output"] for r in total["apart"]], [outputs[0].pk])

    def test_an_answer_asked_afresh_is_read_beside_the_one_it_replaced(self):
        output = self.outputs[0]
        self.mark(output, comment="It guesses.", spans=[{"start": 6, "end": 9, "comment": "no"}])
        self.api.post(f"trials/{self.first.pk}/afresh/", {"output": output.pk})
        run(self.first, Scripted(lambda body: "yes"))
        row = self.reading(f"?trial={self.first.pk}")["queue"][0]
        self.assertEqual(row["former"]["output"], output.pk)
        # The words that were commented on are kept with what was said of them.
        self.assertEqual(row["former"]["spans"][0]["quote"], "dry")
