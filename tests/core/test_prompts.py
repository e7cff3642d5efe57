"""Settings, prompt files, clauses and amendments."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from nomikon.core.errors import (
    EmptyPromptError,
    PromptError,
    PromptFileError,
    SettingsError,
)
from nomikon.core.prompts import (
    Message,
    Prompt,
    check_messages,
    check_settings,
    clauses_of,
    merge_settings,
    parse_prompt_file,
    settings_in_short,
    steps_of,
    write_prompt_file,
)


def system(text):
    return [Message("system", text)]


class SettingsTest(unittest.TestCase):
    def test_ranges(self):
        bad = [
            ("temperature", -0.1),
            ("temperature", 2.1),
            ("temperature", "hot"),
            ("temperature", float("nan")),
            ("temperature", True),
            ("top_p", 0),
            ("top_p", 1.01),
            ("top_k", 0),
            ("top_k", 1.5),
            ("max_tokens", 0),
            ("seed", -1),
            ("presence_penalty", 3),
            ("stop", [""]),
            ("stop", 5),
            ("stop", ["x"] * 17),
            ("reasoning_effort", "huge"),
            ("response_schema", "x"),
            ("colour", 1),
        ]
        for name, value in bad:
            with self.subTest(name=name, value=value), self.assertRaises(SettingsError) as caught:
                check_settings({name: value})
            self.assertEqual(caught.exception.field, name)

    def test_good_values_come_back_clean(self):
        clean = check_settings({"temperature": 1, "top_k": 5.0, "stop": "END", "seed": None})
        self.assertEqual(clean, {"temperature": 1.0, "top_k": 5, "stop": ["END"]})
        self.assertIsInstance(clean["top_k"], int)

    def test_a_trial_overrides_key_by_key(self):
        merged = merge_settings({"temperature": 0, "max_tokens": 80}, {"temperature": 0.7})
        self.assertEqual(merged, {"temperature": 0.7, "max_tokens": 80})

    def test_in_short(self):
        self.assertEqual(settings_in_short({"temperature": 0.7, "top_p": 0.9}), "T 0.7, top-p 0.9")
        self.assertEqual(settings_in_short({}), "server defaults")


class MessagesTest(unittest.TestCase):
    def test_refusals_lead_to_the_field(self):
        for rows, error, field in [
            ([], EmptyPromptError, "messages"),
            ([{"role": "user", "content": " \n"}], EmptyPromptError, "messages"),
            ([{"role": "boss", "content": "x"}], PromptError, "messages.0.role"),
            ([{"role": "user", "content": 3}], PromptError, "messages.0.content"),
            ([{"role": "user", "content": "a\x00"}], PromptError, "messages.0.content"),
        ]:
            with self.subTest(rows=rows), self.assertRaises(error) as caught:
                check_messages(rows)
            self.assertEqual(caught.exception.field, field)

    def test_steps_run_in_order_and_shared_system_is_no_step(self):
        rows = [Message("system", "s"), Message("user", "a", "one"), Message("user", "b", "two")]
        self.assertEqual(steps_of(rows), ["one", "two"])
        self.assertEqual(steps_of([*rows[:1], Message("user", "x")]), [None])


FILE = """---
nomikon: prompt/1
name: Lost property note
task: extract
settings: {temperature: 0, max_tokens: 80}
inputs: [message]
---
::: system
You read …

Keep blank lines.
:::

::: {.user step=outline}
Message: {{message}}
:::
"""


class PromptFileTest(unittest.TestCase):
    def test_the_documented_file(self):
        prompt = parse_prompt_file(FILE)
        self.assertEqual(prompt.name, "Lost property note")
        self.assertEqual(prompt.settings, {"temperature": 0.0, "max_tokens": 80})
        self.assertEqual(prompt.messages[0].content, "You read …\n\nKeep blank lines.")
        self.assertEqual(prompt.messages[1], Message("user", "Message: {{message}}", "outline"))

    def test_a_longer_fence_holds_colons(self):
        text = FILE.split("::: system")[0] + ":::: user\nkeep\n:::\nthis\n::::\n"
        self.assertEqual(parse_prompt_file(text).messages[0].content, "keep\n:::\nthis")

    def test_errors_name_the_line(self):
        head = "---\nnomikon: prompt/1\n---\n"
        for text, line, words in [
            ("hello\n" + head, 1, "before the front matter"),
            ("---\nnomikon: prompt/1\n", 1, "not closed"),
            ("---\na: [\n---\n", 3, "not YAML"),
            ("---\n- a\n---\n", 2, "mapping"),
            ("---\nnomikon: prompt/9\n---\n", 2, "prompt/1"),
            (head + "stray\n", 4, "outside the messages"),
            (head + "::: user\nhi\n", 4, "not closed"),
            (head + "::: wizard\nhi\n:::\n", 4, "unknown role"),
            (head + "::: {.user mood=x}\nhi\n:::\n", 4, "unknown attribute"),
            (head + ":::\n", 4, "never opened"),
            (head, 3, "no message"),
        ]:
            with self.subTest(text=text), self.assertRaises(PromptFileError) as caught:
                parse_prompt_file(text)
            self.assertIn(words, str(caught.exception))
            self.assertEqual(caught.exception.line, line)

    @given(
        st.lists(
            st.tuples(
                st.sampled_from(["system", "user", "assistant"]),
                st.text(alphabet="ab :\n\r#-{}é—", min_size=1).filter(lambda t: t.strip()),
                st.sampled_from([None, "one", "two words"]),
            ),
            min_size=1,
            max_size=4,
        )
    )
    def test_write_then_read_gives_the_same(self, rows):
        prompt = Prompt(tuple(Message(*r) for r in rows), {"temperature": 0.5}, "A: name", "write")
        self.assertEqual(parse_prompt_file(write_prompt_file(prompt)), prompt)


class ClausesTest(unittest.TestCase):
    def test_kinds_and_borders(self):
        text = (
            "# Task\nYou sort messages. Use e.g. JSON, at most 2.5 lines. Ask Dr. Ito!\n"
            "category is one of:\n- delay: late\n  or cancelled\n- other\n\n"
            "```\na. b. c.\n```\n> quoted. text\n---\nLast line. lower case\nnext line"
        )
        found = [(c.kind, c.text) for c in clauses_of(system(text))]
        self.assertEqual(
            found,
            [
                ("heading", "# Task"),
                ("sentence", "You sort messages."),
                ("sentence", "Use e.g. JSON, at most 2.5 lines."),
                ("sentence", "Ask Dr. Ito!"),
                ("sentence", "category is one of:"),
                ("list-item", "- delay: late\n  or cancelled"),
                ("list-item", "- other"),
                ("fenced", "```\na. b. c.\n```"),
                ("quoted", "> quoted. text"),
                ("sentence", "Last line. lower case\nnext line"),
            ],
        )

    def test_placeholders_and_sections_are_never_split(self):
        found = clauses_of(system("Dear {{a.b}} {{c}}. {{#x}}One. Two.{{/x}} Three."))
        self.assertEqual(found[0].text, "Dear {{a.b}} {{c}}.")
        self.assertIn("{{#x}}One. Two.{{/x}}", found[1].text)

    def test_example_turns_are_one_clause_each(self):
        turns = [
            Message("user", "A. B."),
            Message("assistant", "C. D."),
            Message("user", "Eat it. Fly."),
        ]
        self.assertEqual(
            [c.kind for c in clauses_of(turns)], ["example", "example", "sentence", "sentence"]
        )

    @given(st.text(alphabet="Ab1. -#>\n`!?:é😀", max_size=80))
    def test_clauses_are_slices_in_order_and_leave_out_only_blanks_and_rules(self, text):
        position, left_out = 0, ""
        for clause in clauses_of(system(text)):
            self.assertEqual(clause.text, text[clause.start : clause.end])
            self.assertLessEqual(position, clause.start)
            left_out += text[position : clause.start]
            position = clause.end
        left_out += text[position:]
        self.assertEqual(left_out.strip(" -\n\t=_*"), "")
