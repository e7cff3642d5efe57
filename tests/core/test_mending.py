"""Amendments without a model: what failed measures and findings plainly ask for; only what shortens."""

import json
import unittest

from nomikon.core.consulting import ROLES
from nomikon.core.prompts.amending import amend_inputs
from nomikon.core.prompts.evidence import Fault, Remark
from nomikon.core.prompts.findings import Subject, check_prompt
from nomikon.core.prompts.mending import propose_by_rule
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.proposals import apply_proposals, only_shorter, read_proposals
from nomikon.core.prompts.rendering import render

BARE = (Message("user", "Sort this letter: {{letter}}"),)


def fault(label, title="it failed", source="measure", cases=3, **remark):
    return Fault(title, label, source, cases, cases, [Remark(source, title, 1, 1, label, **remark)])


def texts(faults, measures, messages=BARE, findings=()):
    return [p.text for p in propose_by_rule(messages, faults, measures, findings)]


class ByRuleTest(unittest.TestCase):
    def test_each_measure_says_what_it_asks_for(self):
        schema = {
            "required": ["kind", "ship"],
            "properties": {
                "kind": {"enum": ["delay", "other"]},
                "ship": {"type": ["string", "null"]},
            },
        }
        for row, wanted in (
            ({"measure": "length", "unit": "words", "max": 30}, ["Use at most 30 words."]),
            ({"measure": "length", "unit": "lines", "min": 2}, ["Use at least 2 lines."]),
            ({"measure": "contains", "all": ["Harrier"]}, ["Always say “Harrier”."]),
            ({"measure": "not-contains", "phrases": ["refund"]}, ["Never say “refund”."]),
            (
                {"measure": "one-of", "values": ["a", "b"]},
                ["Answer with exactly one of these and nothing else: a, b."],
            ),
            (
                {"measure": "json-schema", "schema": schema},
                [
                    "Reply with one JSON object with the keys kind, ship and nothing else, without a code fence.",
                    "kind is one of: delay, other.",
                    "ship is null where the input does not say it.",
                ],
            ),
            ({"measure": "rouge-l"}, []),
        ):
            with self.subTest(row=row):
                named = {**row, "name": "mine"}
                self.assertEqual(texts([fault("mine")], [named]), wanted)

    def test_every_proposal_can_stand_names_its_fault_and_goes_before_the_input(self):
        rows = [{"measure": "length", "max": 30}, {"measure": "valid-json"}]
        faults = [fault("valid-json"), fault("length"), fault("cut")]
        found = propose_by_rule(BARE, faults, rows, [])
        self.assertEqual([p.fault for p in found], [1, 2, 3])
        after = apply_proposals(BARE, found)[0].content
        self.assertTrue(after.endswith("Sort this letter: {{letter}}"), after)

    def test_what_the_prompt_says_already_is_not_added(self):
        said = (Message("user", "write at most 30 characters.\n{{letter}}"),)
        self.assertEqual(texts([fault("length")], [{"measure": "length", "max": 30}], said), [])

    def test_references_that_recur_are_labels_and_others_are_not(self):
        labels = [
            Remark("measure", "no", i, i, "exact-match", wanted=w) for i, w in enumerate("aab")
        ]
        found = Fault("no", "exact-match", "measure", 3, 3, labels)
        row = [{"measure": "exact-match"}]
        self.assertEqual(
            texts([found], row), ["Answer with exactly one of these and nothing else: a, b."]
        )
        free = [Remark("measure", "no", i, i, wanted=w) for i, w in enumerate("abc")]
        self.assertEqual(texts([Fault("no", "exact-match", "measure", 3, 3, free)], row), [])

    def test_null_is_asked_for_where_references_hold_it(self):
        wanted = json.dumps({"ship": None})
        found = texts([fault("json-fields", wanted=wanted)], [{"measure": "json-fields"}])
        self.assertEqual(found, ["Use null for what the input does not say."])

    def test_a_finding_with_a_fix_becomes_an_amendment_of_its_clause(self):
        messages = (Message("user", "Sort the letters.\nLetter: {{leter}}"),)
        findings = check_prompt(Subject(messages, columns=("letter",)))
        (found,) = propose_by_rule(messages, [], [], findings, ("letter",))
        self.assertEqual((found.kind, found.clause, found.text), ("amend", 2, "Letter: {{letter}}"))
        self.assertIn("leter", found.reason)
        # Without knowing what cases fill, a placeholder is left alone.
        self.assertEqual(propose_by_rule(messages, [], [], findings), [])

    def test_only_marks_without_words_to_go_by_give_nothing(self):
        self.assertEqual(texts([fault("", "too curt", source="mark")], []), [])


class ShorterTest(unittest.TestCase):
    def test_what_adds_or_is_no_shorter_is_refused_by_its_place(self):
        messages = (Message("user", "Be very brief.\nSort it.\n{{letter}}"),)
        reply = json.dumps(
            [
                {"kind": "amend", "clause": 1, "text": "Be brief.", "reason": "Shorter."},
                {"kind": "amend", "clause": 2, "text": "Sort it well, please.", "reason": "No."},
                {"kind": "add", "clause": 2, "text": "And more.", "reason": "No."},
            ]
        )
        found = read_proposals(reply, messages, 0)
        kept, refused = only_shorter(found.proposals, messages)
        self.assertEqual([p.text for p in kept], ["Be brief."])
        self.assertEqual([place for place, _ in refused], [2, 3])

    def test_every_purpose_makes_a_request_without_holes(self):
        for purpose in ("amendments", "shorter", "adapt"):
            for faults, model in (([fault("x")], ""), ([], "- its name is m")):
                inputs = amend_inputs(BARE, faults, "Sort.", model)
                sent = render(ROLES[purpose].messages(), inputs)
                with self.subTest(purpose=purpose, model=model):
                    self.assertEqual(sent.missing, [])
                    self.assertEqual("Model:" in sent.messages[1].content, bool(model))
                    self.assertEqual("Faults:" in sent.messages[1].content, bool(faults))


if __name__ == "__main__":
    unittest.main()
