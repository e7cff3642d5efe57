"""Twins that a model writes: what it is asked, and what is read of replies as they come."""

import json
import unittest

from nomikon.core.errors import PromptError
from nomikon.core.twins.by_model import ShownCase, read_twins, twin_inputs

CASES = [
    ShownCase(4, "The heater hums all night.", "noise"),
    ShownCase(9, "Where do I send the form?", None),
]


def read(rows):
    return read_twins(rows if isinstance(rows, str) else json.dumps(rows), CASES)


class WrittenTwinsTest(unittest.TestCase):
    def test_the_request_shows_cases_with_what_is_wanted_and_the_kinds_alone(self):
        inputs = twin_inputs("Sort notes.", ["harder"], CASES)
        self.assertIn("Case 4:\nThe heater hums all night.\nWanted: noise", inputs["cases"])
        self.assertNotIn("Wanted: None", inputs["cases"])
        self.assertEqual(inputs["kinds"], "harder")
        for bad in (lambda: twin_inputs("x", ["mirror"], CASES), lambda: twin_inputs("x", [], [])):
            with self.assertRaises(PromptError):
                bad()

    def test_replies_as_they_come(self):
        reply = """Gladly! Here you are:
```json
{"Twins": [
  {"case": "Case 4", "kind": "Reworded", "text": "All night the heater makes a humming sound."},
  {"case": 9, "type": "there_and_back", "input": "To where must I send the form?"},
  {"case_number": 4, "kind": "border", "text": "The heater is cold all night.", "answer": {"label": "cold"}},
]}
```"""
        found = read(reply)
        self.assertEqual([(t.case, t.kind) for t in found.twins],
                         [(4, "reworded"), (9, "there-and-back"), (4, "border")])  # fmt: skip
        self.assertEqual(json.loads(found.twins[2].answer), {"label": "cold"})
        self.assertTrue(found.repaired or found.passed_over)

    def test_what_is_no_twin_is_refused_with_its_reason(self):
        found = read(
            {
                "twins": [
                    {"case": 4, "kind": "reworded", "text": "the heater  hums ALL night."},
                    {"case": 7, "kind": "reworded", "text": "something"},
                    {"case": 4, "kind": "mirror", "text": "thgin lla smuh retaeh"},
                    {"case": 9, "kind": "harder", "text": " "},
                    "no object",
                    {"case": 9, "kind": "harder", "text": "Where, oh where, goes that form?"},
                    {"case": 9, "kind": "reworded", "text": "where, oh where, goes that form?"},
                ]
            }
        )
        self.assertEqual([t.text for t in found.twins], ["Where, oh where, goes that form?"])
        why = dict(found.refused)
        self.assertIn("word for word", why[1])
        self.assertIn("no case that was shown", why[2])
        self.assertIn("mirror", why[3])
        self.assertIn("no text", why[4])
        self.assertIn("not an object", why[5])
        self.assertIn("word for word", why[7])

    def test_a_reply_without_any_is_told(self):
        for reply in ("I am sorry, I cannot.", '{"twins": []}', ""):
            with self.assertRaises(PromptError):
                read(reply)
