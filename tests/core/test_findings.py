"""Every rule by its documented examples, the fixes, and silence on sound prompts."""

import re
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.core.prompts import Message, parse_prompt_file
from nomikon.core.prompts.findings import ERROR, NOTE, SEVERITIES, Subject, check_prompt, rules
from nomikon.core.prompts.tenor.by_model import REMARKS, Entry

DOC = Path(__file__).parents[2] / "docs/findings.md"
SOUND = Path(__file__).resolve().parents[2] / "src/nomikon/shelf"


def messages_of(text):
    """`[role] text` starts a message; text without it is one user message."""
    if not re.match(r"\[(system|user|assistant)\] ", text):
        return (Message("user", text),)
    parts = re.split(r"(?m)^\[(system|user|assistant)\] ", text)[1:]
    return tuple(
        Message(role, body.rstrip("\n")) for role, body in zip(parts[::2], parts[1::2], strict=True)
    )


def subject_of(text, known=""):
    facts, chosen = {}, {}
    for part in filter(None, (p.strip() for p in known.split(";"))):
        name, value = (x.strip() for x in part.split(":"))
        if name in ("columns", "measures"):
            facts[name] = tuple(v.strip() for v in value.split(","))
        elif name in ("context", "prompt_tokens"):
            facts[name] = int(value)
        elif name == "task":
            facts[name] = value
        elif name in REMARKS:
            start = text.find(value)
            said = Entry(name, value, 0, start, start + len(value), None, why="so it was told.")
            facts["remarks"] = (said,) if start >= 0 else ()
        else:
            chosen[name] = float(value) if "." in value else int(value)
    return Subject(messages_of(text), chosen, **facts)


def documented():
    """(rule, severity, what is given, bad example, good example or None)."""
    for block in DOC.read_text(encoding="utf-8").split("\n## ")[1:]:
        name = block.split("\n", 1)[0]
        severity = re.search(r"^\*(\w+)\.\*", block, re.M).group(1)
        known = re.search(r"^Given: `(.*)`$", block, re.M)
        bad, *good = re.findall(r"```\n(.*?)\n```", block, re.S)
        yield name, severity, known.group(1) if known else "", bad, good[0] if good else None


class RulesTest(unittest.TestCase):
    def test_every_rule_is_documented_and_the_examples_hold(self):
        rows = list(documented())
        self.assertEqual(sorted(r[0] for r in rows), rules())
        for name, severity, known, bad, good in rows:
            with self.subTest(rule=name):
                found = [f for f in check_prompt(subject_of(bad, known)) if f.rule == name]
                self.assertEqual([f.severity for f in found[:1]], [severity])
                if good is not None:
                    clean = [f.rule for f in check_prompt(subject_of(good, known))]
                    self.assertNotIn(name, clean)

    def test_a_fix_mends_what_it_was_found_for(self):
        tried = 0
        for name, _, known, bad, _ in documented():
            subject = subject_of(bad, known)
            for found in check_prompt(subject):
                if found.rule != name or found.fix is None:
                    continue
                tried += 1
                message = subject.messages[found.message]
                fix = found.fix
                content = message.content[: fix.start] + fix.text + message.content[fix.end :]
                mended = list(subject.messages)
                mended[found.message] = Message(message.role, content, message.step)
                after = Subject(
                    tuple(mended), subject.settings, subject.task, subject.columns,
                    measures=subject.measures,
                )  # fmt: skip
                with self.subTest(rule=name):
                    self.assertNotIn(name, [f.rule for f in check_prompt(after)])
        self.assertGreaterEqual(tried, 6)

    def test_many_unread_columns_are_one_note(self):
        columns = ("text", *(f"c{n}" for n in range(1, 13)))
        subject = Subject((Message("user", "Sort this: {{text}}"),), {}, columns=columns)
        (note,) = [f for f in check_prompt(subject) if f.rule == "column-unused"]
        self.assertIn("12 columns", note.text)
        self.assertIn("c1, c2, c3, c4, c5, c6, c7, c8 and 4 more", note.text)

    def test_silenced_rules_are_silent(self):
        subject = subject_of("Write a few sentences. TODO")
        self.assertIn("editing-mark", [f.rule for f in check_prompt(subject)])
        quiet = check_prompt(subject, without=["editing-mark", "vague-quantity"])
        self.assertEqual(quiet, [])

    @given(
        st.lists(
            st.tuples(st.sampled_from(["system", "user", "assistant"]), st.text(max_size=200)),
            min_size=1,
            max_size=5,
        )
    )
    @settings(max_examples=150, deadline=None)
    def test_any_text_is_read_and_every_finding_stands_in_it(self, rows):
        messages = tuple(Message(r, t.replace("{{", "{ {")) for r, t in rows)
        for found in check_prompt(Subject(messages, task="classify", columns=("a",))):
            self.assertIn(found.severity, SEVERITIES)
            if found.message is not None:
                size = len(messages[found.message].content)
                self.assertTrue(0 <= found.start <= found.end <= size, found)


class SoundPromptsTest(unittest.TestCase):
    def test_twenty_sound_prompts_bring_nothing_above_a_note(self):
        files = sorted(SOUND.glob("*.md"))
        self.assertEqual(len(files), 20)
        for file in files:
            prompt = parse_prompt_file(file.read_text(encoding="utf-8"))
            subject = Subject(prompt.messages, prompt.settings, prompt.task, prompt.inputs or None)
            with self.subTest(file=file.name):
                loud = [(f.rule, f.text) for f in check_prompt(subject) if f.severity != NOTE]
                self.assertEqual(loud, [])

    def test_a_prompt_that_cannot_run_is_an_error(self):
        severities = {f.severity for f in check_prompt(subject_of("{{x}}?", "columns: y"))}
        self.assertIn(ERROR, severities)
