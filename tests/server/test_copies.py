"""Copies among the cases: grouped, told apart, settled in one press that can be taken back."""

import random

from django.test import TransactionTestCase

from nomikon.core.cases import read_csv
from nomikon.core.cases.copies import copy_groups, to_take_out
from nomikon.core.cases.near import near_duplicates
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.datasets.versioning import newest_version
from tests.server.base import Api, Scripted, make_brief, run, start, who

ROWS = (
    "sea,reference,split,source\n"
    "Please move my berth on the evening boat to Friday the ninth of May,move,working,\n"
    "please move my berth on the evening boat to Friday the tenth of May,move,held-out,\n"
    "Is there a lift down to the car deck on the small ferry?,,working,\n"
    "Is there a lift down to the car deck on the small ferry?,lift,working,\n"
    "Is there a lift down to the car deck of the small ferry?,stairs,working,\n"
    "My cat has eaten the ticket that you sent me by post last week,other,working,Log 4\n"
    "My cat has eaten the ticket that you sent me by post last weekend,other,working,\n"
    "Nothing like any other of them at all,other,working,\n"
)


class CopiesTest(TransactionTestCase):
    def setUp(self):
        self.brief = make_brief(0)
        self.dataset = self.brief.datasets.first()
        self.api = Api()
        uses = {c: {"as": c} for c in ("reference", "split", "source")}
        ImportCases(self.dataset, read_csv(ROWS.encode()), uses, "working", **who()).execute()
        self.url = f"datasets/{self.dataset.pk}/copies/"

    def told(self, which="open"):
        return self.api.get(f"{self.url}?which={which}").json()

    def settle(self, act, groups=None):
        seen = self.told()
        body = {
            "act": act,
            "groups": groups,
            "version": seen["version"],
            "changed": seen["changed"],
        }
        return self.api.post(self.url, body)

    def cases(self):
        entries = newest_version(self.dataset).entries.select_related("revision__case")
        return {e.revision.case.number: (e.split, e.revision.source) for e in entries}

    def test_groups_say_what_tells_their_cases_apart(self):
        told = self.told()
        self.assertEqual((told["n_open"], told["n_exact"]), (3, 1))
        first, lift, cat = told["groups"]
        self.assertEqual([first["key"], lift["key"], cat["key"]], [1, 3, 6])
        self.assertEqual([g["leaks"] for g in told["groups"]], [True, False, False])
        self.assertEqual([g["references_differ"] for g in told["groups"]], [False, True, False])
        words = [
            (w["kind"], w["text"].strip())
            for w in first["cases"][1]["values"][0]["words"]
            if w["kind"] != "same"
        ]
        self.assertIn(("gone", "ninth"), words)
        self.assertIn(("new", "tenth"), words)
        self.assertTrue(lift["cases"][1]["values"][0]["same"])

    def test_one_source_and_one_side_in_one_press_and_back(self):
        trial = start(self.brief, versions=[1])
        run(trial, Scripted())
        before = self.cases()
        self.assertEqual(self.settle("source").json()["n_changed"], 6)
        now = self.cases()
        self.assertEqual(now[1], ("working", "like case 1"))
        self.assertEqual(now[2], ("working", "like case 1"))
        self.assertEqual((now[6], now[7]), (("working", "Log 4"), ("working", "Log 4")))
        self.assertEqual(now[8], before[8])
        self.assertEqual(self.told()["n_open"], 0)
        self.assertEqual({g["settled"] for g in self.told("all")["groups"]}, {"source"})
        self.assertEqual(self.settle("source").status_code, 422)
        got = self.api.post(f"datasets/{self.dataset.pk}/take-back/")
        self.assertEqual((got.status_code, self.cases()), (200, before))
        self.assertEqual(trial.dataset_version.entries.count(), 8)

    def test_exact_copies_go_and_near_ones_stay(self):
        self.assertEqual(self.settle("exact").json()["n_changed"], 1)
        # The one with a reference stays.
        self.assertEqual(sorted(self.cases()), [1, 2, 4, 5, 6, 7, 8])
        self.assertEqual(self.told()["n_exact"], 0)

    def test_one_of_a_group_stays(self):
        self.assertEqual(self.settle("one", [3]).json()["n_changed"], 2)
        self.assertEqual(sorted(self.cases()), [1, 2, 4, 6, 7, 8])

    def test_kept_as_they_are_until_another_joins_them(self):
        self.settle("keep", [1])
        self.assertEqual([g["key"] for g in self.told()["groups"]], [3, 6])
        third = b"sea\nplease move my berth on the evening boat to Friday the tenth of May ok\n"
        ImportCases(self.dataset, read_csv(third), {}, "working", **who()).execute()
        self.assertEqual([g["key"] for g in self.told()["groups"]], [1, 3, 6])

    def test_what_changed_meanwhile_is_looked_at_again(self):
        body = {"act": "one", "groups": None, "version": 1, "changed": 99}
        self.assertEqual(self.api.post(self.url, body).status_code, 409)

    def test_one_of_every_group_stays_whatever_the_texts(self):
        dice = random.Random(5)
        for _ in range(20):
            base = ["".join(dice.choices("abcdefgh ", k=60)) for _ in range(4)]
            texts = [dice.choice(base) + dice.choice(["", " x", ""]) for _ in range(12)]
            wanted = [dice.random() < 0.5 for _ in texts]
            for group in copy_groups(near_duplicates(texts), texts):
                out = to_take_out(group.members, texts, wanted, exact=False)
                self.assertEqual(len(out), len(group.members) - 1)
                left = set(group.members) - set(
                    to_take_out(group.members, texts, wanted, exact=True)
                )
                self.assertEqual(len({texts[m] for m in left}), len(left))
                self.assertEqual({texts[m] for m in left}, {texts[m] for m in group.members})
