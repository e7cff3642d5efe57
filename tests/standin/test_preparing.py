"""The stand-in as drafter and interviewer, asked in our words and in others, for another scenario."""

import json
import unittest

from nomikon.core.consulting import ROLES
from nomikon.core.prompts.amending import amend_inputs
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.proposals import read_proposals
from nomikon.core.prompts.questions import question_inputs, read_questions
from nomikon.core.prompts.rendering import render
from nomikon.core.prompts.writing import read_written, write_inputs
from nomikon_standin.answer import Sampling, answer
from nomikon_standin.models import PERSONAS

JOB = "A recipe becomes a shopping list for the kitchen. Never name a shop. Reply as JSON."


def said(messages, model="standin-boulder"):
    rows = [m if isinstance(m, dict) else {"role": m.role, "content": m.content} for m in messages]
    return answer(rows, PERSONAS[model], Sampling())


class DrafterTest(unittest.TestCase):
    def test_our_request_gives_clauses_for_what_the_job_says(self):
        facts = f"{JOB}\n\nFacts:\n- Who buys? the apprentice"
        sent = render(ROLES["draft"].messages(), write_inputs(facts, ["recipe", "guests"]))
        found = read_written(said(sent.messages), ["recipe", "guests"])
        self.assertEqual((found.refused, found.repaired), ([], []))
        texts = " | ".join(c.text for c in found.clauses)
        for part in ("Never name a shop.", "Reply as JSON.", "apprentice", "{{recipe}}"):
            self.assertIn(part, texts)

    def test_a_job_in_one_line_gets_what_it_takes_by_its_own_words(self):
        job = "A guest’s note becomes one of praise, complaint or other, for the desk"
        sent = render(ROLES["draft"].messages(), write_inputs(job, []))
        found = read_written(said(sent.messages), [])
        self.assertEqual((found.refused, found.repaired), ([], []))
        parts = [c.part for c in found.clauses]
        self.assertEqual(parts, ["role", "task", "limits", "limits", "format", "input"])
        self.assertIn("praise, complaint, other", found.clauses[1].text)
        self.assertIn("{{note}}", found.clauses[-1].text)

    def test_other_words_and_other_keys(self):
        asked = (
            "Compose the instructions a model will get, clause by clause.\n\n"
            'Return JSON: a list under "rules" of objects with "message" (system or user), '
            '"kind" (what the clause is for), "wording" and "because" (the reason).\n\n'
            f"The task: {JOB}\n\nWhat comes in: {{{{recipe}}}}"
        )
        rows = json.loads(said([{"role": "user", "content": asked}]))["rules"]
        self.assertEqual(set(rows[0]), {"message", "kind", "wording", "because"})
        self.assertEqual(rows[-1]["wording"], 'Recipe:\n"""\n{{recipe}}\n"""')
        self.assertEqual(rows[-1]["message"], "user")


class InterviewerTest(unittest.TestCase):
    def test_it_asks_what_is_open_and_not_what_the_job_says(self):
        sent = render(ROLES["questions"].messages(), question_inputs(JOB, [], ()))
        found = read_questions(said(sent.messages), "standin-boulder")
        self.assertEqual(found.refused, [])
        texts = " ".join(q.text for q in found.questions)
        self.assertIn("misspelt", texts)
        self.assertNotIn("never", texts)
        self.assertTrue(all(q.answers for q in found.questions))

    def test_a_weak_model_thinks_of_fewer_and_other_words_are_understood(self):
        asked = (
            "Interview the author: find out what the job leaves unclear.\n\n"
            'Give a JSON array of objects with the keys "question", "reason", '
            '"options" (a list) and "sentence" (the rule).\n\nThe job: A recipe becomes a list.'
        )
        many = json.loads(said([{"role": "user", "content": asked}]))
        few = json.loads(said([{"role": "user", "content": asked}], "standin-pebble"))
        self.assertLess(len(few), len(many))
        self.assertIsInstance(many[0]["options"], list)
        self.assertIn("{answer}", many[0]["sentence"])


class TrimmerTest(unittest.TestCase):
    CLAUSES = (
        "§1 (system) Please make sure that you sort the recipe.\n"
        "§2 (system) Name the ingredients in order of use.\n"
        "§3 (system) In the order of use name the ingredients.\n"
        "§4 (system) Thank you very much.\n"
        "§5 (user) Recipe: {{recipe}}"
    )

    def test_courtesy_and_repetition_go_and_the_rest_shrinks(self):
        messages = (
            Message("system", "Please make sure that you sort the recipe."),
            Message("system", "Name the ingredients in order of use."),
            Message("system", "In the order of use name the ingredients."),
            Message("system", "Thank you very much."),
            Message("user", "Recipe: {{recipe}}"),
        )
        sent = render(ROLES["shorter"].messages(), amend_inputs(messages, [], "Recipes."))
        found = read_proposals(said(sent.messages), messages, 0)
        self.assertEqual(found.refused, [])
        self.assertEqual(
            [(p.kind, p.clause, p.text) for p in found.proposals],
            [("amend", 1, "Sort the recipe."), ("strike", 3, ""), ("strike", 4, "")],
        )

    def test_other_words(self):
        asked = (
            'Condense this prompt. Give a JSON list of objects with "what" (amend or strike), '
            f'"number" (of the clause), "wording" and "why".\n\n{self.CLAUSES}'
        )
        rows = json.loads(said([{"role": "user", "content": asked}]))
        self.assertEqual([r["number"] for r in rows], [1, 3, 4])
        self.assertEqual(set(rows[0]), {"what", "number", "wording", "why"})


if __name__ == "__main__":
    unittest.main()
