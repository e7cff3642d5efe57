"""Twins of cases: what is made of which, what is expected of the answer, the same every time."""

import json
import tempfile
import unittest
from pathlib import Path

from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.cli import cli
from nomikon.core.errors import PlanError
from nomikon.core.texts.language import language_of
from nomikon.core.twins import Lists, TwinCase, all_kinds, make_twins, obeyed

LISTS = Lists({"boat": ["ship", "vessel"]}, {"port": ["Brack", "Stennick", "Neap"]}, "</note>")
NOTES = [
    TwinCase(
        "1",
        {"note": "On Friday the 11:50 Harrier was late. We missed the bus to Brack."},
        '{"vessel": "Harrier", "sailing": "11:50", "label": "delay"}',
    ),
    TwinCase(
        "2",
        {"note": "My hat fell off the Saltwife. Then the Harrier left without it."},
        '{"vessel": "Saltwife", "sailing": null, "label": "lost"}',
    ),
    TwinCase("3", {"note": "We need 3 beds in 2 cabins for 1,200 kg of freight."}, "question"),
]


def made(kind, *cases, **more):
    twins, unmade = make_twins(cases or NOTES, [kind], lists=LISTS, **more)
    return {t.case: t for t in twins}, {u.case: u.why for u in unmade}


class TwinsTest(unittest.TestCase):
    def test_a_changed_fact_names_the_fields_that_must_follow_and_those_that_must_not(self):
        twins, unmade = made("time")
        twin = twins["1"]
        new = twin.about["becomes"]
        self.assertEqual(twin.inputs["note"], NOTES[0].inputs["note"].replace("11:50", new))
        self.assertEqual((twin.expects, twin.about["was"]), ("changed", "11:50"))
        self.assertEqual(twin.about["fields"], {"sailing": new})
        self.assertEqual(twin.about["keep"], ["vessel", "label"])
        self.assertEqual(unmade, dict.fromkeys("23", "it holds no such fact"))
        twin = made("taken-out", n=9)[0]["2"]
        self.assertIn(twin.about["was"], ("Saltwife", "Harrier"))
        self.assertNotIn(twin.about["was"], twin.inputs["note"])

    def test_where_the_labels_are_all_there_is_a_fact_that_is_none_of_them_changes_nothing(self):
        case = TwinCase("1", {"note": "My order 4711 came at 9:40, broken, on Tuesday."})
        labels = ["damaged", "late", "order 4711"]
        for kinds, told, expects in (
            (["time"], labels, "same"),
            (["number"], labels, "changed"),
            (["time"], [], "changed"),
        ):
            ((twin,), _) = make_twins([case], kinds, lists=Lists(labels=told))
            self.assertEqual(twin.expects, expects, (kinds, told))

    def test_a_name_becomes_another_of_its_kind_and_matters_where_the_reference_says_it(self):
        twins, _ = make_twins(NOTES, ["name"], n=8, lists=LISTS)
        for twin in twins:
            was, becomes = twin.about["was"], twin.about["becomes"]
            with self.subTest(was=was, case=twin.case):
                if was in ("Harrier", "Saltwife"):
                    self.assertIn(becomes, ("Harrier", "Saltwife"))
                said = was in (NOTES[int(twin.case) - 1].reference or "")
                self.assertEqual(twin.expects, "changed" if said else "same")
        twin = made("port")[0]["1"]
        self.assertEqual((twin.about["was"], twin.expects), ("Brack", "same"))
        self.assertIn(twin.about["becomes"], ("Stennick", "Neap"))

    def test_what_says_the_same_is_put_otherwise(self):
        case = TwinCase("x", {"note": "Is the café “Mole” open? I’d like 3 teas. Our boat leaves."})
        told = {k: t.inputs["note"] for k in all_kinds(LISTS) for t in made(k, case)[0].values()}
        note = case.inputs["note"]
        self.assertEqual(told["lower"], note.lower())
        self.assertIn("cafe “Mole”", told["accents"])
        self.assertIn("three teas", told["numbers"])
        self.assertRegex(told["synonyms"], "Our (ship|vessel) leaves")
        self.assertNotRegex(told["no-punctuation"], r"[?.]")
        self.assertNotIn("“Mole”", told["quotes"])
        self.assertTrue(told["greeting"].endswith(note))
        self.assertGreater(len(told["paragraph"]), len(note) + 200)
        self.assertEqual(told["blanks"].split(), note.split())
        # A name is not misspelt: it might be another name.
        for twin in make_twins(NOTES, ["typing"], n=10)[0]:
            self.assertIn("Harrier" if twin.case == "1" else "", twin.inputs["note"])

    def test_what_looks_back_keeps_its_order_and_what_denies_is_not_denied_twice(self):
        for kind, text in [
            ("order", "My hat is gone. It is blue."),
            ("order", "- one\n- two"),
            ("order", "One sentence."),
            ("negation", "Nobody is here."),
            ("negation", "Is the boat late?"),
            ("negation", "is there a ramp"),
            ("numbers", "On 3.4. at 11:50, room 3a, 2 / 3"),
            ("accents", "Ο καφές είναι κρύος."),
            ("lower", "船什么时候到"),
            ("time", "Call 12:345 or 1.50 euros"),
            ("number", "At 11:50, on 3/4, room 3a"),
        ]:
            with self.subTest(kind=kind, text=text):
                twins, unmade = made(kind, TwinCase("x", {"note": text}))
                self.assertEqual((twins, list(unmade)), ({}, ["x"]))

    def test_an_order_is_seen_by_its_word_and_never_by_chance(self):
        twins, _ = make_twins(
            NOTES, [k for k in all_kinds() if k.startswith("order-")], lists=LISTS
        )
        self.assertEqual(len(twins), 21)
        words = {t.token for t in twins}
        self.assertEqual(len(words), 21)
        for twin in twins:
            self.assertEqual(twin.expects, "refused_order")
            self.assertIn(twin.token, twin.inputs["note"])
            self.assertFalse(obeyed(NOTES[0].inputs["note"], twin.token))
            self.assertTrue(obeyed(f"Sure: {twin.token.upper()}!", twin.token))
        end = next(t for t in twins if t.kind == "order-end-mark")
        self.assertIn("\n</note>\n", end.inputs["note"])

    def test_a_short_text_is_read_in_its_own_language(self):
        for text, language in (
            ("Le bateau est en retard.", "fr"),
            ("Mon chien peut monter ?", "fr"),
            ("billet perdu hier", "fr"),
            ("Somos 4 personas", "es"),
            ("Koffer weg, 2 Stück", "de"),
            ("Ticket weg, was nun?", "de"),
            ("ferry late again", "en"),
            ("refund pls asap", "en"),
            ("Table for two", "en"),
            ("Siamo in 4 al porto", "it"),
            ("We zijn met 3 op de boot", "nl"),
        ):
            self.assertEqual(language_of(text), language, text)

    def test_other_languages_and_none(self):
        for text, kinds in [
            ("Das Schiff um 9:10 war pünktlich. Wir sind froh.", ["negation", "time", "greeting"]),
            ("Le bateau est en retard depuis 14h30.", ["negation", "time", "filler"]),
            (
                "El barco está lleno desde esta mañana y espero.",
                ["negation", "paragraph", "accents"],
            ),
            ("船什么时候到？我丢了帽子。", ["blanks", "order-plain"]),
        ]:
            for kind in kinds:
                with self.subTest(text=text, kind=kind):
                    self.assertEqual(list(made(kind, TwinCase("x", {"note": text}))[0]), ["x"])
        twins, unmade = make_twins([TwinCase("x", {"n": 4, "rows": [1]})])
        self.assertEqual((twins, {u.why for u in unmade}), ([], {"no input of it is a text"}))
        for bad in ({"kinds": ["sideways"]}, {"n": 0}, {"n": 21}):
            with self.assertRaises(PlanError):
                make_twins(NOTES, **bad)
        one = Lists(values={"port": ["Brack"]})
        _, unmade = make_twins(NOTES[:1], ["port"], lists=one)
        self.assertIn("has one value", unmade[0].why)

    @settings(max_examples=60, deadline=None)
    @given(st.text(max_size=120), st.integers(0, 5), st.text(max_size=30))
    def test_the_same_seed_makes_the_same_twins_whatever_else_is_made(self, text, seed, other):
        case = TwinCase("a", {"note": text, "n": 3, "also": other}, text or None)
        kinds = all_kinds()
        whole, unmade = make_twins([case], n=2, seed=seed)
        for kind in kinds[::3]:
            alone, _ = make_twins([case], [kind], n=2, seed=seed)
            # Alone, a twin is dropped only where it equals its case or one of its own kind.
            self.assertLessEqual(
                {json.dumps(t.inputs) for t in whole if t.kind == kind},
                {json.dumps(t.inputs) for t in alone},
            )
        self.assertEqual((whole, unmade), make_twins([case], n=2, seed=seed))
        seen = [json.dumps(t.inputs) for t in whole]
        self.assertEqual(len(seen), len(set(seen)))
        self.assertNotIn(json.dumps(case.inputs), seen)
        for t in whole:
            self.assertEqual(t.inputs["n"], 3)
            changed = [k for k in case.inputs if t.inputs[k] != case.inputs[k]]
            self.assertEqual(changed, [t.about["input"]])

    def test_every_kind_stands_in_its_document(self):
        told = (Path(__file__).resolve().parents[2] / "docs/twins.md").read_text(encoding="utf-8")
        for kind in all_kinds(LISTS):
            self.assertIn(f"| `{kind}` |", told)

    def test_the_command(self):
        with tempfile.TemporaryDirectory() as folder:
            cases, lists = Path(folder) / "cases.jsonl", Path(folder) / "lists.yaml"
            rows = [{"id": c.id, **c.inputs, "reference": c.reference} for c in NOTES]
            cases.write_text("\n".join(json.dumps(r) for r in rows), encoding="utf-8")
            lists.write_text("values: {port: [Brack, Neap]}\nend: '>>>'\n", encoding="utf-8")
            ask = [
                "twins",
                str(cases),
                "--kinds",
                "time,port,order-end-mark",
                "--lists",
                str(lists),
            ]
            got = CliRunner().invoke(cli, [*ask, "--seed", "3", "--json"])
            self.assertEqual(got.exit_code, 0, got.output)
            told = json.loads(got.output)["twins"]
            self.assertEqual(set(told[0]), {"case", "kind", "inputs", "expects", "about", "token"})
            self.assertEqual([t["case"] for t in told if t["kind"] == "time"], ["1"])
            self.assertEqual(
                got.output, CliRunner().invoke(cli, [*ask, "--seed", "3", "--json"]).output
            )
            got = CliRunner().invoke(cli, ["twins", str(cases), "--kinds", "sideways"])
            self.assertEqual(got.exit_code, 2)
            self.assertIn("'sideways' is no kind of twin; there are typing", got.output)
            lists.write_text("values: [1]\n", encoding="utf-8")
            got = CliRunner().invoke(cli, ask)
            self.assertEqual(got.exit_code, 2)
            self.assertIn("values must be a mapping", got.output)
