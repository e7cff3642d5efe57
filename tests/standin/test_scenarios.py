"""Better prompts score better on most simulated models, in scenarios the rules were not written beside."""

import json
import unittest

from nomikon_standin.answer import BEYOND, Sampling, answer
from nomikon_standin.models import PERSONAS
from tests.standin.scenarios import HELD, WORKED


def said(prompt, persona, text=""):
    asked = [{"role": "user", "content": prompt.replace("{{m}}", text)}]
    return answer(asked, persona, Sampling(temperature=0.0))


def right(kind, got, wanted):
    """The share of what was wanted that an answer gives."""
    if kind == "label":
        return float(got.strip().lower() == wanted.lower())
    try:
        held = json.loads(got)
    except ValueError:
        return 0.0
    return sum(str(held.get(k)).lower() == str(v).lower() for k, v in wanted.items()) / len(wanted)


class ScenariosTest(unittest.TestCase):
    def test_better_prompts_score_better_on_most_models(self):
        for name, cases, worse, better, kind in (*WORKED, *HELD):
            with self.subTest(scenario=name):
                gains = []
                for persona in PERSONAS.values():
                    scores = [
                        sum(right(kind, said(p, persona, m), w) for m, w in cases) / len(cases)
                        for p in (worse, better)
                    ]
                    gains.append(scores[1] - scores[0])
                self.assertGreaterEqual(sum(g > 0.2 for g in gains), 3, gains)


class BeyondTest(unittest.TestCase):
    def test_what_is_not_done_by_rule_says_so(self):
        for prompt in (
            "Why is the sea salty?",
            "You are a kind and patient tutor.\n\nWhat does entropy mean?",
            "Prove that there are infinitely many primes.",
            "Is this poem any good? Judge like a critic.\n\nThe sea, the sea.",
        ):
            for persona in PERSONAS.values():
                with self.subTest(prompt=prompt, persona=persona.name):
                    self.assertEqual(said(prompt, persona), BEYOND)

    def test_what_is_done_by_rule_is_done(self):
        text = "The night boat leaves Skerry at ten. It calls at Holm before dawn. Tea is free."
        for prompt in (f"Summarise in one sentence.\n\n{text}", f"Write a short notice.\n\n{text}"):
            with self.subTest(prompt=prompt):
                self.assertNotIn("beyond me", said(prompt, PERSONAS["standin-boulder"]))
