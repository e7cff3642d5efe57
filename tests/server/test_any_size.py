"""A trial of some of its cases, the rest afterwards, and trials as a list."""

from django.test import TransactionTestCase

from nomikon.core.cases import read_csv
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.trials.models import Output, Trial
from tests.server.base import Api, Scripted, make_brief, run, who


class AnySizeTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(0)
        rows = "sea,reference,tags\n" + "\n".join(
            f"{'grey' if n % 7 == 0 else 'blue'} sea {n},yes,{'rare' if n % 10 == 0 else 'usual'}"
            for n in range(1, 101)
        )
        uses = {"reference": {"as": "reference"}, "tags": {"as": "tags"}}
        ImportCases(
            self.brief.datasets.get(), read_csv(rows.encode()), uses, "working", **who()
        ).execute()
        self.api = Api()
        self.body = {
            "versions": [1, 2],
            "models": [self.model()],
            "settings": [{"temperature": 0}],
            "dataset_version": self.brief.datasets.get().versions.latest("number").pk,
            "split": "working",
            "repeats": 2,
        }

    def model(self):
        from nomikon.server.apps.connections.models import Model

        return Model.objects.order_by("id").first().pk

    def plan(self, status=200, **cases):
        got = self.api.post(f"briefs/{self.brief.pk}/plan/", {**self.body, "cases": cases})
        self.assertEqual(got.status_code, status, got.content[:300])
        return got.json()

    def start(self, **cases):
        got = self.api.post(
            f"briefs/{self.brief.pk}/trials/start/",
            {**self.body, "cases": cases, "question": "Which?"},
        )
        self.assertEqual(got.status_code, 200, got.content[:300])
        return Trial.objects.get(pk=got.json()["id"])

    def numbers(self, trial):
        rows = Output.objects.filter(arm__trial=trial).values_list("revision__case__number")
        return {n for (n,) in rows}

    def test_a_plan_is_as_large_as_what_is_chosen(self):
        self.assertEqual(self.plan(which="all")["n_cases"], 100)
        for n, cases in (
            (30, {"which": "random", "n": 30}),
            (100, {"which": "random", "n": 5000}),
            (12, {"which": "first", "n": 12}),
            (10, {"which": "tag", "tag": "rare"}),
            (14, {"which": "words", "words": "grey"}),
            (4, {"which": "numbers", "numbers": "3, 7 – 9"}),
            (
                10,
                {
                    "which": "where",
                    "where": [{"column": "#tags", "test": "holds", "value": "rare"}],
                },
            ),
            (
                13,
                {
                    "which": "where",
                    "words": "grey",
                    "where": [
                        {"column": "#tags", "test": "lacks", "value": "rare"},
                        {"column": "sea", "test": "is-not", "value": ""},
                    ],
                },
            ),
        ):
            with self.subTest(cases):
                told = self.plan(**cases)
                self.assertEqual((told["n_cases"], told["calls"]), (n, n * 4))

    def test_two_trials_beside_each_other(self):
        few = self.start(which="random", n=20, seed=3)
        run(few, Scripted(lambda body: "yes"))
        self.body["models"] = [*self.body["models"], self.model() + 1]
        more = self.start(which="all")
        # The first version does worse than before on every tenth case.
        run(more, Scripted(lambda b: "no" if "0?" in b["messages"][0]["content"] else "yes"))
        told = self.api.get(f"trials/{more.pk}/beside/{few.pk}/").json()
        self.assertEqual([r["name"] for r in told["rows"]], ["v1 on small", "v2 on small"])
        self.assertEqual(len(told["alone"]), 2)
        self.assertTrue(all(r["paired"] and r["n_common"] == 20 for r in told["rows"]))
        self.assertEqual((told["same_scorecard"], told["rows"][0]["other_mean"]), (True, 1.0))
        self.assertEqual(self.api.get(f"trials/{more.pk}/beside/{more.pk}/").status_code, 422)

    def test_what_cannot_be_chosen(self):
        for field, cases in (
            ("cases.n", {"which": "random"}),
            ("cases.n", {"which": "first", "n": 0}),
            ("cases", {"which": "tag", "tag": "none"}),
            ("cases.where", {"which": "where"}),
            ("cases", {"which": "where", "where": [{"column": "no", "test": "filled"}]}),
            ("cases", {"which": "words", "words": "nowhere"}),
            ("cases.words", {"which": "words"}),
            ("cases.numbers", {"which": "numbers", "numbers": "3, x"}),
            ("cases.numbers", {"which": "numbers", "numbers": "3-999"}),
        ):
            with self.subTest(cases):
                self.assertEqual(self.plan(422, **cases)["field"], field)
        self.assertEqual(self.plan(400, which="best")["field"], "cases.which")

    def test_thirty_at_random_hold_every_tag_in_its_share_and_the_rest_comes_unpaid_twice(self):
        caller = Scripted()
        trial = self.start(which="random", n=30, seed=7)
        run(trial, caller)
        first = self.numbers(trial)
        self.assertEqual((len(first), caller.calls), (30, 30 * 2 * 2))
        self.assertEqual(sum(n % 10 == 0 for n in first), 3)
        told = self.api.get(f"trials/{trial.pk}/").json()
        self.assertEqual((told["choice"], told["n_cases"]), ("30 at random, seed 7", 30))
        # More repeats stay with the same cases.
        more = self.api.post(f"trials/{trial.pk}/extension/", {"repeats": 3}).json()
        self.assertEqual((more["n_cases"], more["added"]), (30, 60))
        extension = self.api.post(f"trials/{trial.pk}/extension/", {"rest": True}).json()
        self.assertEqual((extension["n_cases"], extension["added"]), (100, 280))
        self.api.post(f"trials/{trial.pk}/extend/", {"rest": True})
        trial.refresh_from_db()
        run(trial, caller)
        self.assertEqual((len(self.numbers(trial)), caller.calls), (100, 400))
        again = self.api.post(f"trials/{trial.pk}/extension/", {"rest": True})
        self.assertEqual((again.status_code, again.json()["field"]), (422, "rest"))
        self.assertEqual(self.api.get(f"trials/{trial.pk}/").json()["choice"], "")

    def test_the_same_seed_chooses_the_same_and_more_of_them_hold_the_fewer(self):
        ten, thirty = self.start(which="random", n=10), self.start(which="random", n=30)
        self.assertLess(set(ten.sample), set(thirty.sample))
        self.assertNotEqual(set(self.start(which="random", n=10, seed=1).sample), set(ten.sample))

    def test_trials_as_a_list_are_renamed_noted_and_put_away(self):
        trial = self.start(which="first", n=4)
        run(trial, Scripted())
        (row,) = self.api.get(f"briefs/{self.brief.pk}/trials/").json()
        self.assertEqual(
            (row["n_arms"], row["arms"], row["choice"]), (2, ["v1", "v2"], "the first 4")
        )
        self.assertEqual((row["best"]["mean"], row["by"] != ""), (1.0, True))
        changed = self.api.post(
            f"trials/{trial.pk}/note/",
            {"question": " Is it wetter? ", "note": "by hand", "archived": True},
        ).json()
        self.assertEqual(
            (changed["question"], changed["note"], changed["archived"]),
            ("Is it wetter?", "by hand", True),
        )
        # It opens all the same.
        self.assertEqual(self.api.get(f"trials/{trial.pk}/").status_code, 200)
        self.assertEqual(
            self.api.post(f"trials/{trial.pk}/note/", {"question": "x" * 301}).status_code, 400
        )
