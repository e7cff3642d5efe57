"""How the stand-in reads a request: what is instruction, what is input, what form is asked."""

import unittest

from nomikon_standin import forms
from nomikon_standin.labels import read_labels, split_list
from nomikon_standin.subject import split_request
from nomikon_standin.words import sentences, stem


def split(user, system=None):
    messages = [{"role": "system", "content": system}] if system else []
    return split_request([*messages, {"role": "user", "content": user}])


class SubjectTest(unittest.TestCase):
    def test_where_the_input_stands(self):
        for text, subject, cue in [
            ("Sort it.\nMessage: the boat is late", "the boat is late", ""),
            ("Sort it.\nMessage: the boat is late\nLabel:", "the boat is late", "Label"),
            (
                "Sort what is between the marks: <<< the boat is late >>> JSON:",
                "the boat is late",
                "JSON",
            ),
            (
                "Sort the text.\n<text>the boat is late</text>\nOne word only.",
                "the boat is late",
                "",
            ),
            ('Sort this.\n"""\nthe boat is late\n"""', "the boat is late", ""),
            ("Sort the message below.\n\nthe boat is late", "the boat is late", ""),
            ("Message: the boat is late\n\nReply with one word.", "the boat is late", ""),
        ]:
            with self.subTest(text=text):
                found = split(text)
                self.assertEqual((found.subject, found.cue), (subject, cue))

    def test_with_rules_in_the_system_message_all_of_the_turn_is_input(self):
        found = split("late again\nand wet", "Sort it.")
        self.assertEqual((found.subject, found.rules), ("late again\nand wet", "Sort it."))

    def test_an_instruction_that_is_also_a_label_stays_an_instruction(self):
        self.assertIn("Sort this message", split("Sort this message: the boat is late").rules)

    def test_worked_examples_are_taken_out(self):
        turns = [
            {"role": "user", "content": "Message: a"},
            {"role": "assistant", "content": "x"},
            {"role": "user", "content": "Message: b"},
        ]
        self.assertEqual(split_request(turns).examples, [("a", "x")])
        found = split("Label it.\n\nInput: red sky\nOutput: weather\n\nInput: cold soup\nOutput:")
        self.assertEqual(found.examples, [("red sky", "weather")])
        self.assertEqual(found.subject, "cold soup")

    def test_a_template_between_fences_is_no_input(self):
        found = split('Use this format:\n```\n{"a": 1}\n```\nText: the boat is late')
        self.assertEqual(found.subject, "the boat is late")


class LabelsTest(unittest.TestCase):
    def test_running_lists(self):
        for text, items in [
            ("a, b or c", ["a", "b", "c"]),
            ("a, b, and c.", ["a", "b", "c"]),
            ("red / green / blue", ["red", "green", "blue"]),
            ("`x` | `y`", ["x", "y"]),
            ("one thing only", []),
            ("a long tale of many words here, and more", []),
        ]:
            with self.subTest(text=text):
                self.assertEqual(split_list(text), items)

    def test_definitions_find_their_labels(self):
        rules = (
            "Sort into one of: leak, noise, other.\nleak means water where it should be dry.\n"
            "Use noise for music at night.\nother: anything else."
        )
        found = read_labels(rules, [])[0].labels
        self.assertIn("water", found["leak"])
        self.assertIn("music", found["noise"])
        self.assertIn("anything else", found["other"])

    def test_labels_belong_to_their_key(self):
        rules = (
            "kind is one of: leak, noise.\nurgency is high when somebody is hurt, else low.\n"
            "mood (happy, sad or angry)"
        )
        found = {s.key: list(s.labels) for s in read_labels(rules, ["kind", "urgency", "mood"])}
        self.assertEqual(
            found,
            {
                "kind": ["leak", "noise"],
                "urgency": ["high", "low"],
                "mood": ["happy", "sad", "angry"],
            },
        )

    def test_a_definition_that_lists_words_makes_no_labels(self):
        rules = "- lost: something was left, forgotten, dropped or found.\n- other: the rest."
        self.assertEqual(
            [list(s.labels) for s in read_labels(rules, ["kind"])], [["lost", "other"]]
        )


class FormsTest(unittest.TestCase):
    def test_keys(self):
        for rules, names in [
            ("Reply with one JSON object with the keys a, b_c and d.", ["a", "b_c", "d"]),
            ('Return {"a": "text", "n": 3}.', ["a", "n"]),
            ('{"type": "object", "properties": {"x": {"type": "integer"}}}', ["x"]),
            ("Return JSON with these fields:\n- name: who wrote\n- age (number)", ["name", "age"]),
            ("Write a poem.", []),
        ]:
            with self.subTest(rules=rules):
                self.assertEqual([k.name for k in forms.read_keys(rules)], names)

    def test_limits(self):
        for rules, unit, least, most in [
            ("Use at most 20 words.", "word", None, 20),
            ("Write no more than two sentences.", "sentence", None, 2),
            ("Keep it under 100 characters.", "character", None, 99),
            ("Give exactly 3 bullets.", "item", 3, 3),
            ("Write at least 5 lines.", "line", 5, None),
            ("Write three short paragraphs.", "paragraph", 3, 3),
        ]:
            with self.subTest(rules=rules):
                found = forms.read_limits(rules)[0]
                self.assertEqual((found.unit, found.least, found.most), (unit, least, most))
        self.assertTrue(forms.read_limits("Each bullet at most 8 words.")[0].each)

    def test_layout_of_two_the_later_unless_denied(self):
        self.assertEqual(forms.read_layout("Use bullet points. Then a numbered list."), "numbered")
        self.assertEqual(forms.read_layout("Use a table, not bullet points."), "table")
        self.assertEqual(forms.read_layout("Plain text."), "")

    def test_words_around_the_answer(self):
        for rules, forbidden in [
            ("Reply with the label and nothing else.", True),
            ("Only JSON.", True),
            ("Return only JSON.", True),
            ("Answer without any explanation.", True),
            ("Explain your answer.", False),
        ]:
            with self.subTest(rules=rules):
                self.assertEqual(forms.nothing_else(rules), forbidden)


class WordsTest(unittest.TestCase):
    def test_forms_of_a_word_share_a_stem(self):
        for words in (
            ("cancel", "cancelled", "cancels"),
            ("delay", "delayed", "delays"),
            ("stop", "stopped", "stopping"),
            ("city", "cities"),
        ):
            self.assertEqual(len({stem(w) for w in words}), 1, words)

    def test_abbreviations_end_no_sentence(self):
        self.assertEqual(
            sentences("Use e.g. tea. Ask Dr. Ito! Now?"), ["Use e.g. tea.", "Ask Dr. Ito!", "Now?"]
        )
