"""A mistake is told in our words: whatever a library says of it stays behind."""

import re
import unittest

import regex

from nomikon.core.cases import read_csv
from nomikon.core.errors import DomainError
from nomikon.core.foreign_words import of_pattern
from nomikon.core.measures import Answer, make_measure
from nomikon.core.prompts import parse_prompt_file
from nomikon.core.yaml_lines import read_yaml

# What the libraries themselves say; none of it may be told.
THEIRS = re.compile(
    r"mapping values|block end|flow (mapping|sequence)|scalar|token|while (scanning|parsing)"
    r"|Expecting|delimiter|required property|Additional properties|does not match|is too (long|short)"
    r"|is not of type|non-empty|subpattern|to repeat|parenthesis|unterminated|bad (escape|character)"
    r"|codec|Traceback|Error\b|VERSION0|errno",
    re.I,
)
PATTERNS = ["(a", "a)", "*a", "[a", "a{2,1}", "(?P<1>a)", "a\\", "\\2", "(?z)a", "a**", "[b-a]",
            "(?P=x)", "\\p{Quark}", "(?P<n", "\\N{x}", "(?(3)a|b)", "(?V1)(?V0)", "(*X)"]  # fmt: skip
YAMLS = ["a: b: c", "a\nb: c", "a: %x", "a: [1, 2", 'a: "x', "a:\n  - b\n c: d", "a: &x 1\nb: *y",
         "a: !!python/none x", "\ta: 1", 'a: "\\q"', "a: 1\n---\nb: 2", "{[1]: 2}", "a: \x01"]  # fmt: skip
SCHEMA = {
    "type": "object", "required": ["when"], "additionalProperties": False,
    "properties": {
        "when": {"type": "string", "pattern": "^[0-9]+$", "minLength": 2, "maxLength": 4},
        "who": {"type": "array", "minItems": 2, "maxItems": 3, "uniqueItems": True},
        "much": {"minimum": 1, "maximum": 5, "multipleOf": 2},
        "kind": {"anyOf": [{"const": "a"}, {"const": "b"}]},
        "not": {"not": {"type": "null"}},
    },
}  # fmt: skip
REPLIES = ["{}", '{"when": "x"}', '{"when": "123456"}', '{"when": 1}', '{"when": "12", "no": 1}',
           '{"when": "12", "who": ["a"]}', '{"when": "12", "who": ["a", "a"]}',
           '{"when": "12", "who": ["a", "b", "c", "d"]}', '{"when": "12", "much": 0}',
           '{"when": "12", "much": 7}', '{"when": "12", "much": 3}', '{"when": "12", "kind": "c"}',
           '{"when": "12", "not": null}', "[]", '{"when": ', '{when: 1}', "{} x", '{"a" 1}']  # fmt: skip


class ForeignWordsTest(unittest.TestCase):
    def told(self, act):
        """What is told of a mistake; there must be one."""
        try:
            act()
        except DomainError as error:
            said = str(error)
        else:
            self.fail("nothing was found wrong with it")
        self.assertNotRegex(said, THEIRS)
        return said

    def test_a_pattern_that_is_none_is_told_in_our_words(self):
        whys = set()
        for pattern in PATTERNS:
            with self.subTest(pattern=pattern):
                said = self.told(lambda p=pattern: make_measure("regex", {"pattern": p}))
                whys.add(said.rpartition(": ")[2])
        # Nearly each has a reason of its own.
        self.assertGreater(len(whys), 14)
        self.assertEqual(of_pattern(regex.error("quite new")), "it cannot be read so")

    def test_yaml_that_is_none_is_told_with_its_line(self):
        whys = set()
        for text in YAMLS:
            with self.subTest(text=text):
                whys.add(self.told(lambda t=text: read_yaml(t)))
                self.assertNotIn("this line cannot be read", whys)
                prompt = f"---\nnomikon: 1\n{text}\n---\n::: user\nHello\n:::\n"
                self.told(lambda p=prompt: parse_prompt_file(p))
        self.assertGreater(len(whys), 9)

    def test_an_answer_that_breaks_a_schema_is_told_why(self):
        whys = set()
        for reply in REPLIES:
            with self.subTest(reply=reply):
                score = make_measure("json-schema", {"schema": SCHEMA}).score(Answer(reply))
                self.assertEqual(score.value, 0)
                self.assertNotRegex(score.why, THEIRS)
                whys.add(score.why)
        self.assertEqual(len(whys), len(REPLIES))
        said = self.told(
            lambda: make_measure("json-schema", {"schema": {"type": "strin", "minLength": -1}})
        )
        self.assertIn("schema is not valid at", said)

    def test_a_table_that_breaks_off_is_told_in_our_words(self):
        for text in ('a,b\n"x,1\n', 'a,b\n"x"y,1\n'):
            with self.subTest(text=text):
                self.told(lambda t=text: read_csv(t.encode()))
