"""Clauses and tenor: every character in one place, borders and parts as people mean them."""

import json
import random
import tempfile
import unittest
from itertools import pairwise
from pathlib import Path

from click.testing import CliRunner

from nomikon.cli import cli
from nomikon.core.errors import MeasureError
from nomikon.core.measures import Answer, read_scorecard, score_answer
from nomikon.core.measures.registry import make_measure
from nomikon.core.prompts import Message, clauses_of
from nomikon.core.prompts.blocks import blocks_of, pairs_of
from nomikon.core.prompts.findings import Subject, check_prompt
from nomikon.core.prompts.tenor import read_tenor
from nomikon.core.prompts.tenor.checks import checks_of, is_measured, unstated
from nomikon.core.prompts.tenor.conflicts import conflicts_of
from tests.core import clause_set
from tests.core.clause_set import working as borders
from tests.core.tenor_set import forms


def read(text, **more):
    return read_tenor([Message("user", text)], **more)


def limits(text):
    return [(x.what, x.per, x.low, x.high) for x in read(text).limits]


class BordersTest(unittest.TestCase):
    def test_what_to_do_instead_of_what_is_forbidden(self):
        for text, wanted in (
            (
                "Reply to the tenant. Don't quote prices; name the office instead.",
                "name the office",
            ),
            (
                "Reply to the tenant. Avoid legal terms. Explain them instead in plain words.",
                "Explain them instead in plain words",
            ),
            ("Fasse zusammen. Nenne keine Namen, sondern nur Rollen.", "nur Rollen"),
            (
                "Résume le texte. N'invente pas de date, écris plutôt « inconnue ».",
                "écris plutôt « inconnue »",
            ),
            ("Resume el texto. No cites precios, sino tarifas.", "tarifas"),
            ("Reply to the tenant. Never quote prices. Keep it short.", None),
        ):
            with self.subTest(text=text):
                rules = read_tenor([Message("user", f"{text}\n{{{{letter}}}}")]).rules
                (rule,) = [r for r in rules if r.polarity == "must-not"]
                self.assertEqual(rule.instead and rule.instead.text, wanted)
                if rule.instead:
                    w = rule.instead
                    self.assertEqual(text[w.start : w.end], w.text)

    def test_clauses_end_where_people_mean_them_to(self):
        wrong = [
            (text[a:b], marked[:40])
            for marked in [*borders.ORDINARY, *borders.HARD]
            for text, wanted in [clause_set.without_marks(marked)]
            for a, b in wanted - {(c.start, c.end) for c in clauses_of([Message("user", text)])}
        ]
        self.assertEqual(wrong, [])

    def test_every_character_is_in_one_clause_or_is_layout(self):
        dice = random.Random(5)
        lines = "\n".join(
            [*borders.ORDINARY, *borders.HARD, "<<<", '"""', "```", "| a | b |", "{", "}", "x: y", "** **", "🚢 sail"]
        ).replace("¦", "").split("\n")  # fmt: skip
        for _ in range(300):
            text = "\n".join(dice.choices(lines, k=dice.randint(1, 12)))
            found = clauses_of([Message("user", text)])
            for a, b in pairwise(found):
                self.assertLessEqual(a.end, b.start, text)
            for clause in found:
                self.assertEqual(clause.text, text[clause.start : clause.end])
                self.assertEqual(clause.text, clause.text.strip())
                self.assertTrue(clause.text)
            for a, b in pairwise(blocks_of(text)):
                self.assertLessEqual(a.end, b.start, text)

    def test_what_never_closes_does_not_swallow_the_rest(self):
        found = [
            c.text for c in clauses_of([Message("user", "Read it.\n```\nSay yes.\n<<<\nBe brief.")])
        ]
        self.assertIn("Say yes.", found)
        self.assertIn("Be brief.", found)
        # A schema of 1,900 lines is one clause; beside it stands the sentence before.
        schema = "{\n" + '"a": {"type": "string"},\n' * 1_900 + '"b": {}\n}'
        found = clauses_of([Message("user", f"Fill it.\n\n{schema}\n\nStop there.")])
        self.assertEqual([c.text for c in found], ["Fill it.", schema, "Stop there."])

    def test_a_waiting_pair_is_told_from_a_worked_one(self):
        found = pairs_of("Q: a\nA: b\n\nQ: c\nA: d\ne\n\nQ: {{q}}\nA:")
        text = "Q: a\nA: b\n\nQ: c\nA: d\ne\n\nQ: {{q}}\nA:"
        self.assertEqual([text[p.answer_start : p.answer_end] for p in found], ["b", "d\ne", ""])


PROMPTS = Path(__file__).parents[1] / "prompts"


class TenorTest(unittest.TestCase):
    def test_planted_flaws_are_seen_and_sound_prompts_left_alone(self):
        """As `nomikon check --held` tells it of the half that is worked with."""
        done = CliRunner().invoke(cli, ["check", "--held", str(PROMPTS), "--json"])
        self.assertEqual(done.exit_code, 0, done.output)
        told = json.loads(done.output)
        self.assertEqual((told["alarms"], told["sound"], told["planted"]), (0, 48, 60))
        self.assertGreaterEqual(told["seen"] / told["planted"], 0.9)
        # Every rule that speaks above a note is right nine times out of ten.
        self.assertEqual([r["rule"] for r in told["rules"] if not r["holds"]], [])

    def test_a_folder_that_cannot_be_held_against(self):
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            prompt = "---\nnomikon: prompt/1\n---\n::: user\nAnswer in 3 words.\n:::\n"
            for planted, words in (
                (None, "planted.json"), ("[]", "must be an object"), ('{"b.md": []}', "no prompt file b.md"),
                ('{"a.md": ["absent"]}', "does not hold the words"), ('{"a.md": "x"}', "a list of words"),
            ):  # fmt: skip
                with self.subTest(planted=planted):
                    (place / "a.md").write_text(prompt, encoding="utf-8")
                    if planted is not None:
                        (place / "planted.json").write_text(planted, encoding="utf-8")
                    done = CliRunner().invoke(cli, ["check", "--held", folder])
                    self.assertEqual(done.exit_code, 2, done.output)
                    self.assertIn(words, done.output)
            done = CliRunner().invoke(cli, ["check"])
            self.assertIn("name a prompt file", done.output)

    def test_limits_with_their_bounds_and_parts(self):
        for text, wanted in (
            ("Write between 3 and 5 sentences.", [("sentences", "", 3, 5)]),
            ("Answer in fewer than 5 lines.", [("lines", "", None, 4)]),
            ("Gib 2–3 Stichpunkte aus.", [("bullets", "", 2, 3)]),
            ("Schreibe den Text neu, je Absatz höchstens 40 Wörter.", [("words", "paragraphs", None, 40)]),
            ("La réponse compte 12 mots au maximum.", [("words", "", None, 12)]),
            ("Cada frase tiene un máximo de 1.200 caracteres.", [("characters", "sentences", None, 1200)]),
            ("Titel: maximal 8 Wörter.", [("words", "titel", None, 8)]),
            (
                "Kürze ihn auf höchstens 40 Wörter, je Satz maximal 12 Wörter.",
                [("words", "", None, 40), ("words", "sentences", None, 12)],
            ),
            ("At most 20 words per bullet.", [("words", "bullets", None, 20)]),
            ("Escribe 3 líneas, 9 palabras como máximo por línea.",
             [("lines", "", 3, 3), ("words", "lines", None, 9)]),
            ("The message has three paragraphs. Sum it up.", []),
            ("Use exactly one of these words: good, bad.", []),
            ("Ships within 3 days, sums under 40 euros.", []),
        ):  # fmt: skip
            self.assertEqual(limits(text), wanted, text)

    def test_arithmetic_of_parts_and_wholes(self):
        def why(text):
            return [c.why for c in conflicts_of(read(text).limits)]

        (told,) = why("Give 3 bullets of at least 15 words each. Use at most 40 words in all.")
        self.assertIn("3 × 15 words are 45, above at most 40 words", told)
        (told,) = why("Write at least 50 words. Keep it under 100 characters.")
        self.assertIn("take 150 characters or more", told)
        for sound in (
            "Give 3 bullets of at most 15 words each. Use at most 45 words in all.",
            "Write 2 to 4 sentences. Use at least 3 sentences.",
            "Sum it up in 2 sentences. Then write a reply of 5 sentences.",
            "Title: at most 8 words.\nBody: at least 60 words.",
        ):
            self.assertEqual(why(sound), [], sound)

    def test_labels_keys_and_columns(self):
        for text, wanted in (
            ("Sort the mail.\n\nCategories:\n- bill: asks for money\n- thanks\n", ["bill", "thanks"]),
            ("Antworte mit „ja“, „nein“ oder „offen“. Begründe es nicht.", ["ja", "nein", "offen"]),
            ("Décide si l'avis est positif ou négatif.", ["positif", "négatif"]),
            ("Usa una de estas etiquetas: alta; media; baja.", ["alta", "media", "baja"]),
            ("List the towns: those by the sea first, then the others.", []),
        ):  # fmt: skip
            self.assertEqual([x.label for x in read(text).output.labels], wanted, text)
        output = read('Reply as JSON:\n{"name": "…", "n": 3, "ok": true, "all": []}').output
        self.assertEqual(
            [(k.name, k.type) for k in output.keys],
            [("name", ""), ("n", "integer"), ("ok", "boolean"), ("all", "array")],
        )
        for text in (
            "Reply with JSON with the keys sea, tide and nothing else.",
            "Antworte nur als JSON mit den Schlüsseln sea und tide, sonst nichts.",
        ):
            self.assertEqual([k.name for k in read(text).output.keys], ["sea", "tide"], text)
        schema = {"type": "object", "properties": {"a": {"type": "string"}}}
        output = read("Say it.", settings={"response_schema": schema}).output
        self.assertEqual((output.form, output.keys[0].type), ("json", "string"))
        table = read("Make a table with the columns Day, Tide and Height.").output
        self.assertEqual((table.form, table.columns), ("table", ("Day", "Tide", "Height")))
        self.assertEqual(read("Do not use JSON. Say yes.").output.form, "")

    def test_the_form_of_the_answer_in_many_wordings(self):
        for text, keys, labels in forms.FORMS:
            output = read_tenor([Message("user", text)], {}).output
            with self.subTest(text=text):
                if keys:
                    self.assertEqual([k.name for k in output.keys], keys)
                else:
                    self.assertEqual([x.label for x in output.labels], labels)
        for text in forms.NEITHER:
            output = read_tenor([Message("user", text)], {}).output
            with self.subTest(text=text):
                self.assertEqual((output.keys, output.labels), ((), ()))

    def test_a_language_that_is_not_read_leaves_parts_empty_and_silent(self):
        text = "Przeczytaj wiadomość i napisz krótką odpowiedź dla klienta, najwyżej 40 słów.\n\n{{wiadomosc}}"
        found = read(text)
        self.assertEqual((found.language, found.limits, found.rules), ("", (), ()))
        self.assertEqual([i.name for i in found.inputs], ["wiadomosc"])
        above = [f for f in check_prompt(Subject((Message("user", text),))) if f.severity != "note"]
        self.assertEqual(above, [])

    def test_odd_texts_are_read(self):
        for text in (
            "", " ", "{{x}}", "اكتب ملخصا في ثلاث جمل. لا تضف شيئا.\n\n{{text}}", "Text: a\nLabel: b",
            "a -> b\nc -> d", "Say yes. " * 20_000, "[" * 500, "<a>" * 500, "1 " * 3_000,
        ):  # fmt: skip
            found = read(text)
            for part in (*found.limits, *found.rules):
                self.assertEqual(part.words.text, text[part.words.start : part.words.end])


class ChecksTest(unittest.TestCase):
    def checks(self, text):
        return [dict(c.measure) for c in checks_of(read(text))]

    def test_limits_labels_and_forms_become_measures_that_score_as_they_say(self):
        text = "Give 3 bullet points of at most 4 words each. Use at least 5 words in all."
        found = self.checks(text)
        self.assertEqual(
            found,
            [
                {"measure": "markdown", "bullets": 3},
                {"measure": "each-length", "each": "bullets", "unit": "words", "max": 4},
                {"measure": "length", "unit": "words", "min": 5},
            ],
        )
        card = read_scorecard({"nomikon": "scorecard/1", "measures": found})
        good, bad = "- a b\n- c d e\n- f", "- a b c d e\n- f g"
        for answer, wanted in ((good, [1.0, 1.0, 1.0]), (bad, [0.0, 0.5, 1.0])):
            scores = score_answer(card, Answer(answer)).by_name
            self.assertEqual([s.value for s in scores.values()], wanted, answer)
        self.assertEqual(
            self.checks("Answer with one of these: red, green, blue."),
            [{"measure": "one-of", "values": ["red", "green", "blue"]}],
        )
        self.assertEqual(self.checks("Say what you think of it, kindly."), [])

    def test_rules_about_words_signs_and_places_become_measures(self):
        """Worded apart from the rules; what holds only on a condition is no check."""
        for text, good, bad in (
            (
                'Reply to the guest. Do not use the word "unfortunately".',
                "It sails.",
                "Unfortunately no.",
            ),
            (
                "Reply to the guest. Please avoid exclamation marks and emoji.",
                "It sails.",
                "It sails 🚢",
            ),
            (
                "Reply to the guest. Start your reply with “Good morning”.",
                "Good morning, it sails.",
                "Hi.",
            ),
            (
                'Reply to the guest and never open with "As an assistant".',
                "It sails.",
                "As an assistant I",
            ),
            (
                "List the ports, one per line. No full stop at the end of a line.",
                "Malmo\nBrack",
                "Malmo.\nBrack.",
            ),
            (
                'Reply to the guest. You may use the word "sorry" only once.',
                "Sorry, late.",
                "Sorry, so sorry.",
            ),
            ('Reply to the guest. You must mention "gate 4".', "Go to gate 4.", "Go to the gate."),
            ("Antworte dem Gast freundlich. Beginne immer mit „Moin“.", "Moin, es geht.", "Hallo."),
            (
                "Antworte dem Gast freundlich und ohne Gedankenstriche.",
                "Es geht.",
                "Es geht — bald.",
            ),
            ("Réponds au client avec soin, sans point d’exclamation.", "Il part.", "Il part !"),
            (
                'Responde al cliente con calma. No escribas nunca la palabra "lamento".',
                "Sale.",
                "Lamento eso.",
            ),
        ):
            with self.subTest(text=text):
                measures = [
                    c for c in self.checks(text + "\n\n{{mail}}") if c["measure"] != "language"
                ]
                self.assertTrue(measures)
                card = read_scorecard({"nomikon": "scorecard/1", "measures": measures[-1:]})
                for answer, wanted in ((good, 1.0), (bad, 0.0)):
                    (found,) = score_answer(card, Answer(answer)).by_name.values()
                    self.assertEqual(found.value, wanted, (answer, found.why))
        half = self.checks(
            "Sum it up; the summary is at most half as long as the article.\n\n{{article}}"
        )
        self.assertEqual(half, [{"measure": "relative-length", "input": "article", "max": 0.5}])
        for text in (
            'If the boat is late, never say "soon".',
            'Classify as "late" or "lost", never "late" alone.',
        ):
            self.assertNotIn("not-contains", [c["measure"] for c in self.checks(text)])

    def test_what_is_measured_and_what_the_text_does_not_state(self):
        tenor = read("Sum it up in at most 40 words.")
        (check,) = checks_of(tenor)
        card = [{"measure": "length", "unit": "words", "max": 40, "weight": 2, "name": "short"}]
        self.assertTrue(is_measured(check, card))
        self.assertFalse(is_measured(check, [{**card[0], "max": 50}]))
        self.assertEqual(unstated(tenor, card), [])
        other = [*card, {"measure": "one-of", "values": ["a"]}, {"measure": "exact-match"}]
        self.assertEqual(unstated(tenor, other), ["one-of"])

    def test_each_part_within_limits(self):
        measure = make_measure("each-length", {"each": "lines", "unit": "characters", "max": 5})
        self.assertEqual(measure.score(Answer("abc\n\nabcdef\nab")).value, 1 - 1 / 3)
        self.assertIn("number 2: 6 characters", measure.score(Answer("abc\nabcdef")).why)
        self.assertEqual(measure.score(Answer("")).value, 0.0)
        with self.assertRaises(MeasureError):
            make_measure("each-length", {"each": "lines"})
