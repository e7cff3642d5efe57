"""What the frame and the desk say in words, and what decides an answer's key."""

from urllib.parse import urlencode

from django.db import connection
from django.db.models import F
from django.test import TestCase, TransactionTestCase
from django.test.utils import CaptureQueriesContext

from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.tries import BeginTry
from nomikon.server.apps.connections.actions.save_connection import SaveConnection
from nomikon.server.apps.connections.models import Connection, Model
from nomikon.server.apps.ledger.models import SpentDay
from nomikon.server.apps.ledger.reading import Wanted, lines_of, rows_of
from nomikon.server.apps.reviews.actions.mark_output import MarkOutput
from nomikon.server.apps.trials.facts import letter
from nomikon.server.apps.trials.models import Output, ScoreRow, Trial
from nomikon.server.apps.verdicts.actions.adopt_arm import AdoptArm
from nomikon.server.desk.docket import docket, docket_entry
from nomikon.server.desk.overview import brief_detail, leading, spine_scores
from nomikon.server.process.worker import next_trial
from tests.server.base import Api, make_brief, run, start, who


class NextTest(TransactionTestCase):
    def test_one_thing_comes_next_all_the_way(self):
        """From an empty desk to a verdict; what is said is what lacks, and where to do it."""
        brief = CreateBrief("New", "Sort it.", "other", **who()).execute()

        def told():
            found = brief_detail(brief)["next"]
            return found and (found["words"], found["to"].partition(f"/briefs/{brief.pk}/")[2])

        self.assertEqual(told(), ("say who answers: add a model", ""))
        self.assertEqual(brief_detail(brief)["next"]["to"], "/models")
        brief = make_brief(3)
        self.assertEqual(told(), ("ask it once", "draft"))
        models = {m.pk: (m.name, False) for m in Model.objects.all()}
        job = {
            "key": "a", "model": next(iter(models)), "messages": [{"role": "user", "content": "?"}],
            "settings": {}, "inputs": {}, "reference": None, "repeat": 0, "of": None,
        }  # fmt: skip
        keep = {"version": None, "changed": False, "case": None}
        BeginTry(brief, [job], keep, models, **who()).execute()
        self.assertEqual(told(), ("8 more cases", "cases"))
        brief = make_brief(18, "Bays")
        BeginTry(brief, [job], keep, models, **who()).execute()
        newest = brief.versions.order_by("-number").first().number
        self.assertEqual(told(), (f"run v{newest} on 12 cases", "trials/plan"))
        trial = start(brief, versions=[1, newest])
        self.assertEqual(told(), (f"see trial {trial.number} run", f"trials/{trial.pk}"))
        run(trial)
        self.assertEqual(told(), (f"see v{newest} against v1", "verdict"))
        SaveVersion(
            brief, [{"role": "user", "content": "Is {{sea}} dry?"}], {},
            brief.versions.get(number=newest), "", **who(),
        ).execute()  # fmt: skip
        self.assertEqual(
            told(),
            (f"run v{newest + 1} beside v{newest}", f"trials/plan?v={newest + 1}"),
        )

    def test_after_a_first_trial_of_one_version_its_lowest_answer_is_opened(self):
        brief = make_brief(18)
        trial = start(brief, versions=[brief.versions.order_by("-number").first().number])
        run(trial)
        lowest = ScoreRow.objects.filter(output__arm__trial=trial).order_by("total", "output_id")
        case = lowest.first().output.revision.case.number
        found = brief_detail(brief)["next"]
        self.assertEqual(found["words"], "read the lowest answers")
        self.assertTrue(found["to"].endswith(f"trials/{trial.pk}?order=worst&case={case}"))


class WordsTest(TestCase):
    def stages(self, brief):
        return {s["stage"]: s["words"] for s in brief_detail(brief)["stages"]}

    def test_an_empty_brief_says_what_is_next(self):
        brief = CreateBrief("New", "", "other", **who()).execute()
        self.assertEqual(
            self.stages(brief),
            {
                "brief": "say what the job is",
                "draft": "nothing written yet",
                "cases": "no cases yet",
                "trials": "none run yet",
                "review": "nothing to read yet",
                "verdict": "nothing measured",
            },
        )
        entry = docket_entry(brief)
        self.assertEqual(
            (entry["state"], entry["best"], entry["course"]), ("Nothing written yet.", None, [])
        )

    def test_a_waiting_trial_is_named(self):
        brief = make_brief()
        start(brief)
        self.assertEqual(self.stages(brief)["trials"], "no. 1 waiting")
        self.assertEqual(self.stages(brief)["cases"], "4 working, 2 held out")
        self.assertEqual(docket_entry(brief)["state"], "Trial 1 is running (0 %).")

    def test_the_worker_takes_the_oldest_open_trial_once(self):
        brief = make_brief()
        first, second = start(brief), start(brief)
        self.assertEqual(next_trial(set()), first.pk)
        self.assertEqual(next_trial({first.pk}), second.pk)
        self.assertIsNone(next_trial({first.pk, second.pk}))

    def test_letters_go_on_after_z(self):
        self.assertEqual([letter(n) for n in (0, 25, 26, 51, 52)], ["A", "Z", "AA", "AZ", "BA"])


class SpineTest(TransactionTestCase):
    def test_scores_stand_side_by_side_only_on_one_basis(self):
        brief = make_brief(30)
        run(start(brief, versions=[1, 2]))
        basis, scores = spine_scores(brief)
        self.assertEqual(
            (basis["settings"], basis["split"], set(scores)), ("T 0", "working", {1, 2})
        )
        # A held-out trial never enters working scores.
        run(start(brief, versions=[1], split="held-out"))
        self.assertEqual(spine_scores(brief)[1][1]["trial"], 1)

    def test_a_run_of_marks_is_one_line(self):
        brief = make_brief(30)
        run(start(brief))
        for n, output in enumerate(Output.objects.all()[:5]):
            MarkOutput(output.pk, "good" if n else "bad", "", **who()).execute()
        newest = rows_of(lines_of(Wanted()), 3)
        self.assertEqual(newest[0]["facts"]["marks"], {"good": 4, "bad": 1})
        self.assertEqual(
            [ln["what"] for ln in newest], ["output.marked", "trial.ended", "trial.started"]
        )


class WaitingTest(TransactionTestCase):
    def waits(self, brief):
        return {w["to"]: w["words"] for w in docket_entry(brief)["waiting"]}

    def test_what_waits_for_a_person_leads_to_where_it_is_done(self):
        brief = make_brief(6)
        self.assertEqual(self.waits(brief), {})
        trial = start(brief)
        run(trial)
        self.assertEqual(self.waits(brief), {"review": "16 answers unread"})
        other = start(brief, versions=[1])
        Trial.objects.filter(pk=other.pk).update(state="paused", message="the budget is spent")
        brief.questions.create(key="k", text="Which sea?", clause="", asked_by="rule")
        waits = self.waits(brief)
        self.assertEqual(waits[f"trials/{other.pk}"], "trial 2 paused: the budget is spent")
        self.assertEqual(waits["draft"], "1 open question")
        # The most pressing first, and a line never grows without end.
        self.assertEqual(next(iter(waits)), f"trials/{other.pk}")
        self.assertLessEqual(len(waits), 4)

    def test_an_empty_brief_is_asked_what_counts_as_good(self):
        brief = CreateBrief("Bare", "", "other", **who()).execute()
        self.assertEqual(self.waits(brief), {"brief": "no scorecard: what counts as good?"})


class DeskQueriesTest(TransactionTestCase):
    def queries(self):
        with CaptureQueriesContext(connection) as seen:
            docket()
        return len(seen)

    def brief(self, name):
        brief = make_brief(6, name)
        models = list(brief_models(name))
        run(start(brief, models=models))
        run(start(brief, models=models, versions=[1]))
        arm = brief.trials.first().arms.first()
        AdoptArm(arm.pk, None, "it is the first", **who()).execute()
        run(start(brief, models=models))
        return brief

    def test_the_desk_asks_as_often_for_five_briefs_as_for_two(self):
        for name in ("One", "Two"):
            self.brief(name)
        docket()
        few = self.queries()
        for name in ("Three", "Four", "Five"):
            self.brief(name)
        docket()
        self.assertEqual(self.queries(), few)
        self.assertLess(few, 25)

    def test_what_is_kept_of_a_trial_is_worked_out_anew_when_it_changes(self):
        brief = self.brief("Tides")
        entry = docket_entry(brief)
        trial = Trial.objects.get(brief=brief, number=3)
        ScoreRow.objects.filter(output__arm__trial=trial).update(total=0.25)
        self.assertEqual(docket_entry(brief)["course"], entry["course"])
        Trial.objects.filter(pk=trial.pk).update(scores_changed=F("scores_changed") + 1)
        self.assertEqual({c["mean"] for c in docket_entry(brief)["course"]}, {0.25})

    def test_spend_is_a_running_total_of_all_that_was_newly_paid(self):
        brief = self.brief("Tides")
        paid = sum(o.cost_new or 0 for o in Output.every.all())
        self.assertGreater(paid, 0)
        self.assertEqual(docket_entry(brief)["spent"], paid)
        self.assertEqual(sum(SpentDay.objects.values_list("nano", flat=True)), paid)
        self.assertEqual(Api().get("session/").json()["spent_month"], paid)


def brief_models(name):
    return Model.objects.filter(connection__name=f"Here {name}").values_list("id", flat=True)


class ConnectionRevisionTest(TestCase):
    def save(self, found, **change):
        values = {
            "name": found.name,
            "protocol": found.protocol,
            "base_url": found.base_url,
            "key_env": found.key_env,
            "concurrency": found.concurrency,
            "call_timeout_s": found.call_timeout_s,
            "stall_timeout_s": found.stall_timeout_s,
        }
        return SaveConnection(connection=found, **{**values, **change}, **who()).execute()

    def test_only_what_decides_answers_makes_a_new_revision(self):
        make_brief()
        found = Connection.objects.get()
        self.assertEqual(self.save(found, name="Renamed", concurrency=9).revision, 1)
        self.assertEqual(self.save(found, base_url="http://127.0.0.1:10/v1").revision, 2)
        self.assertEqual(self.save(found, key_env="NOMIKON_KEY_OTHER").revision, 3)


class FindTest(TransactionTestCase):
    """What the palette finds: by words that stand in it, or by its number."""

    def setUp(self):
        self.brief, self.api = make_brief(), Api()
        self.trial = start(self.brief, models=[Model.objects.get(name="small").pk])
        run(self.trial)

    def find(self, words, **more):
        return self.api.get(f"find/?{urlencode({'q': words, **more})}").json()

    def kinds(self, rows):
        return {row["kind"] for row in rows}

    def test_a_trial_by_its_question_or_number(self):
        for words in ("better", "Trial 1", "1"):
            with self.subTest(words):
                row = self.find(words)[0]
                self.assertEqual(row["to"], f"/briefs/{self.brief.pk}/trials/{self.trial.pk}")
                self.assertIn("Is it better?", row["label"])

    def test_a_case_and_its_answers_by_words(self):
        rows = self.find("sea 3")
        case = next(r for r in rows if r["kind"] == "case")
        dataset = self.brief.datasets.first()
        self.assertTrue(case["to"].endswith(f"/cases?dataset={dataset.pk}&case=4"), case)
        answer = Output.objects.first()
        Output.objects.filter(pk=answer.pk).update(text="It is\nrather Wet today.")
        (found,) = [r for r in self.find("rather wet") if r["kind"] == "answer"]
        self.assertEqual(found["label"], "It is rather Wet today.")
        self.assertTrue(found["to"].endswith(f"?output={answer.pk}"))

    def test_a_brief_keeps_to_itself(self):
        other = make_brief(name="Elsewhere")
        self.assertEqual(self.kinds(self.find("better", brief=other.pk)), set())
        self.assertEqual(self.kinds(self.find("sea 3", brief=other.pk)), {"case"})

    def test_nothing_is_found_by_next_to_nothing(self):
        self.assertEqual(self.find("zz"), [])
        self.assertEqual(self.api.get("find/").json(), [])
        self.assertEqual(self.find("no such words anywhere"), [])


class LeadingTest(TestCase):
    """Ahead is said only where it is shown; else level, and of other trials nothing."""

    def row(self, mean, trial=1, ahead=()):
        return {"mean": mean, "low": None, "high": None, "trial": trial, "ahead_of": list(ahead)}

    def test_ahead_where_shown_else_level(self):
        close = {4: self.row(0.80), 6: self.row(0.82)}
        self.assertEqual(leading(close, None), "v6 and v4 are level")
        self.assertEqual(leading(close, 4), "v6 level with it")
        shown = {4: self.row(0.5), 6: self.row(0.82, ahead=[4])}
        self.assertEqual((leading(shown, None), leading(shown, 4)), ("v6 is ahead", "v6 is ahead"))
        self.assertEqual(leading(shown, 6), "")

    def test_of_different_trials_nothing_is_shown(self):
        apart = {4: self.row(0.5, trial=1), 6: self.row(0.9, trial=2)}
        self.assertEqual(leading(apart, 4), "v6 not compared with it")
        self.assertEqual(leading(apart, None), "v6 measured")
        self.assertEqual(leading({}, None), "")
