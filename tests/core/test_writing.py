"""First versions and open questions: replies read strictly, what is open told by rule, clauses placed."""

import json
import unittest

from nomikon.core.consulting import ROLES
from nomikon.core.errors import PromptError
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.proposals import apply_proposals, check_proposal
from nomikon.core.prompts.questions import (
    clause_of,
    open_questions,
    place_for,
    proposed_for,
    question_inputs,
    read_questions,
)
from nomikon.core.prompts.rendering import render
from nomikon.core.prompts.writing import as_messages, read_written, write_inputs


def written(*rows):
    return json.dumps({"clauses": [{"reason": "The job says so.", **r} for r in rows]})


class WritingTest(unittest.TestCase):
    def test_clauses_become_messages_with_a_blank_line_between_parts(self):
        found = read_written(
            written(
                {"role": "system", "part": "role", "text": "You sort letters."},
                {"role": "system", "part": "limits", "text": "Never guess."},
                {"role": "system", "part": "limits", "text": "One word."},
                {"role": "user", "part": "input", "text": "Letter: {{letter}}"},
            ),
            ["letter"],
        )
        self.assertEqual(
            as_messages(found.clauses),
            (
                Message("system", "You sort letters.\n\nNever guess.\nOne word."),
                Message("user", "Letter: {{letter}}"),
            ),
        )
        self.assertEqual((found.refused, found.repaired), ([], []))

    def test_what_cannot_stand_is_refused_and_a_forgotten_input_is_put_in(self):
        found = read_written(
            written(
                {"role": "system", "part": "task", "text": "Sort {{colour}}."},
                {"role": "system", "part": "examples", "text": "```\nopen"},
                {"role": "system", "part": "task", "text": " "},
                {"role": "system", "part": "task", "text": {"de": "Sortiere.", "fr": "Trie."}},
                {"role": "system", "part": "nonsense", "text": "Sort {{letter}}."},
            ),
            ["letter", "date_sent"],
        )
        self.assertEqual([place for place, _ in found.refused], [1, 2, 3, 4])
        self.assertIn("colour, which no case fills", found.refused[0][1])
        # An input belongs to the user's message whatever the reply says.
        self.assertEqual((found.clauses[0].role, found.clauses[0].part), ("user", "task"))
        self.assertEqual(found.clauses[1].text, "Date sent: {{date_sent}}")
        self.assertEqual(len(found.repaired), 1)

    def test_what_the_job_leaves_open_comes_as_questions_beside_the_clauses(self):
        clause = {"role": "user", "part": "input", "text": "Letter: {{letter}}"}
        asked = {"question": "Who reads it?", "why": "Words differ.", "answers": ["staff", "all"],
                 "clause": "Write for {answer}."}  # fmt: skip
        for key, rows, found in (
            ("open", [asked], ["Who reads it?"]),
            ("open_points", ["How long may it be?", "no question"], ["How long may it be?"]),
            ("open", [asked, asked], ["Who reads it?"]),
            ("open", [], []),
            ("notes", [asked], []),
            ("open", "nothing", []),
        ):
            reply = json.dumps({"clauses": [clause], key: rows})
            with self.subTest(reply=reply):
                read = read_written(reply, ["letter"], "m")
                self.assertEqual([q.text for q in read.open], found)
                self.assertEqual(len(read.clauses), 1)
        # A clause that asks is no question of the writer, and what was asked before is not asked again.
        reply = written({"role": "system", "part": "task", "text": "Which letter is it?"}, clause)
        self.assertEqual(read_written(reply, ["letter"]).open, [])
        reply = json.dumps({"clauses": [clause], "open": [asked]})
        self.assertEqual(read_written(reply, ["letter"], "m", ["Who reads it?"]).open, [])

    def test_a_reply_that_is_none(self):
        for reply in ("I would rather chat.", "{}", '{"clauses": []}', '{"clauses": [1, "x"]}'):
            with self.subTest(reply=reply), self.assertRaises(PromptError):
                read_written(reply, ["letter"])

    def test_the_request_names_every_input_as_it_is_to_be_written(self):
        sent = render(ROLES["draft"].messages(), write_inputs("Sort letters.", ["letter", "date"]))
        self.assertIn("- {{letter}}\n- {{date}}", sent.messages[1].content)
        self.assertEqual((sent.missing, sent.unused), ([], []))


class QuestionTest(unittest.TestCase):
    def keys(self, job, task="write", prompt=""):
        return [q.key for q in open_questions(job, task, [Message("user", prompt)])]

    def test_what_job_or_prompt_settles_is_not_asked(self):
        bare = self.keys("A letter becomes an answer.")
        self.assertIn("length", bare)
        self.assertIn("tone", bare)
        self.assertIn("forbidden", bare)
        told = self.keys(
            "A letter becomes an answer to the customers, in English.",
            prompt="At most 80 words of plain text, in a warm tone. Never promise money. "
            "If it is about something else, say so.",
        )
        self.assertEqual(told, [])

    def test_a_question_that_does_not_arise_for_the_task_is_not_asked(self):
        self.assertIn("several", self.keys("Sort letters.", "classify"))
        self.assertNotIn("several", self.keys("Sort letters.", "write"))
        self.assertNotIn("tone", self.keys("Sort letters.", "classify"))
        self.assertEqual(self.keys(""), [])

    def test_every_rule_asks_with_answers_that_make_a_clause(self):
        asked = {q.key: q for t in ("write", "classify") for q in open_questions("Do it.", t, [])}
        self.assertGreaterEqual(len(asked), 9)
        for question in asked.values():
            for answer in question.answers:
                for language in ("en", "de", "fr", "es"):
                    clause = clause_of(question, answer, language)
                    self.assertTrue(clause.endswith((".", "”.", "“.")), clause)
                    # It says what is meant without the question beside it.
                    self.assertNotRegex(clause, r"\{answer\}")
            self.assertIn("my own words", clause_of(question, "my own words", "de"))

    def test_an_answer_settles_its_own_question(self):
        # Taken into the text, it must not be asked again.
        messages = (Message("user", "Write to them about this: {{letter}}"),)
        for question in open_questions("A letter becomes a reply.", "write", messages):
            made = proposed_for(question, question.answers[0], messages)
            check_proposal(made, messages)
            after = apply_proposals(messages, [made])
            keys = [q.key for q in open_questions("A letter becomes a reply.", "write", after)]
            self.assertNotIn(question.key, keys)

    def test_it_is_so_in_every_language(self):
        for text in (
            "Schreib dem Gast eine Antwort auf den Brief.\n\n{{letter}}",
            "Rédige une réponse au client qui nous a écrit.\n\n{{letter}}",
            "Escribe una respuesta al cliente que nos ha escrito.\n\n{{letter}}",
        ):
            messages = (Message("user", text),)
            asked = open_questions("", "write", messages)
            self.assertGreaterEqual(len(asked), 6, text)
            for question in asked:
                for answer in question.answers:
                    after = apply_proposals(messages, [proposed_for(question, answer, messages)])
                    keys = [q.key for q in open_questions("", "write", after)]
                    with self.subTest(text=text[:20], answer=answer):
                        self.assertNotIn(question.key, keys)

    def test_a_clause_is_placed_before_the_input_and_never_between_its_label_and_it(self):
        messages = (
            Message("system", "You answer.\nBe brief."),
            Message("user", "Here it comes.\n\nLetter:\n{{letter}}\n\nThank you."),
        )
        made = proposed_for(open_questions("Job.", "write", [])[0], "my aunt", messages)
        after = apply_proposals(messages, [made])[1].content
        self.assertLess(after.index("my aunt"), after.index("Letter:"))
        self.assertIn("Letter:\n{{letter}}", after)
        self.assertEqual(place_for((Message("user", "{{letter}}"),)), 0)

    def test_answers_that_are_none(self):
        question = open_questions("Job.", "write", [])[0]
        for answer in ("", "  ", "x" * 1001, "{{letter}}"):
            with self.subTest(answer=answer[:10]), self.assertRaises(PromptError) as caught:
                clause_of(question, answer)
            self.assertEqual(caught.exception.field, "answer")

    def test_a_models_questions_are_read_once_each(self):
        reply = json.dumps(
            {
                "questions": [
                    {
                        "question": "Who signs?",
                        "why": "Nobody does.",
                        "answers": ["the desk", "", 3],
                        "clause": "Sign as {answer}",
                    },
                    {"question": "who SIGNS", "answers": []},
                    {"question": "When is it due?", "answers": "soon", "clause": "no hole"},
                    {"question": ""},
                    "x",
                    {"question": "How long?"},
                ]
            }
        )
        found = read_questions(reply, "some model", ["How long may it be?", "How long"])
        self.assertEqual([q.text for q in found.questions], ["Who signs?", "When is it due?"])
        self.assertEqual([place for place, _ in found.refused], [2, 4, 5, 6])
        first, second = found.questions
        self.assertEqual(first.answers, ("the desk", "3"))
        self.assertEqual(clause_of(first, "the desk"), "Sign as the desk.")
        self.assertEqual(clause_of(second, "Monday"), "When is it due: Monday.")
        with self.assertRaises(PromptError):
            read_questions("no", "m")

    def test_the_request_tells_what_is_settled(self):
        sent = render(
            ROLES["questions"].messages(), question_inputs("Job.", [("How long?", "short")], ())
        )
        self.assertIn("- How long? short", sent.messages[1].content)
        # The hole for the answer is the model's to write, not ours to fill.
        self.assertIn("{answer}", sent.messages[0].content)


if __name__ == "__main__":
    unittest.main()
