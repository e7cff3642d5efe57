"""Where a set of cases is thin, and more of a kind found among others."""

import unittest

from nomikon.core.cases.alike import most_alike
from nomikon.core.cases.manner import manner_of
from nomikon.core.cases.thin import ThinRow, look_for_thin


def row(text, reference=None, split="working", tags=(), score=None):
    return ThinRow({"t": text}, reference, split, tags, score)


class ThinTest(unittest.TestCase):
    def setUp(self):
        plain = "The ferry was late again and nobody told us why it had been so."
        german = "Die Fähre kam schon wieder zu spät und niemand sagte uns, warum das so war."
        self.rows = [
            *(row(plain, "delay", "working", ("quay",), 0.5) for _ in range(20)),
            *(row(plain, "delay", "held-out", ("quay",), 1.0) for _ in range(10)),
            *(row(german, "luggage", "working", ("crew",), None) for _ in range(4)),
            *(row(plain + " x" * 600, "luggage", "working", ("crew", "quay")) for _ in range(12)),
            row("", None),
        ]
        self.found = look_for_thin(self.rows, ["delay", "refund"])
        self.parts = {(p.kind, p.name): p for p in self.found.parts}

    def test_counts_and_scores_of_every_part(self):
        quay = self.parts["tag", "quay"]
        self.assertEqual((quay.working, quay.held_out, quay.thin), (32, 10, ""))
        # 20 times .5 and 10 times 1; what was not asked counts for nothing.
        self.assertAlmostEqual(quay.score, 2 / 3)
        self.assertIsNone(self.parts["tag", "crew"].score)
        self.assertEqual(self.parts["language", "de"].working, 4)
        told = {name for kind, name in self.parts if kind == "length"}
        self.assertEqual(
            told, {"up to 100 characters", "100 to 300", "300 to 1,000", "1,000 to 3,000"}
        )

    def test_thin_places_are_named_with_what_is_wanting(self):
        self.assertIn("none held out", self.parts["label", "luggage"].thin)
        self.assertIn("4 working", self.parts["language", "de"].thin)
        self.assertEqual(self.parts["label", "refund"].thin, "no case at all")
        self.assertEqual(self.parts["length", "100 to 300"].thin, "no case at all")
        # What cannot be told is no language that more cases are wanted of.
        self.assertEqual(self.parts["language", "cannot be told"].thin, "")

    def test_pairs_that_chance_would_bring_together_are_gaps(self):
        (gap,) = self.found.gaps
        self.assertEqual((gap.tag, gap.label), ("crew", "delay"))
        self.assertAlmostEqual(gap.expected, 16 * 30 / 47)

    def test_free_answers_are_no_labels_and_nothing_is_nothing(self):
        found = look_for_thin([row("a", f"answer {i}") for i in range(30)])
        self.assertEqual([p for p in found.parts if p.kind == "label"], [])
        self.assertEqual(look_for_thin([]).parts, [])


class MannerTest(unittest.TestCase):
    def test_what_inputs_are(self):
        table = [
            ("Könnt ihr mir sagen, wann die Fähre geht?\nDanke", "a question"),
            ("荷物はどこですか？", "a question"),
            ("¿Dónde está?", "a question"),
            ("The crew was kind and the boat left on time.", "running text"),
            ("船は遅れて到着しました", "running text"),
            ("late again", "a few words"),
            ("- one trunk\n- two bags\nall blue", "a list"),
            ("1) trunk\n2) bag", "a list"),
            ("| boat | time |\n|---|---|\n| Heron | 9 |", "a table"),
            ('{"boat": "Heron"}', "JSON"),
            ("<p>late</p>", "code or markup"),
            ("  \n", "empty"),
            ([{"role": "user", "content": "hello"}], "a talk"),
            (["a", "b"], "JSON"),
            (None, "empty"),
        ]
        for value, wanted in table:
            with self.subTest(value=value):
                self.assertEqual(manner_of({"id": "7", "text": value} if value else {"text": value}),
                                 wanted)  # fmt: skip


class AlikeTest(unittest.TestCase):
    def test_what_speaks_of_the_same_comes_first_and_copies_not_at_all(self):
        wanted = ["My suitcase is lost", "A bag was left aboard", "lost: one blue suitcase"]
        others = ["The ferry is late", "When does it sail?", "Late again, the whole crew"]
        among = ["When does the next one sail?", "Somebody took my suitcase!", "my SUITCASE is lost.",
                 "Late ferry, late crew", "The blue bag of my son", "¿?"]  # fmt: skip
        found = most_alike(wanted, others, among, 4)
        self.assertEqual({i for i, _ in found[:2]}, {1, 4})
        self.assertNotIn(2, [i for i, _ in found])
        self.assertNotIn(5, [i for i, _ in found])
        self.assertTrue(all(0 < likeness <= 1 for _, likeness in found))
        self.assertEqual(sorted((x for _, x in found), reverse=True), [x for _, x in found])

    def test_nothing_wanted_and_nothing_there(self):
        self.assertEqual(most_alike([], [], ["a"], 3), [])
        self.assertEqual(most_alike(["a"], [], [], 3), [])
        self.assertEqual(most_alike(["…"], [], ["a b"], 3), [])
