"""The first scorecard: what references and the prompt's rules call for, and no rule twice."""

import unittest

from nomikon.core.measures import read_scorecard
from nomikon.core.measures.first_card import first_card
from nomikon.core.prompts import Message
from nomikon.core.prompts.tenor import read_tenor


class FirstCardTest(unittest.TestCase):
    def proposed(self, prompt, references):
        found = first_card(read_tenor([Message("user", prompt)]), references)
        measures = [dict(p.measure) for p in found]
        if measures:
            named = [{**m, "name": f"m{i}"} for i, m in enumerate(measures)]
            read_scorecard({"nomikon": "scorecard/1", "measures": named})
        return [m["measure"] for m in measures]

    def test_what_references_are_tells_the_measure(self):
        prompt = "Read the letter.\n\n{{letter}}"
        for references, wanted in (
            (["delay", "lost item", "delay", "other", "other", "lost item"], ["normalised-match"]),
            (['{"port": "Brack"}', '{"port": null}', '{"port": "Alby", "eta": 1}'], ["json-fields"]),
            (["3", "17.50", "€ 4"], ["number"]),
            (["Ann Berg", "Tom Lind", "Eva Strand"], ["normalised-match"]),
            (["The boat was late because of fog and nobody was told.", "It rained.", "We sang all day long."],
             ["rouge-l"]),
            (["delay", "other"], []),
            ([], []),
        ):  # fmt: skip
            with self.subTest(references=references):
                self.assertEqual(self.proposed(prompt, references), wanted)

    def test_rules_of_the_prompt_come_after_and_none_twice(self):
        prompt = (
            "Sort the mail as one of: delay, luggage, other. Then say why in at most 12 words, without "
            "exclamation marks.\n\n{{mail}}"
        )
        labels = ["delay", "luggage", "other"] * 4
        # A match with a label fails what is no label: the list itself need not be checked again.
        self.assertEqual(
            self.proposed(prompt, labels), ["normalised-match", "length", "no-characters"]
        )
        self.assertEqual(self.proposed(prompt, []), ["one-of", "length", "no-characters"])


if __name__ == "__main__":
    unittest.main()
