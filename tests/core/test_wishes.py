"""Wishes by rule: the clause that holds the old rule changes, nothing else does, and what is vague is told."""

import json
import tempfile
import unittest
from pathlib import Path

from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from nomikon.cli import cli
from nomikon.core.errors import PromptError
from nomikon.core.prompts import Message, placeholder_names
from nomikon.core.prompts.evidence import Fault, Remark
from nomikon.core.prompts.files import parse_prompt_file
from nomikon.core.prompts.mending import propose_by_rule
from nomikon.core.prompts.proposals import apply_proposals
from nomikon.core.prompts.wishes import grant_wishes
from tests.core.wish_set.working import WORKING

PROMPTS = Path(__file__).parents[1] / "prompts"

REPLY = "Write a reply to the guest in at most 90 words. Never promise a refund.\n\n{{mail}}"
WORDS = st.sampled_from(
    "at most 3 words sentences bullets JSON keys label add remove other delay not tone formal in "
    "German each the {{mail}} {{new}} höchstens Wörter sans phrases exactly , : . - or refund".split()
)


def granted(text, *wishes):
    messages = [Message("user", text)]
    done = grant_wishes(messages, wishes)
    return done, apply_proposals(messages, done.proposals)[0].content


class WishTest(unittest.TestCase):
    def test_a_part_of_a_wish_that_no_rule_reads_is_told(self):
        cases = [
            ("at most 30 words and sound like an old captain", ["30 words"], "sound like an old captain"),
            ("never mention prices, at most 30 words", ["Never mention prices.", "30 words"], ""),
            ("höchstens 30 Wörter, und er soll nach Meer klingen", ["30 words"], "er soll nach Meer klingen"),
            ("answer in French, but keep ship names in English", ["French"], "keep ship names in English"),
            ("Start with the guest's name. Make it sing.", ["Start with the guest's name."], "Make it sing."),
            ("between 10 and 20 words", ["10", "20 words"], ""),
            ("at most 30 words and nothing else", ["30 words"], ""),
        ]  # fmt: skip
        for wish, held, left in cases:
            with self.subTest(wish=wish):
                done, after = granted(REPLY, "be formal", wish)
                for piece in held:
                    self.assertIn(piece, after)
                told = [(n, why.partition(": ")[2]) for n, why in done.unmet]
                self.assertEqual(told, [(2, f"“{left}”")] if left else [])
                # A proposal tells the wish it grants, not the part.
                self.assertTrue(all(n in (1, 2) for own in done.wishes.values() for n in own))
                self.assertEqual(done.met, [])

    def test_each_wish_changes_what_it_speaks_of(self):
        for text, wish, held, gone in WORKING:
            with self.subTest(wish=wish, text=text[:40]):
                done, after = granted(text, wish)
                if held is None:
                    self.assertEqual((done.proposals, len(done.unmet)), ([], 1))
                    self.assertEqual(after, text)
                    continue
                self.assertEqual(done.unmet, [])
                self.assertEqual(bool(done.proposals), bool(held), after)
                for piece in held:
                    self.assertIn(piece, after)
                for piece in gone:
                    self.assertNotIn(piece, after)

    def test_two_wishes_for_one_clause_are_one_amendment_that_names_both(self):
        done, after = granted(REPLY.replace("the guest", "the guest in English"),
                              "in Spanish", "max 40 words", "nicer")  # fmt: skip
        (found,) = done.proposals
        self.assertEqual(done.wishes[found.id], (1, 2))
        self.assertIn("Wished: in Spanish Wished: max 40 words", found.reason)
        self.assertEqual([place for place, _ in done.unmet], [3])
        self.assertIn("the guest in Spanish in at most 40 words. Never promise a refund.", after)
        done, after = granted("Answer the guest.\n\n{{mail}}", "in Spanish", "answer in Spanish")
        self.assertEqual((len(done.proposals), after.count("Spanish")), (1, 1))
        # The same words cannot become two things.
        done, _ = granted(REPLY, "max 40 words", "max 50 words")
        self.assertEqual([place for place, _ in done.unmet], [2])

    def test_what_goes(self):
        for wish, gone in (("drop the rule about refunds", "refund"), ("no examples", "hat")):
            text = REPLY + "\n\nInput: A hat?\nOutput: Yes.\n\nInput: A cap?\nOutput: No."
            self.assertNotIn(gone, granted(text, wish)[1].replace(wish, ""))
        done, _ = granted(REPLY, "remove the word limit")
        self.assertIn("change that clause by hand", done.unmet[0][1])
        done, _ = granted(
            REPLY, "translate the prompt to German", "twice as long", "no JSON any more"
        )
        self.assertEqual([place for place, _ in done.unmet], [1, 2, 3])

    def test_a_rule_about_an_input_is_a_rule_and_not_only_its_use(self):
        for wish in ("Greet {{guest_name}} by name.", "Mention {{mail}} only in the last sentence"):
            done, after = granted(REPLY, wish)
            self.assertEqual([p.kind for p in done.proposals], ["add"])
            self.assertIn(wish.rstrip("."), after)
        # Where the use is all that is wished for, it is an input like the others, and only once.
        done, after = granted(REPLY, "it needs {{guest_name}} too")
        self.assertTrue(after.endswith("\n\nGuest name: {{guest_name}}"), after)
        self.assertEqual(granted(after, "use {{guest_name}} as well")[0].met, [1])

    def test_no_rule_is_taken_over_in_another_language(self):
        done, after = granted("Schreib dem Gast eine Antwort.\n\n{{mail}}", "never mention prices")
        self.assertIn("another language", done.unmet[0][1])
        self.assertNotIn("prices", after)

    def test_wishes_that_are_none(self):
        for wishes in ([], [" "], ["x" * 501], ["a"] * 21):
            with self.subTest(n=len(wishes)), self.assertRaises(PromptError):
                grant_wishes([Message("user", REPLY)], wishes)

    @given(st.lists(WORDS, min_size=1, max_size=9).map(" ".join))
    def test_whatever_is_wished_the_prompt_stays_one(self, wish):
        done, after = granted(REPLY, wish)
        self.assertIn("mail", placeholder_names([Message("user", after)]))
        accounted = {p for places in done.wishes.values() for p in places}
        accounted |= {*done.met, *(p for p, _ in done.unmet)}
        self.assertEqual(accounted, {1})

    def test_a_wish_that_is_taken_is_granted_in_prompts_of_every_manner(self):
        """The prompts with known flaws, whatever they say: nothing is lost, and nothing asked twice."""
        for file in sorted(PROMPTS.glob("*.md"))[::3]:
            messages = parse_prompt_file(file.read_text(encoding="utf-8")).messages
            for wish in ("at most 23 words", "use {{extra}} too", "keep it formal"):
                with self.subTest(file=file.name, wish=wish):
                    done = grant_wishes(messages, [wish])
                    after = apply_proposals(messages, done.proposals)
                    self.assertLessEqual(
                        set(placeholder_names(messages)), set(placeholder_names(after))
                    )
                    self.assertNotRegex(after[0].content, r"(?<!\d)-\d")
                    again = grant_wishes(after, [wish])
                    self.assertEqual((again.proposals, again.unmet), ([], done.unmet))

    def test_from_the_command_line(self):
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "reply.md"
            file.write_text(
                f"---\nnomikon: prompt/1\n---\n::: user\n{REPLY}\n:::\n", encoding="utf-8"
            )
            given_ = [
                "wish",
                str(file),
                "--wish",
                "at most 30 words",
                "--wish",
                "livelier",
                "--json",
            ]
            done = CliRunner().invoke(cli, given_)
            self.assertEqual(done.exit_code, 0, done.output)
            told = json.loads(done.output)
        (row,) = told["amendments"]
        self.assertEqual(
            (row["kind"], row["clause"], row["wishes"]), ("amend", 1, ["at most 30 words"])
        )
        self.assertEqual((told["unmet"], told["met"]), (["livelier"], []))
        self.assertIn("at most 30 words", told["messages"][0]["content"])


class InOwnWordsTest(unittest.TestCase):
    """Amendments by rule in the prompt's language, where the rule stands, and never twice."""

    def texts(self, text, row, references=(), **remark):
        label = row["measure"]
        fault = Fault(
            "it failed", label, "measure", 3, 3, [Remark("measure", "no", 1, 1, label, **remark)]
        )
        found = propose_by_rule([Message("user", text)], [fault], [row], [], (), references)
        return [(p.kind, p.text) for p in found]

    def test_a_limit_changes_where_it_stands(self):
        row = {"measure": "length", "unit": "words", "max": 30}
        self.assertEqual(self.texts("Fasse den Brief in höchstens 50 Wörtern zusammen: {{b}}", row),
                         [("amend", "Fasse den Brief in höchstens 30 Wörtern zusammen: {{b}}")])  # fmt: skip
        self.assertEqual(self.texts("Résume la lettre pour le capitaine.\n\n{{b}}", row),
                         [("add", "Utilise au plus 30 mots.")])  # fmt: skip
        self.assertEqual(self.texts("Keep it under 31 words: {{b}}", row), [])

    def test_labels_of_all_cases_come_into_the_list_that_is_there(self):
        text = "Classify the mail as one of: delay, luggage.\n\n{{b}}"
        found = self.texts(
            text, {"measure": "exact-match"}, ["delay", "luggage", "other"] * 5, wanted="other"
        )
        self.assertEqual(found, [("amend", "Classify the mail as one of: delay, luggage, other.")])

    def test_what_is_said_in_other_words_is_not_said_again(self):
        text = "Never write the word refund. Give JSON with the keys port and date, null if unknown.\n{{b}}"
        for row in (
            {"measure": "not-contains", "phrases": ["refund"]},
            {"measure": "valid-json"},
            {"measure": "json-schema", "schema": {"required": ["port", "date"]}},
        ):
            with self.subTest(row=row):
                self.assertEqual(self.texts(text, row), [])
        missing = {"measure": "json-schema", "schema": {"required": ["port", "quay"]}}
        self.assertEqual(self.texts(text, missing), [("add", "The object also has the key quay.")])


if __name__ == "__main__":
    unittest.main()


class ClashTest(unittest.TestCase):
    """Wishes that cannot both hold are told, the first stands, and none is granted by a guess."""

    TEXT = [Message("user", "Summarise {{sea}} for the guest.")]
    CANNOT = [
        ("Answer in English", "Answer in German"),
        ("At most 20 words.", "at least fifty words"),
        ("Always greet the guest.", "Never greet the guest."),
        ("the reply must quote the number", "the reply must not quote the number"),
        ("Entschuldige dich", "Entschuldige dich nicht"),
        ("al menos 60 palabras", "máximo 30 palabras"),
    ]
    CAN = [
        ("at most 50 words", "at most 20 words"),
        ("keep it under 40 words", "at most 4 sentences"),
        ("give the name", "do not give the address"),
        ("never apologise", "always thank the passenger"),
        ("at least 2 bullet points", "at most 5 bullet points"),
    ]

    def test_what_cannot_both_hold_is_told_with_the_other(self):
        for pairs, clash in ((self.CANNOT, True), (self.CAN, False)):
            for pair in pairs:
                for wishes in (pair, pair[::-1]):
                    with self.subTest(wishes=wishes):
                        done = grant_wishes(self.TEXT, list(wishes))
                        told = [n for n, why in done.unmet if "contradicts" in why]
                        self.assertEqual(told, [2] if clash else [])
                        if clash:
                            self.assertNotIn(2, {p.fault for p in done.proposals})
