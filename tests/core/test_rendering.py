"""Placeholders: found, checked, filled; a hole is never sent."""

import json
import unittest

from hypothesis import given
from hypothesis import strategies as st

from nomikon.core.errors import MissingValueError, PlaceholderSyntaxError
from nomikon.core.prompts import (
    Message,
    find_tags,
    fit_columns,
    placeholder_names,
    render,
    render_step,
)


def user(text, step=None):
    return Message("user", text, step)


class RenderTest(unittest.TestCase):
    def test_values(self):
        table = [
            # template, case, text
            ("Hi {{name}}", {"name": "Ann"}, "Hi Ann"),
            ("{{a}}", {"a": "<b>&\"'"}, "<b>&\"'"),
            ("{{{a}}} {{&a}}", {"a": "<x>"}, "<x> <x>"),
            ("{{n}} {{t}} {{f}}", {"n": 3, "t": True, "f": False}, "3 true false"),
            ("{{l}}", {"l": ["a", 1]}, '["a", 1]'),
            ("{{a}}|", {"a": ""}, "|"),
            ("{{#a}}yes{{/a}}{{^a}}no{{/a}}", {"a": "x"}, "yes"),
            ("{{#a}}yes{{/a}}{{^a}}no{{/a}}", {}, "no"),
            ("{{#a}}yes{{/a}}", {"a": False}, ""),
            ("{{#l}}<{{.}}>{{/l}}", {"l": ["a", "b"]}, "<a><b>"),
            ("{{! a comment }}x", {}, "x"),
            ("{{ spaced }}", {"spaced": "y"}, "y"),
            ("{{last name}}", {"last name": "Crane"}, "Crane"),
            ("a\r\n{{x}}\r\n", {"x": "1"}, "a\r\n1\r\n"),
            ("{{#flag}}{{title}}{{/flag}}", {"flag": True, "title": "T"}, "T"),
            ("{{a}}", {"a": "{{b}}"}, "{{b}}"),
        ]
        for template, case, wanted in table:
            with self.subTest(template=template, case=case):
                self.assertEqual(render([user(template)], case).messages[0].content, wanted)

    def test_missing_and_unused_are_named(self):
        done = render([user("{{a}} {{b}} {{a}}")], {"b": None, "c": "1"})
        self.assertEqual((done.missing, done.unused), (["a", "b"], ["c"]))

    def test_what_a_hidden_section_holds_is_not_missing(self):
        self.assertEqual(render([user("{{#note}}{{note}}{{/note}}")], {}).missing, [])
        self.assertEqual(render([user("{{^x}}{{y}}{{/x}}")], {}).missing, ["y"])

    def test_a_message_that_is_only_a_place_for_turns_becomes_them(self):
        said = [
            {"role": "user", "content": "Is {{it}} late?"},
            {"role": "assistant", "content": "No."},
        ]
        prompt = [Message("system", "Be kind."), user(" {{before}}\n"), user("{{now}}")]
        done = render_step(prompt, None, {"before": said, "now": "Sure?"}, {})
        self.assertEqual(
            [(m.role, m.content) for m in done],
            [("system", "Be kind."), ("user", "Is {{it}} late?"), ("assistant", "No."),
             ("user", "Sure?")],
        )  # fmt: skip
        # The first thing that was said has nothing before it.
        self.assertEqual(len(render_step(prompt, None, {"before": [], "now": "Sure?"}, {})), 2)
        # Within a text, and where it is no talk, a list prints as it always did.
        for text, value in (("So far: {{b}}", said), ("{{b}}", [{"role": "crew", "content": ""}])):
            got = render([user(text)], {"b": value}).messages
            self.assertEqual([m.content for m in got], [text.replace("{{b}}", json.dumps(value))])

    def test_a_hole_is_never_sent(self):
        with self.assertRaises(MissingValueError) as caught:
            render_step([user("Dear {{name}}, {{place}}")], None, {"place": "Brack"}, {})
        self.assertEqual(caught.exception.facts["missing"], ["name"])

    def test_a_later_step_reads_an_earlier_answer(self):
        messages = [
            Message("system", "Be brief."),
            user("Outline {{topic}}", "outline"),
            user("Write from: {{steps.outline}}", "text"),
        ]
        first = render_step(messages, "outline", {"topic": "tea"}, {})
        self.assertEqual([m.content for m in first], ["Be brief.", "Outline tea"])
        second = render_step(messages, "text", {"topic": "tea"}, {"outline": "1. leaf"})
        self.assertEqual(second[-1].content, "Write from: 1. leaf")
        self.assertEqual(render(messages, {"topic": "tea"}).missing, [])

    def test_bad_tags_say_where(self):
        table = [
            ("one\ntwo {{x", "line 2, column 5"),
            ("{{}}", "no name"),
            ("{{#a}}x", "left open"),
            ("{{/a}}", "not open there"),
            ("{{#a}}{{#b}}{{/a}}{{/b}}", "not open there"),
            ("{{>part}}", "partials"),
            ("{{=<% %>=}}", "delimiters"),
        ]
        for text, words in table:
            with self.subTest(text=text), self.assertRaises(PlaceholderSyntaxError) as caught:
                render([user(text)], {})
            self.assertIn(words, str(caught.exception))

    @given(st.text().filter(lambda t: "{{" not in t))
    def test_text_without_tags_is_sent_as_it_is(self, text):
        self.assertEqual(render([user(text)], {"a": "b"}).messages[0].content, text)

    @given(st.text())
    def test_a_value_is_printed_as_it_is(self, value):
        self.assertEqual(
            render([user("<<{{v}}>>")], {"v": value}).messages[0].content, f"<<{value}>>"
        )

    @given(st.text(alphabet="{}#/^a b\n", max_size=30))
    def test_any_text_is_rendered_or_refused(self, text):
        try:
            tags = find_tags(text)
        except PlaceholderSyntaxError:
            return
        self.assertIsNotNone(render([user(text)], {t.name: "v" for t in tags}))


class FitColumnsTest(unittest.TestCase):
    def test_both_directions(self):
        fit = fit_columns(
            [user("{{message}} {{#note}}{{note}}{{/note}} {{steps.x}}")], ["message_text", "id"]
        )
        self.assertEqual(fit.unfilled, ["message"])
        self.assertEqual(fit.unused, ["message_text", "id"])

    def test_names_in_order_of_first_use(self):
        self.assertEqual(placeholder_names([user("{{b}}{{a}}{{b}}")]), ["b", "a"])


class NestedTest(unittest.TestCase):
    """What an input holds is named by dots wherever inputs are named."""

    CASE = {
        "customer": {"name": "Ada", "vip": True, "age": 5, "tags": ["a", 1],
                     "address": {"city": "Malmö"}, "since": None},
        "n": 1,
    }  # fmt: skip

    def told(self, text, case=None):
        done = render([Message("user", text)], self.CASE if case is None else case)
        return done.messages[0].content, done.missing

    def test_keys_are_found_by_dots_and_print_as_their_values_do(self):
        for text, wanted in (
            ("{{customer.name}}, {{customer.address.city}}", "Ada, Malmö"),
            ("{{customer.vip}} {{customer.age}} {{customer.tags}}", 'true 5 ["a", 1]'),
            ("{{#customer}}{{name}}{{#vip}}!{{/vip}}{{/customer}}", "Ada!"),
            ("{{#customer.tags}}[{{.}}]{{/customer.tags}}", "[a][1]"),
            ("{{^customer.none}}none{{/customer.none}}", "none"),
        ):
            self.assertEqual(self.told(text), (wanted, []))
        whole = self.told("{{customer}}")[0]
        self.assertEqual(json.loads(whole), self.CASE["customer"])

    def test_a_key_that_is_not_there_is_a_hole_and_stays_as_written(self):
        text = "{{customer.none}} {{customer.address.x.y}} {{n.x}} {{customer.since}} {{customer.name}}"
        holes = ["customer.none", "customer.address.x.y", "n.x", "customer.since"]
        self.assertEqual(self.told(text), (text.replace("{{customer.name}}", "Ada"), holes))
        with self.assertRaisesRegex(MissingValueError, "customer.none"):
            render_step([Message("user", "{{customer.none}}")], None, self.CASE, {})

    def test_an_input_whose_own_name_has_dots_goes_first(self):
        self.assertEqual(self.told("{{a.b}}", {"a.b": "flat", "a": {"b": "deep"}}), ("flat", []))
        rows = {"rows": [{"a": {"b": 1}}, {"a": {"b": 2}}]}
        self.assertEqual(self.told("{{#rows}}{{a.b}};{{/rows}}", rows), ("1;2;", []))

    def test_columns_fit_by_what_they_hold(self):
        messages = [Message("user", "{{customer.name}} {{x.y}} {{#items}}{{sku}}{{/items}} {{a}}")]
        fit = fit_columns(messages, ["customer", "n", "items", "a"])
        self.assertEqual((fit.unfilled, fit.unused), (["x.y"], ["n"]))
