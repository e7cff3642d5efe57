"""Replies as real models send them, read by every helping role; what cannot be read is refused."""

import json
import unittest
from dataclasses import replace

from nomikon.core.consulting.roles import Subject, UnreadableReplyError, read_reply
from nomikon.core.measures.rubric import Criterion
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.writing import FORM
from nomikon.core.replies import ReplyError, find_json
from tests.core.reply_habits import HELD, WORKED, plain

VERSION = (
    Message(
        "system",
        "You answer letters from the guests of a small hotel.\n"
        "Keep to three sentences.\nNever promise a refund.\nSign with the name of the house.",
    ),
    Message("user", "Letter: {{letter}}\nRoom: {{room}}"),
)
SUBJECT = Subject(
    messages=VERSION,
    columns=("letter", "room"),
    faults=3,
    criteria=(
        Criterion("warmth", "Does it sound kind?", ("cold", "correct", "kind")),
        Criterion("plain words", "Would a guest follow it?", ("no", "partly", "yes")),
    ),
)
DRAFT = {
    "clauses": [
        {"role": "system", "part": "role", "text": "You answer letters from hotel guests.", "reason": "The job says so."},
        {"role": "system", "part": "limits", "text": "Never promise money, whatever the guest asks.", "reason": "It is named."},
        {"role": "user", "part": "input", "text": "Letter: {{letter}}\nRoom: {{room}}", "reason": "Both inputs."},
    ]
}  # fmt: skip
QUESTIONS = {
    "questions": [
        {"question": "Who signs the letter in the end?", "why": "Guests write back to a name.", "answers": ["the house", "the manager"], "clause": "Sign as {answer}."},
        {"question": "May it offer another date to the guest?", "why": "Some ask.", "answers": ["yes", "no"], "clause": "Offering another date: {answer}."},
    ]
}  # fmt: skip
CASES = {
    "cases": [
        {"inputs": {"letter": "The shower was cold all week, and nobody came.", "room": "12"}, "reference": None, "dimensions": {"mood": "cross"}},
        {"inputs": {"letter": "We loved the breakfast with the view of the bay.", "room": "3"}, "reference": "Thank you for your kind letter.", "dimensions": {}},
    ]
}  # fmt: skip
AMENDMENTS = {
    "amendments": [
        {"kind": "amend", "clause": 2, "text": "Keep to two sentences and no more than that.", "fault": 1, "reason": "Answers were long."},
        {"kind": "add", "clause": 3, "text": "Say sorry once where something went wrong.", "fault": 2, "reason": "It was missing."},
        {"kind": "strike", "clause": 4, "text": "", "fault": 3, "reason": "The house signs by itself."},
    ]
}  # fmt: skip
SHORTER = {
    "amendments": [
        {"kind": "amend", "clause": 1, "text": "You answer hotel guests' letters.", "reason": "Nothing is lost by it."},
        {"kind": "strike", "clause": 4, "text": "", "reason": "It is done elsewhere anyway."},
    ]
}  # fmt: skip
RUBRIC = {
    "criteria": [
        {"name": "warmth", "asks": "Does the answer sound kind to the guest?", "levels": ["cold", "correct", "kind"], "weight": 2},
        {"name": "promises", "asks": "Does it keep to what the house can do?", "levels": ["promises money", "is vague", "keeps to it"], "weight": 1},
    ]
}  # fmt: skip
JUDGED = {
    "judgements": [
        {"criterion": "warmth", "level": 3, "reason": "It thanks the guest by name."},
        {"criterion": "plain words", "level": 2, "reason": "One word is stiff."},
    ]
}
GOOD = {
    "draft": (DRAFT, 3), "questions": (QUESTIONS, 2), "cases": (CASES, 2), "amendments": (AMENDMENTS, 3),
    "adapt": (AMENDMENTS, 3), "shorter": (SHORTER, 2), "rubric": (RUBRIC, 2), "rubric-judge": (JUDGED, 2),
}  # fmt: skip


def read(role, reply, subject=SUBJECT):
    return read_reply(role, reply, subject)


class HabitsTest(unittest.TestCase):
    def read_rightly(self, habits):
        for role, (value, items) in GOOD.items():
            wanted = read(role, plain(value))
            self.assertEqual(wanted.items, items, role)
            for name, habit in habits:
                with self.subTest(role=role, habit=name):
                    found = read(role, habit(value))
                    self.assertEqual(found.refused, [])
                    self.assertEqual(found.items, items)
                    if "line breaks" not in name:
                        self.assertEqual(_bare(found.value), _bare(wanted.value))

    def test_habits_the_reader_was_mended_by(self):
        self.read_rightly(WORKED)

    def test_habits_that_were_held_aside(self):
        self.read_rightly(HELD)

    def test_what_was_done_is_told(self):
        found = read("amendments", WORKED[2][1](AMENDMENTS))
        self.assertIn("words beside it", found.passed_over[0])
        found = read("amendments", _commas(AMENDMENTS))
        self.assertEqual(found.repaired, ["a comma too many"])
        self.assertEqual(read("amendments", plain(AMENDMENTS)).repaired, [])


_commas = dict(WORKED)["trailing commas"]


def _bare(value):
    """Without what tells how it was repaired."""
    if isinstance(value, list):
        return [_bare(v) for v in value]
    if isinstance(value, dict):
        return {k: v for k, v in value.items() if k != "repaired"}
    return value


class RefusedTest(unittest.TestCase):
    def refused(self, role, reply, *words, subject=SUBJECT):
        with self.assertRaises(UnreadableReplyError) as caught:
            read(role, reply, subject)
        for word in words:
            self.assertIn(word, caught.exception.message)
        # Never in a parser's words.
        self.assertNotRegex(caught.exception.message, r"Expecting|char \d|column \d+ \(")

    def test_a_cut_reply_is_never_completed(self):
        for role, (value, _) in GOOD.items():
            text = plain(value)
            for share in (0.4, 0.6, 0.9):
                with self.subTest(role=role, share=share):
                    self.refused(role, text[: int(len(text) * share)], "cut")
            self.refused(role, f"```json\n{text[: len(text) // 2]}", "cut")

    def test_refusals_prose_and_nothing(self):
        for role in GOOD:
            with self.subTest(role=role):
                self.refused(role, "I'm sorry, but I can't help with that.")
                self.refused(role, "That depends on many things. What would you like first?")
                self.refused(role, "  \n ")
        self.refused("amendments", "I'm sorry, but I can't help with that.", "declined")
        self.refused("alike", "I cannot assist with this request.")

    def test_answers_that_differ_are_not_chosen_from(self):
        other = {"amendments": [{**AMENDMENTS["amendments"][0], "text": "Keep to one sentence."}]}
        self.refused("amendments", f"{plain(AMENDMENTS)}\n\nor\n\n{plain(other)}", "differ")

    def test_a_model_that_repeats_what_it_was_asked(self):
        self.refused("draft", f"{FORM}\n\nJob:\nAnswer letters.\n\nInputs:\n- {{{{letter}}}}")
        echo = "Job:\nAnswer letters.\n\nClauses of the prompt:\n" + "\n".join(
            f"§{n} (system) {line}" for n, line in enumerate(VERSION[0].content.split("\n"), 1)
        )
        self.refused("amendments", f"{echo}\n§5 (user) Letter: {{{{letter}}}}")
        shown = {"letter": "Too cold.", "room": "1"}
        subject = replace(SUBJECT, existing=(shown,))
        self.refused(
            "cases", json.dumps([{"inputs": shown, "reference": None}]), "repeated", subject=subject
        )

    def test_a_huge_reply(self):
        self.refused(
            "cases", '{"cases": [' + '{"inputs": {"letter": "x"}},' * 200_000 + "]}", "characters"
        )

    def test_clauses_of_another_prompt(self):
        rows = [{"kind": "amend", "clause": 40, "text": "Be brief.", "reason": "Shorter."}]
        found = read("amendments", plain({"amendments": rows}))
        self.assertEqual((found.items, found.refused[0][0]), (0, 1))
        self.assertIn("§40", found.refused[0][1])
        elsewhere = "You sort parcels by size.\n\nPut each on its shelf.\n\nParcel: {{parcel}}"
        self.refused("amendments", elsewhere)


class WordingTest(unittest.TestCase):
    def test_numbers_kinds_and_clauses_however_they_are_put(self):
        rows = [
            {"Type": "Replace", "Clause": "§2", "New text": "Keep to two sentences.", "Why": "Long."},
            {"type": "insert", "clause": "after clause 3".split()[-1], "text": "Say sorry once.", "reason": "x"},
            {"action": "delete", "clause_number": "four", "reason": "Needless."},
        ]  # fmt: skip
        found = read("amendments", json.dumps(rows))
        self.assertEqual(
            [(p["kind"], p["clause"]) for p in found.value],
            [("amend", 2), ("add", 3), ("strike", 4)],
        )

    def test_missing_optional_keys(self):
        found = read("amendments", '{"amendments": [{"kind": "strike", "clause": 4.0}]}')
        self.assertEqual((found.items, found.repaired), (1, ["a reason was missing"]))
        found = read("questions", '{"questions": [{"question": "Who signs it?"}]}')
        self.assertIn("{answer}", found.value[0]["clause"])

    def test_single_braces_become_holes(self):
        reply = plain(DRAFT).replace("{{letter}}", "{letter}")
        found = read("draft", reply)
        self.assertIn("{{letter}}", found.value[2]["text"])
        self.assertIn("single braces around letter were doubled", found.repaired)

    def test_a_whole_prompt_in_place_of_changes(self):
        whole = (
            "Here is the improved prompt:\n\n```\nYou answer letters from the guests of a small hotel.\n"
            "Keep to two sentences.\nNever promise a refund.\nSay sorry once where something went wrong.\n"
            "Sign with the name of the house.\n\nLetter: {{letter}}\nRoom: {room}\n```"
        )
        found = read("amendments", whole)
        self.assertEqual(
            [(p["kind"], p["clause"]) for p in found.value], [("amend", 2), ("add", 3)]
        )
        self.assertIn("a whole prompt came back", found.repaired[0])
        same = json.dumps({"prompt": "\n\n".join(m.content for m in VERSION)})
        self.assertEqual(read("amendments", same).items, 0)

    def test_a_first_version_as_a_text(self):
        found = read("draft", "You answer letters.\n\nLetter: {{letter}}\nRoom: {{room}}")
        self.assertEqual([c["role"] for c in found.value][-1], "user")
        self.assertIn("whole prompt", found.repaired[0])

    def test_lists_in_words(self):
        found = read("questions", "1. Who signs the letter?\n2. May it name a price?\n")
        self.assertEqual(
            [q["text"] for q in found.value], ["Who signs the letter?", "May it name a price?"]
        )
        words = "1. Kind: amend\n   Clause: 2\n   Text: Keep to one sentence.\n   Reason: Shorter.\n2. **Kind:** strike\n   **Clause:** 4\n   **Reason:** Needless."
        found = read("amendments", words)
        self.assertEqual(
            [(p["kind"], p["clause"], p["text"]) for p in found.value],
            [("amend", 2, "Keep to one sentence."), ("strike", 4, "")],
        )

    def test_one_like_these_without_what_stands_around_it(self):
        text = "You sort letters.\n\nLetter: {{letter}}"
        for reply in (
            text,
            f"```\n{text}\n```",
            f"Here is the new prompt:\n\n{text}",
            f"Sure! Here is one:\n```text\n{text}\n```\nHope this helps!",
            f"<think>short</think>\n{text}\n\nLet me know if you want it longer.",
        ):
            with self.subTest(reply=reply):
                self.assertEqual(read("alike", reply).value, text)
        inner = (
            "Answer like this:\n\n```json\n{}\n```\n\nLetter: {{letter}}\n" + "More to keep. " * 90
        )
        self.assertIn("Answer like this", read("alike", inner).value)


class JudgesTest(unittest.TestCase):
    def levels(self, reply):
        return {r["name"]: r["level"] for r in read("rubric-judge", reply).value}

    def test_levels_however_they_are_written(self):
        for warmth in (3, "3", 3.0, "3/3", "three", "Level 3", "3 (kind)", "kind", "3 of 3"):
            with self.subTest(warmth=warmth):
                reply = json.dumps(
                    {
                        "warmth": {"level": warmth, "reason": "x"},
                        "Plain Words": {"score": 2, "why": "y"},
                    }
                )
                self.assertEqual(self.levels(reply), {"warmth": 3, "plain words": 2})

    def test_what_is_unclear_is_no_judgement(self):
        good = {"warmth": {"level": 3, "reason": "x"}, "plain words": {"level": 2, "reason": "y"}}
        for spoiled in (
            {**good, "warmth": {"level": 4, "reason": "x"}},
            {**good, "warmth": {"level": "2 or 3", "reason": "x"}},
            {**good, "warmth": {"level": "2-3", "reason": "x"}},
            {**good, "warmth": {"level": 2.5, "reason": "x"}},
            {**good, "warmth": {"level": "3/5", "reason": "x"}},
            {**good, "warmth": {"level": None, "reason": "x"}},
            {"warmth": good["warmth"]},
            {**good, "colour": {"level": 1, "reason": "z"}},
            [{"criterion": "warmth", **good["warmth"]}, {"criterion": "warmth", "level": 1, "reason": "z"},
             {"criterion": "plain words", **good["plain words"]}],
        ):  # fmt: skip
            with self.subTest(spoiled=spoiled), self.assertRaises(UnreadableReplyError):
                self.levels(json.dumps(spoiled))
        for reply in (
            "Warmth is 3 and plain words is 2, I would say.",
            f"{json.dumps(good)}\n\n{json.dumps({**good, 'warmth': {'level': 1, 'reason': 'z'}})}",
            f"{json.dumps(good)}\n\nWait, warmth should be 1 after all.",
            json.dumps(good)[:-20],
        ):
            with self.subTest(reply=reply), self.assertRaises(UnreadableReplyError):
                self.levels(reply)

    def test_choices(self):
        for said, better in (
            ('{"better": "first", "reason": "x"}', "first"),
            ('```json\n{"Better": "Second", "Reason": "x"}\n```', "second"),
            ('I think so:\n{"winner": "tie", "reason": "x"}', "neither"),
            ('{"result": {"better": 2, "reason": "x"}}', "second"),
        ):
            with self.subTest(said=said):
                self.assertEqual(read("preference-judge", said).value["better"], better)
        for said in (
            '{"better": "first or second", "reason": "x"}',
            '{"better": "first"} {"better": "second"}',
            '{"better": true}',
            "The first one is better.",
        ):
            with self.subTest(said=said), self.assertRaises(UnreadableReplyError):
                read("preference-judge", said)

    def test_rulings(self):
        for said, holds in (
            ('{"precedent": {"level": 2, "reason": "x"}}', True),
            ('{"precedent": {"level": "no", "reason": "x"}}', False),
            ('{"level": "yes", "reason": "x"}', True),
        ):
            with self.subTest(said=said):
                self.assertEqual(read("precedent-judge", said).value["holds"], holds)


class UserTest(unittest.TestCase):
    def test_what_a_played_user_says(self):
        for reply, text, ended in (
            ("When does it sail?", "When does it sail?", False),
            ('"When does it sail?"', "When does it sail?", False),
            ("User: When does it sail?", "When does it sail?", False),
            (
                "**Customer:** When does it sail?\n\nAssistant: At nine.",
                "When does it sail?",
                False,
            ),
            ("<think>ask for the time</think>When does it sail?", "When does it sail?", False),
            ("END", "", True),
            ("**END**", "", True),
            ("[END].", "", True),
            ('User: "END"', "", True),
            ("<think>all done</think>\nEnd", "", True),
            ("Thank you, that is all.\n\nEND", "Thank you, that is all.", True),
            ("In the end we took the train.", "In the end we took the train.", False),
        ):
            with self.subTest(reply=reply):
                found = read("user", reply)
                self.assertEqual((found.value, found.ended), (text, ended))


class FindingTest(unittest.TestCase):
    def test_nothing_is_left_out_by_a_repair(self):
        for text in (
            '{"a": "one" and two, "b": 3}',
            '{"a": 1 2 3}',
            '{"a": "x", "a long text without a key", "b": 2}',
        ):
            with self.subTest(text=text):
                try:
                    kept = json.dumps(find_json(text).value)
                except ReplyError:
                    continue
                for word in ("two", "2", "without"):
                    if word in text:
                        self.assertIn(word, kept)

    def test_quotation_marks_within_texts(self):
        found = find_json('{"text": "Say "hello" first, then go on", "n": 1}')
        self.assertEqual(found.value, {"text": 'Say "hello" first, then go on', "n": 1})

    def test_braces_in_words_are_no_json(self):
        with self.assertRaises(ReplyError):
            find_json("Fill in {{name}} and [see below], please.")
