"""Twins on the database: made, asked, how the pairs behave, left by a person."""

import json
import re
from unittest.mock import patch

from django.test import TransactionTestCase

from nomikon.core.cases import read_csv
from nomikon.models import CallFailure
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.actions.create_dataset import CreateDataset
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.datasets.models import CaseRevision, Dataset
from nomikon.server.apps.trials.models import TWINS, Trial
from nomikon.server.apps.twins.models import Twin
from tests.server.base import Api, Scripted, make_brief, run, who

BOATS = ("Heron", "Curlew", "Plover", "Dunlin")
NOTES = [
    f"Good day. The {boat} was late at {8 + i:02d}:1{i}, and {i + 2} of us stood on the pier."
    for i, boat in enumerate(BOATS)
]


def sorts(body):
    """Reads boat and time; is confused by small letters, and obeys where it is told so in the note."""
    note = body["messages"][-1]["content"]
    fenced = "[[" in note
    order = re.search(r"single word (\w+)", note)
    if order and not fenced:
        return order[1]
    boat = next((b for b in BOATS if b in note), None)
    at = re.search(r"\d\d:\d\d", note)
    return json.dumps({"boat": boat, "time": at and at[0], "label": "delay"})


def sorts_as_heron(body):
    note = body["messages"][-1]["content"]
    return json.dumps({"boat": "Heron", "time": re.search(r"\d\d:\d\d", note)[0], "label": "delay"})


class TwinsTest(TransactionTestCase):
    def setUp(self):
        self.brief, self.api = make_brief(3), Api()
        self.model = Model.objects.order_by("id").first()
        self.dataset = CreateDataset(self.brief, "Notes", **who()).execute()
        rows = ["note\treference"] + [
            f"{n}\t" + json.dumps({"boat": b, "time": f"{8 + i:02d}:1{i}", "label": "delay"})
            for i, (n, b) in enumerate(zip(NOTES, BOATS, strict=True))
        ]
        ImportCases(
            self.dataset,
            read_csv("\n".join(rows).encode(), delimiter="\t"),
            {"reference": {"as": "reference"}},
            "working",
            **who(),
        ).execute()
        for text in ("Sort it: {{note}}", "Sort what stands between the marks.\n[[{{note}}]]"):
            last = self.brief.versions.order_by("-number").first()
            SaveVersion(
                self.brief, [{"role": "user", "content": text}], {"temperature": 0}, last, "", **who()
            ).execute()  # fmt: skip

    def make(self, status=200, **more):
        body = {"dataset": self.dataset.pk, "n_cases": 0, **more}
        got = self.api.post(f"briefs/{self.brief.pk}/twins/", body)
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def ask(self, made, *versions, caller=None):
        body = {"versions": list(versions), "models": [self.model.pk]}
        plan = self.api.post(f"twins/{made['id']}/plan/", body).json()
        got = self.api.post(f"twins/{made['id']}/ask/", body)
        self.assertEqual(got.status_code, 200, got.content[:300])
        trial = Trial.objects.get(pk=got.json()["trial"])
        caller = caller or Scripted(sorts)
        run(trial, caller)
        return plan, trial, caller

    def held(self, made, trial, **query):
        more = "&".join(f"{k}={v}" for k, v in query.items())
        return self.api.get(f"twins/{made['id']}/trials/{trial.pk}/?{more}").json()

    def pairs(self, made, trial, **query):
        more = "&".join(f"{k}={v}" for k, v in query.items())
        return self.api.get(f"twins/{made['id']}/trials/{trial.pk}/pairs/?{more}").json()

    def test_what_breaks_is_told_by_arm_kind_and_case(self):
        kinds = ["lower", "greeting", "name", "time", "order-plain"]
        look = self.api.post(
            f"briefs/{self.brief.pk}/twins/look/",
            {"dataset": self.dataset.pk, "n_cases": 0, "kinds": kinds},
        ).json()
        self.assertEqual((look["n_cases"], look["n_twins"]), (4, 20))
        self.assertEqual(Twin.objects.count(), 0)
        made = self.make(kinds=kinds)
        self.assertEqual((made["n_cases"], made["n_twins"], made["of"]), (4, 20, "Notes"))
        plan, trial, caller = self.ask(made, 3, 4)
        self.assertEqual((plan["calls"], plan["n_cases"], plan["n_twins"]), (48, 4, 20))
        self.assertEqual((trial.purpose, caller.calls), (TWINS, 48))
        told = self.held(made, trial)
        bare, fenced = told["arms"]
        self.assertEqual((bare["broken"], bare["holds"], bare["obeyed"]), (8, 12, 4))
        self.assertEqual((fenced["broken"], fenced["obeyed"], fenced["n_orders"]), (4, 0, 4))
        self.assertAlmostEqual(bare["share"], 12 / 20)
        by_kind = {k["kind"]: [c["share"] for c in k["cells"]] for k in told["kinds"]}
        self.assertEqual(by_kind["lower"], [0, 0])
        self.assertEqual(by_kind["order-plain"], [0, 1])
        self.assertEqual(by_kind["name"], [1, 1])
        (against,) = told["comparisons"]
        self.assertEqual(against["arm"], fenced["arm"])
        self.assertAlmostEqual(against["difference"], 0.2)
        # Case × kind of the arm that is asked about.
        of_second = self.held(made, trial, arm=fenced["arm"])
        self.assertEqual(of_second["cases"][0]["cells"]["lower"], [0, 1])
        self.assertEqual(of_second["cases"][0]["cells"]["order-plain"], [1, 0])
        got = self.pairs(made, trial, arm=bare["arm"], kind="lower", only="broken")
        self.assertEqual(got["n"], 4)
        pair = got["rows"][0]
        self.assertEqual(pair["why"], "boat is nothing, not Heron")
        said = {
            k: [w["text"] for w in pair["words"] if w["kind"] in ("same", k)]
            for k in ("gone", "new")
        }
        self.assertEqual("".join(said["gone"]), NOTES[0])
        self.assertEqual("".join(said["new"]), NOTES[0].lower())
        # Asked again with a further version, what was had is not asked.
        _, again, later = self.ask(made, 4)
        self.assertEqual((later.calls, self.held(made, again)["arms"][0]["broken"]), (0, 4))

    def test_a_twin_that_expects_what_it_should_not_is_left_and_counts_for_nothing(self):
        made = self.make(kinds=["lower", "greeting"])
        _, trial, _ = self.ask(made, 3)
        self.assertEqual(self.held(made, trial)["arms"][0]["broken"], 4)
        rows = self.api.get(f"twins/{made['id']}/?kind=lower").json()["rows"]
        ids = [r["id"] for r in rows]
        told = self.api.post(f"twins/{made['id']}/leave/", {"twins": ids[:3], "left": True}).json()
        self.assertEqual(told["n_left"], 3)
        self.assertEqual(self.held(made, trial)["arms"][0]["broken"], 1)
        body = {"versions": [3], "models": [self.model.pk]}
        self.assertEqual(self.api.post(f"twins/{made['id']}/plan/", body).json()["n_twins"], 5)
        self.api.post(f"twins/{made['id']}/leave/", {"twins": ids, "left": False})
        self.assertEqual(self.held(made, trial)["arms"][0]["broken"], 4)
        got = self.api.post(f"twins/{made['id']}/leave/", {"twins": [999], "left": True})
        self.assertEqual(got.status_code, 422)

    def test_the_twins_stand_in_a_dataset_of_their_own_under_their_cases_numbers(self):
        made = self.make(kinds=["name", "taken-out"], n_cases=2, seed=5)
        own = Dataset.objects.get(pk=made["dataset"])
        self.assertTrue(own.archived)
        for twin in Twin.objects.select_related("revision__case", "original__case"):
            self.assertEqual(twin.revision.source, f"case {twin.original.case.number}")
            self.assertGreater(twin.revision.case.number, 4)
            self.assertIn(twin.original.inputs["note"], NOTES)
            self.assertEqual(twin.original.case.dataset, own)
        # Of a changed fact what is wanted changes with it, and nothing else of it.
        name = Twin.objects.filter(kind="name").select_related("revision", "original").first()
        before, after = (json.loads(r.reference) for r in (name.original, name.revision))
        self.assertEqual(after, {**before, "boat": name.about["becomes"]})
        # The dataset they come from is as it was.
        self.assertEqual(CaseRevision.objects.filter(case__dataset=self.dataset).count(), 4)

    def test_a_failed_call_breaks_no_pair_and_a_refusal_does(self):
        made = self.make(kinds=["greeting", "time"])
        seen = []

        def fails(body):
            note = body["messages"][-1]["content"]
            if "Good day. The Heron was late at 08:10" not in note and "Heron" in note:
                raise CallFailure("timeout", "no")
            seen.append(note)
            return sorts(body)

        _, trial, _ = self.ask(made, 3, caller=Scripted(fails))
        told = self.held(made, trial)["arms"][0]
        self.assertEqual((told["unknown"], told["broken"]), (1, 0))

    def test_what_cannot_be_made_or_asked_is_refused_in_words(self):
        empty = CreateDataset(self.brief, "Nothing", **who()).execute()
        self.assertIn("no cases", self.make(422, dataset=empty.pk)["detail"])
        self.assertIn("no kind of twin", self.make(422, kinds=["mirror"])["detail"])
        with patch("nomikon.server.apps.twins.choosing.MOST_CASES", 3):
            self.assertIn("at most 3, at random", self.make(422)["detail"])
            self.assertEqual(self.make(n_cases=3, kinds=["lower"])["n_cases"], 3)
        one = [{"name": "port", "values": ["Brack"]}]
        self.assertIn("has one value", self.make(422, lists=one)["detail"])
        none = self.make(422, kinds=["accents"])
        self.assertIn("no twin can be made", none["detail"])
        made = self.make(kinds=["lower"])
        for body, word in (
            ({"versions": [], "models": [1]}, "choose a version"),
            ({"versions": [99], "models": [1]}, "no version 99"),
            ({"versions": [3], "models": []}, "choose a model"),
        ):
            got = self.api.post(f"twins/{made['id']}/plan/", body)
            self.assertEqual(got.status_code, 422)
            self.assertIn(word, got.json()["detail"])
        ids = list(Twin.objects.filter(set=made["id"]).values_list("pk", flat=True))
        self.api.post(f"twins/{made['id']}/leave/", {"twins": ids, "left": True})
        got = self.api.post(
            f"twins/{made['id']}/plan/", {"versions": [3], "models": [self.model.pk]}
        )
        self.assertIn("all twins of this set were left", got.json()["detail"])

    def test_what_breaks_goes_to_amendments_and_the_fence_is_proposed(self):
        made = self.make(kinds=["lower", "order-plain"])
        _, trial, _ = self.ask(made, 3)
        found = self.api.get(f"trials/{trial.pk}/faults/3/").json()["faults"]
        of_twins = {f["label"]: f for f in found if f["source"] == "twin"}
        self.assertEqual(
            set(of_twins), {"follows orders in its input", "does not hold: all in small letters"}
        )
        obeyed = of_twins["follows orders in its input"]
        self.assertEqual((obeyed["cases"], obeyed["n"]), (4, 4))
        asked = {"trial": trial.pk, "version": 3, "faults": [obeyed["key"]]}
        got = self.api.post(f"briefs/{self.brief.pk}/amend-by-rule/", asked)
        self.assertEqual(got.status_code, 200, got.content[:400])
        texts = [p["text"] for p in got.json()["proposals"]]
        self.assertIn("Sort it:\n<note>\n{{note}}\n</note>", texts)
        self.assertTrue(any("never an instruction" in t and "<note>" in t for t in texts), texts)

    def test_it_is_searched_further_where_it_breaks_and_the_smallest_change_comes_first(self):
        made = self.make(kinds=["lower", "greeting"])
        _, trial, _ = self.ask(made, 3)
        arm = self.held(made, trial)["arms"][0]["arm"]
        url = f"twins/{made['id']}/trials/{trial.pk}/further/"
        got = self.api.post(url, {"arm": arm})
        self.assertEqual(got.status_code, 200, got.content[:300])
        more = got.json()
        # Of the kind that broke alone; each note has three capitals, each of which is tried alone.
        self.assertEqual([k["kind"] for k in more["kinds"]], ["lower"])
        self.assertEqual((more["n_cases"], more["n_twins"]), (4, 12))
        _, later, _ = self.ask(more, 3)
        pairs = self.pairs(more, later, only="broken")
        # The boat's name alone does it.
        self.assertEqual(pairs["n"], 4)
        for row in pairs["rows"]:
            gone = [w["text"] for w in row["words"] if w["kind"] == "gone"]
            self.assertIn("".join(gone), BOATS)
        self.assertEqual(self.api.post(url, {"arm": arm, "most": 5}).json()["n_twins"], 5)
        none = self.make(kinds=["greeting"])
        _, fine, _ = self.ask(none, 3)
        arm = self.held(none, fine)["arms"][0]["arm"]
        got = self.api.post(f"twins/{none['id']}/trials/{fine.pk}/further/", {"arm": arm})
        self.assertIn("nowhere to search", got.json()["detail"])

    def test_own_words_that_mean_the_same_and_what_is_no_list(self):
        made = self.make(kinds=["synonyms"], synonyms=[["pier", "jetty", "quay"]])
        texts = [t.revision.inputs["note"] for t in Twin.objects.filter(set=made["id"])]
        self.assertEqual(len(texts), 4)
        self.assertTrue(all("jetty" in t or "quay" in t for t in texts), texts)
        for more, field in (
            ({"synonyms": [["pier", " pier "]]}, "synonyms"),
            ({"lists": [{"name": "synonyms", "values": ["a", "b"]}]}, "values"),
            ({"lists": [{"name": "hull", "values": ["a"]}]}, "values"),
        ):
            self.assertEqual(self.make(422, **more)["field"], field)

    def test_further_names_and_values_of_an_own_list_are_tried_as_well(self):
        made = self.make(
            kinds=["name", "hull"], lists=[{"name": "hull", "values": ["Heron", "Dunlin", "Tern"]}]
        )
        # Says the first boat whatever the note says.
        _, trial, _ = self.ask(made, 3, caller=Scripted(lambda body: sorts_as_heron(body)))
        arm = self.held(made, trial)["arms"][0]["arm"]
        url = f"twins/{made['id']}/trials/{trial.pk}/further/"
        more = self.api.post(url, {"arm": arm}).json()
        self.assertEqual({k["kind"] for k in more["kinds"]}, {"name", "hull"})
        became = set(
            Twin.objects.filter(set=more["id"], kind="name").values_list(
                "about__becomes", flat=True
            )
        )
        self.assertGreater(len(became), 1)


class WrittenTest(TransactionTestCase):
    """Twins that a model wrote: only what a person took counts."""

    def test_what_is_taken_of_a_reply_becomes_a_set(self):
        brief, api = make_brief(9), Api()
        dataset = brief.datasets.get()
        about = {"dataset": dataset.pk, "how_many": 3, "seed": 1, "kinds": ["reworded", "border"]}
        body = {"role": "twins", "about": about, "model": None, "instruction": "", "again": False}
        shown = api.post("consultations/", {**body, "ask": False}).json()["prepared"]
        self.assertIn("Case ", shown["shown"])
        self.assertIn("- border: changed as little as possible", shown["shown"])
        self.assertNotIn("harder", shown["shown"])
        numbers = [int(n) for n in re.findall(r"^Case (\d+):", shown["shown"], re.M)]
        self.assertEqual(len(numbers), 3)
        rows = [
            {"case": numbers[0], "kind": "reworded", "text": "the ocean nearby", "answer": None},
            {"case": numbers[1], "kind": "border", "text": "a dry lake", "answer": "no"},
        ]
        keep = {"dataset": dataset.pk, "model": "small", "twins": rows}
        made = api.post(f"briefs/{brief.pk}/twins/keep/", keep)
        self.assertEqual(made.status_code, 200, made.content[:300])
        self.assertEqual((made.json()["n_twins"], made.json()["n_cases"]), (2, 2))
        model = Model.objects.order_by("id").first()
        url = f"twins/{made.json()['id']}"
        asked = api.post(f"{url}/ask/", {"versions": [1], "models": [model.pk]}).json()
        trial = Trial.objects.get(pk=asked["trial"])
        run(trial, Scripted(lambda b: "no" if "dry" in b["messages"][-1]["content"] else "yes"))
        told = api.get(f"{url}/trials/{trial.pk}/").json()
        self.assertEqual((told["arms"][0]["holds"], told["arms"][0]["broken"]), (2, 0))
        for bad, words in (
            ({**rows[0], "case": 999}, "no working case 999"),
            ({**rows[0], "text": f"sea {numbers[0] - 1}"}, "says what the case says"),
        ):
            got = api.post(f"briefs/{brief.pk}/twins/keep/", {**keep, "twins": [bad]})
            self.assertIn(words, got.json()["detail"])
