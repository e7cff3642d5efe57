"""The quick look at an answer's form: what the prompt asks is what is checked."""

import unittest

from nomikon.core.measures.asked_form import check_form
from nomikon.core.prompts import Message

# Prompt, inputs, answers of another form than asked, answers as asked; worded apart from the rules.
ASKED = [
("Pick the label that fits, one of: {{labels}}.\n\nMail: {{mail}}",{"labels":"port, deck, galley","mail":"at most 3 words please"},["engine","It is port.","port, deck"],["port","Galley"]),
("Explain {{topic}} in at most {{n}} words.",{"topic":"tides","n":6},["The tides are caused by the moon and sun."],["The moon pulls the sea."]),
("Summarise in two sentences, without exclamation marks.\n\n{{text}}",{"text":"Use five bullets!"},["One. Two. Three.","Great! It sails.","- a\n- b\n- c\n- d"],["It sails. It waits."]),
("Return JSON with the keys port and eta and nothing else.\n\n{{log}}",{"log":"Reply in prose."},["Here you go: {\"port\": 1, \"eta\": 2}","{\"port\": 1}","port: Brack","```json\n{\"port\":1}\n```"],['{"port": "Brack", "eta": null}']),
("Liste genau drei Häfen auf, einen je Zeile, ohne Punkt am Ende.\n\n{{text}}",{"text":"x"},["Alby\nNorr","Alby.\nNorr.\nBrack."],["Alby\nNorr\nBrack"]),
("Commence par « Bonjour » et réponds en 20 mots au plus.\n\n{{mail}}",{"mail":"y"},["Salut, le bateau part.","Bonjour, "+"mot "*30],["Bonjour, le bateau part à huit heures."]),
("Responde con una sola palabra: sí o no.\n\n{{p}}",{"p":"¿Llueve?"},["Depende del día","tal vez"],["sí","No."]),
("Write a headline of at most 8 words. Never use the word \"shocking\".\n\n{{news}}",{"news":"z"},["Shocking storm hits","A very long headline that goes on for many words indeed"],["Storm closes the harbour"]),
("Answer in German.\n\n{{q}}",{"q":"Where does the ferry go?"},["The ferry goes to the island every morning at eight."],["Die Fähre fährt jeden Morgen um acht zur Insel."]),
("Make a Markdown table with the columns boat and time.\n\n{{l}}",{"l":"k"},["Heron 9:00","| boat | hour |\n|---|---|\n| Heron | 9 |"],["| boat | time |\n|---|---|\n| Heron | 9 |"]),
("Give 3 bullets of at most 5 words each.\n\n{{l}}",{"l":"k"},["- a\n- b","- one two three four five six\n- b\n- c","a, b, c"],["- late boat\n- calm sea\n- new crew"]),
("Shorten it to at most half as long as the text.\n\n{{t}}",{"t":"one two three four five six seven eight nine ten"},["one two three four five six seven eight"],["one two three"]),
]  # fmt: skip


def told(prompt, answer, *more):
    found = check_form([Message("system", prompt), *more], answer)
    return [(c.what, c.ok, c.why) for c in found]


class AskedFormTest(unittest.TestCase):
    def test_json_with_the_keys_that_are_named(self):
        ask = "Reply with one JSON object with the keys place, time and nothing else."
        self.assertEqual(
            told(ask, '{"place": 1, "time": null}'), [("JSON with place, time", True, "")]
        )
        self.assertIn("time", told(ask, '{"place": 1, "mood": 2}')[0][2])
        self.assertEqual(told(ask, "Sure! {}")[0][1], False)
        self.assertEqual(told("Answer in prose, not JSON.", "Yes."), [])

    def test_a_label_of_the_list_alone(self):
        ask = "Answer with one of these labels: late, lost, other."
        self.assertEqual(told(ask, "Lost."), [("one of late, lost, other", True, "")])
        self.assertEqual(told(ask, "It is lost")[0][1], False)

    def test_limits_of_the_whole_and_not_of_a_part(self):
        self.assertEqual(
            told("Write at most 3 words.", "a b c d"),
            [("at most 3 words", False, "4 words, at most 3 allowed")],
        )
        self.assertEqual(told("Write exactly two sentences.", "It sails. It waits.")[0][1], True)
        # Of a part nothing is said of the whole, and where there is no part it fails.
        ask = "Write a list, each item at most 3 words."
        self.assertEqual([c[1] for c in told(ask, "- a b c\n- d e f g")], [False])
        self.assertEqual([c[1] for c in told(ask, "- a b c\n- d e f")], [True])
        self.assertEqual(told("Schreibe höchstens drei Wörter.", "a b c d")[0][1], False)

    def test_wrong_forms_are_seen_and_right_ones_never_marked_wrong(self):
        """Checked on the prompt as filled; what a text that is worked on asks for is nothing to the answer."""
        seen = wrong = 0
        for prompt, inputs, others, right in ASKED:
            for answer in others:
                wrong += 1
                seen += any(not c.ok for c in check_form([Message("user", prompt)], answer, inputs))
            for answer in right:
                found = check_form([Message("user", prompt)], answer, inputs)
                self.assertEqual([(c.what, c.why) for c in found if not c.ok], [], (prompt, answer))
        self.assertGreaterEqual(seen / wrong, 0.9)

    def test_of_several_steps_the_last_one_counts(self):
        first = Message("user", "Outline it in JSON with the keys a, b.", "outline")
        last = Message("user", "Write at most 5 words on {{steps.outline}}", "text")
        self.assertEqual(
            [c[0] for c in told("Be calm.", "One two.", first, last)], ["at most 5 words"]
        )
