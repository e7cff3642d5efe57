"""The stand-in as a writer of cases and rubrics, however the request is worded."""

import json
import unittest

from nomikon_standin.answer import Sampling, answer
from nomikon_standin.models import PERSONAS

BOULDER = PERSONAS["standin-boulder"]


def ask(text, persona=BOULDER):
    return json.loads(answer([{"role": "user", "content": text}], persona, Sampling(0.0)))


class CasesTest(unittest.TestCase):
    REQUEST = """\
Please invent five samples for a baker's order desk. Answer in JSON: an object whose key "rows" is \
a list; each entry has "fields" (an object with "order"), "expected" (the right answer) and \
"varies" (the dimension values).

Task:
Read what a customer wants from the bakery and name the goods.

What should vary:
- temper: calm, furious
- spelling: clean, misspelt

Existing samples:
{"fields": {"order": "Two rye loaves for Saturday at 10. No seeds please."}, "expected": "bread"}
{"fields": {"order": "A plum cake for 12 people. It is a birthday."}, "expected": "cake"}"""

    def test_another_scenario_and_wording_gives_as_many_in_the_form_asked_for(self):
        rows = ask(self.REQUEST)["rows"]
        self.assertEqual(len(rows), 5)
        self.assertEqual(set(rows[0]), {"fields", "expected", "varies"})
        self.assertIn(rows[0]["expected"], ("bread", "cake"))
        self.assertEqual({r["varies"]["temper"] for r in rows}, {"calm", "furious"})
        furious = [r["fields"]["order"] for r in rows if r["varies"]["temper"] == "furious"]
        self.assertTrue(all("enough" in t or "eonugh" in t for t in furious), furious)
        self.assertGreater(len({r["fields"]["order"] for r in rows}), 3)

    def test_another_request_gives_other_cases(self):
        other = self.REQUEST.replace("rye loaves", "wheat rolls").replace("plum", "apple")
        self.assertNotEqual(ask(self.REQUEST), ask(other))


class PartsTest(unittest.TestCase):
    def test_numbered_parts_are_ruled_on_by_what_was_given(self):
        text = """\
Please verify which claims the source supports. Say held or not held for each.

Source:
\"\"\"
The baker sold 12 rye loaves to Otto on Friday.
\"\"\"

Claims:
\"\"\"
1. Otto
2. 14 loaves
\"\"\""""
        rows = ask(text)["facts"]
        self.assertEqual([(r["number"], r["held"]) for r in rows], [(1, "held"), (2, "not held")])
        self.assertIn("14", rows[1]["reason"])


class RubricTest(unittest.TestCase):
    def test_criteria_come_from_what_the_job_demands(self):
        rows = ask(
            'Draft 3 criteria. Give JSON: a list under the key "points", each with "title" (few '
            'words), "prompt" (a question) and "grades" (descriptions from worst to best).\n\n'
            "Job:\nWrite a thank-you card. It must name the gift. Never mention the price."
        )["points"]
        self.assertEqual(len(rows), 2)
        self.assertIn("name the gift", rows[0]["prompt"])
        self.assertEqual(len(rows[0]["grades"]), 3)


class PlayedUserTest(unittest.TestCase):
    REQUEST = (
        "Pretend to be a customer of a bakery.\n\nA tired baker's friend who wants to know when the "
        "rye bread is ready.\n\nReply with the word DONE when you have what you came for.\n\n"
        "Conversation up to now:\n"
    )

    def say(self, talk):
        return answer([{"role": "user", "content": self.REQUEST + talk}], BOULDER, Sampling(0.0))

    def test_it_asks_for_what_the_person_wants_and_comes_to_an_end(self):
        first = self.say("(nothing)")
        self.assertEqual(first, "Hello, can you tell me when the rye bread is ready?")
        talk, turns = "", 0
        while turns < 6:
            talk += f"You: {self.say(talk)}\n\nAssistant: At ten.\n\n"
            turns += 1
            if self.say(talk) == "DONE":
                break
        self.assertLess(turns, 5)
        self.assertNotIn("END", talk)


class AmenderTest(unittest.TestCase):
    REQUEST = """\
Improve the prompt below clause by clause. Give JSON: a list under the key "changes", each with \
"what" ("amend", "add" or "strike"), "at" (the number of the clause), "wording" (how it shall \
read), "problem" (the number of the problem) and "why" (one sentence).

Clause 1 (system) You sort orders for a bakery.
Clause 2 (user) Order: {{order}}

Problem 1, in 12 cases: not JSON: Expecting value
- case 1, said: not JSON; wanted: {"goods": "bread", "day": "Monday"}
- case 2, said: not JSON; wanted: {"goods": "cake", "day": null}
- case 3, said: not JSON; wanted: {"goods": "bread", "day": "Friday"}
- case 4, said: not JSON; wanted: {"goods": "cake", "day": null}

Problem 2, in 3 cases: 210 words, at most 60 allowed"""

    def test_each_problem_becomes_a_clause_before_the_input(self):
        rows = ask(self.REQUEST)["changes"]
        told = [r["wording"] for r in rows]
        self.assertIn("goods, day", told[0])
        self.assertIn("goods is one of: bread, cake.", told)
        self.assertIn("Write at most 60 words.", told)
        self.assertEqual({(r["what"], r["at"]) for r in rows}, {("add", 1)})
        self.assertEqual(rows[-1]["problem"], 2)

    def test_without_problems_it_is_no_such_request(self):
        text = self.REQUEST.split("Problem 1")[0]
        told = answer([{"role": "user", "content": text}], BOULDER, Sampling(0.0))
        self.assertNotIn("is one of", told)
