"""Amendments: alignment, taking and leaving, word changes; the laws by property tests."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from nomikon.core.errors import AmendmentError, DomainError
from nomikon.core.prompts import Message, amendments_between, as_rows, check_messages, find_tags
from nomikon.core.prompts.alignment import word_changes
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.going_together import requires_of
from nomikon.core.stats.culprits import groups_of


def system(text):
    return [Message("system", text)]


CLAUSES = st.sampled_from(
    [
        "You sort messages.",
        "You sort the messages of passengers.",
        "Be brief.",
        "Be brief and kind.",
        "Use approx. 3.5 lines, e.g. four.",
        "- delay: a sailing is late.",
        "- delay: a sailing is late or cancelled.",
        "1. Read {{message}} twice.",
        "# Form",
        "Message: {{message}}",
        "```\n{{message}}\n```",
        "> quoted {{note}}",
        "{{#note}}Mind this.\nAlso {{note}}.{{/note}}",
        "Read {{steps.outline}} first.",
        "Ça va? 日本語の文。",
        "Name: é e\u0301 \u200b😀",
        'Say "yes." or (no.)',
        "{",
        "-",
    ]
)
BREAKS = st.sampled_from([" ", "\n", "\n\n", "\r\n", "\n\t", "\n---\n", "  \n", " \u00a0 "])


@st.composite
def contents(draw):
    parts = [draw(st.sampled_from(["", "", "\n", "  "]))]
    for clause in draw(st.lists(CLAUSES, max_size=6)):
        parts += [clause, draw(BREAKS)]
    if draw(st.booleans()):
        parts = parts[:-1]
    return "".join(parts)


@st.composite
def prompts(draw):
    rows = draw(
        st.lists(
            st.builds(
                Message,
                st.sampled_from(["system", "user", "assistant"]),
                contents(),
                st.sampled_from([None, None, "outline", "final"]),
            ),
            min_size=1,
            max_size=4,
        )
    )
    return [*rows, Message("user", "Now go.")] if not any(m.content.strip() for m in rows) else rows


@st.composite
def edited(draw):
    """A prompt and one made from it by some edits, as people make them."""
    old = draw(prompts())
    new = list(old)
    for _ in range(draw(st.integers(1, 4))):
        at = draw(st.integers(0, len(new) - 1))
        m = new[at]
        what = draw(
            st.sampled_from(["text", "role", "step", "swap", "drop", "insert", "turn", "other"])
        )
        if what == "text":
            cut = draw(st.integers(0, len(m.content)))
            more = draw(st.one_of(CLAUSES, BREAKS))
            new[at] = Message(m.role, m.content[:cut] + more + m.content[cut:], m.step)
        elif what == "turn":
            found = m.content.split("\n")
            new[at] = Message(m.role, "\n".join(reversed(found)), m.step)
        elif what == "other":
            new[at] = Message(m.role, draw(contents()), m.step)
        elif what == "role":
            new[at] = Message(draw(st.sampled_from(["system", "user"])), m.content, m.step)
        elif what == "step":
            new[at] = Message(m.role, m.content, draw(st.sampled_from([None, "outline", "x"])))
        elif what == "swap":
            other = draw(st.integers(0, len(new) - 1))
            new[at], new[other] = new[other], new[at]
        elif what == "drop" and len(new) > 1:
            del new[at]
        elif what == "insert":
            new.insert(at, Message("user", draw(contents())))
    return old, new


def parsable(messages):
    try:
        clauses_of(messages)
        check_messages(as_rows(messages))
    except DomainError:
        return False
    return True


def steps_read(messages):
    return {t.name for m in messages for t in find_tags(m.content) if t.name.startswith("steps.")}


def dangling(messages):
    return {n for n in steps_read(messages) if n.split(".")[1] not in {m.step for m in messages}}


class LawsTest(unittest.TestCase):
    """Whatever two versions are, their amendments hold together."""

    @settings(max_examples=300, deadline=None)
    @given(st.one_of(edited(), st.tuples(prompts(), prompts())), st.data())
    def test_all_give_the_child_none_the_parent_and_any_subset_a_valid_text(self, both, data):
        old, new = both
        if not (parsable(old) and parsable(new)):
            return
        options = st.fixed_dictionaries(
            {}, optional={"temperature": st.just(0.2), "top_k": st.just(1)}
        )
        before, after = data.draw(options), data.draw(options)
        found = amendments_between(old, new, before, after)
        ids = [a.id for a in found.amendments]
        self.assertEqual(len(set(ids)), len(ids))
        self.assertEqual(found.apply(ids), (tuple(new), after))
        self.assertEqual(found.apply([]), (tuple(old), before))
        some = found.closed(data.draw(st.lists(st.sampled_from(ids), unique=True)) if ids else [])
        messages, chosen = found.apply(some)
        check_messages(as_rows(messages))
        rest = found.without(set(ids) - some)
        self.assertLessEqual(rest, some)
        for m in messages:
            find_tags(m.content)
        if not dangling(old) and not dangling(new):
            self.assertEqual(dangling(messages), set())
        self.assertLessEqual(set(chosen), set(before) | set(after))
        # A clause that was not touched is there word for word.
        text = "\n".join(m.content for m in messages)
        for x, y in found.pairs:
            self.assertTrue(x.text in text or y.text in text)

    @given(contents(), contents())
    def test_word_changes_give_both_texts_back(self, before, after):
        changes = word_changes(before, after)
        self.assertEqual("".join(c.text for c in changes if c.kind != "new"), before)
        self.assertEqual("".join(c.text for c in changes if c.kind != "gone"), after)


class AmendmentsTest(unittest.TestCase):
    def changes(self, old, new):
        found = amendments_between(system(old), system(new))
        return [
            (a.kind, a.before and a.before.text, a.after and a.after.text) for a in found.amendments
        ], found.kept

    def test_each_kind(self):
        old = "You sort messages.\n- delay: a sailing is late.\n- other: all the rest.\nUse null."
        new = (
            "You sort messages.\n- delay: a sailing is late or cancelled.\n- other: all the rest."
            "\nBe brief."
        )
        changes, kept = self.changes(old, new)
        self.assertEqual(kept, 2)
        self.assertIn(
            ("amend", "- delay: a sailing is late.", "- delay: a sailing is late or cancelled."),
            changes,
        )
        self.assertIn(("strike", "Use null.", None), changes)
        self.assertIn(("add", None, "Be brief."), changes)

    def test_changes_are_told_as_a_person_would(self):
        """Each: the two texts, and what is told: kind with what the clause becomes, or the layout's words."""
        for before, after, wanted in (
            ("Answer politely and never promise money back.", "Answer politely.\nNever promise money back.",
             [("amend", "Answer politely.\nNever promise money back.")]),
            ("Be brief. Name the port. Give the time.", "Be brief, name the port and give the time.",
             [("amend", "Be brief, name the port and give the time.")]),
            ("Keep it under 50 words. Use plain words.", "Keep it under 30 words and use plain words for children.",
             [("amend", "Keep it under 30 words and use plain words for children.")]),
            ("Schreibe freundlich und nenne nie den Preis.", "Schreibe freundlich. Nenne nie den Preis.",
             [("amend", "Schreibe freundlich. Nenne nie den Preis.")]),
            # What shows or says something else does not become the successor of the rule it stands before.
            ("Never promise a refund. Be kind.", "\"We never close before nine.\" is fine.\n\nNever promise a refund. Be kind.",
             [("add", "\"We never close before nine.\" is fine.")]),
            ("Hello.\nNever promise a refund.", "Hello.\nNever open before nine.",
             [("strike", None), ("add", "Never open before nine.")]),
            ("1. Read it.\n2. Sort it.\n3. Answer.", "1. Read it.\n2. Find the port.\n3. Sort it.\n4. Answer.",
             [("add", "2. Find the port."), ("layout", "§2: another number in its list (2 clauses)")]),
            ("Name the port, the berth and the pilot.", "Name:\n- the port\n- the berth\n- the pilot",
             [("layout", "§1: a sentence becomes a list")]),
            ("- Be brief.\n- Be kind.\n- Be calm.", "* Be brief.\n* Be kind.\n* Be calm.",
             [("layout", "§1: the mark of its list: - becomes * (3 clauses)")]),
        ):  # fmt: skip
            with self.subTest(before=before):
                old, new = ([Message("user", t + "\n\n{{letter}}")] for t in (before, after))
                found = amendments_between(old, new)
                told = [
                    (a.kind, a.after.text if a.after else a.detail or None)
                    for a in found.amendments
                ]
                self.assertEqual(told, wanted)

    def test_both_halves_of_a_split_clause_have_its_story(self):
        old, new = (
            [Message("user", t)]
            for t in ("Be kind and never promise money.", "Be kind. Never promise money.")
        )
        pairs = [(a.number, b.number) for a, b in amendments_between(old, new).pairs]
        self.assertEqual(pairs, [(1, 1), (1, 2)])

    def test_a_moved_clause_is_told_from_a_struck_one(self):
        old = "Apples are red.\nPears grow on old trees.\nNobody eats quinces raw."
        new = "Nobody eats quinces raw.\nApples are red.\nPears grow on old trees."
        changes, kept = self.changes(old, new)
        self.assertEqual(
            changes, [("move", "Nobody eats quinces raw.", "Nobody eats quinces raw.")]
        )
        self.assertEqual(kept, 2)

    def test_the_alignment_is_the_likest_and_not_the_first_that_fits(self):
        old = "Use a calm tone.\nUse a calm tone in every reply to a guest."
        new = "Use a calm tone in every reply to a guest now."
        changes, _ = self.changes(old, new)
        self.assertEqual(
            [c[:2] for c in changes],
            [
                ("strike", "Use a calm tone."),
                ("amend", "Use a calm tone in every reply to a guest."),
            ],
        )

    def test_the_same_text_has_no_change_and_only_blanks_are_layout(self):
        self.assertEqual(self.changes("A b c.", "A b c."), ([], 1))
        self.assertEqual(self.changes("A b.\nC d.", "A b.\n\nC d.")[0], [("layout", None, None)])

    def test_one_amendment_is_taken_and_the_others_left(self):
        old = system("Sort it.\n- a: one.\n- b: two.\nBe brief.")
        new = system("Sort it with care.\n- a: one.\n- ab: one and a half.\n- b: two.")
        found = amendments_between(old, new)
        ids = {a.kind: a.id for a in found.amendments}
        texts = {kind: found.apply([name])[0][0].content for kind, name in ids.items()}
        self.assertEqual(texts["amend"], "Sort it with care.\n- a: one.\n- b: two.\nBe brief.")
        self.assertEqual(
            texts["add"], "Sort it.\n- a: one.\n- ab: one and a half.\n- b: two.\nBe brief."
        )
        self.assertEqual(texts["strike"], "Sort it.\n- a: one.\n- b: two.")

    def test_a_clause_of_a_new_message_needs_the_message_and_settings_are_layout(self):
        old, new = system("Sort it."), [*system("Sort it."), Message("user", "Text: {{text}}")]
        found = amendments_between(old, new, {"temperature": 0.0}, {"temperature": 0.7})
        message, clause, heat = found.amendments
        self.assertEqual((message.kind, clause.requires), ("layout", (message.id,)))
        self.assertEqual(heat.detail, "temperature: 0 becomes 0.7")
        with self.assertRaisesRegex(AmendmentError, message.id):
            found.apply([clause.id])
        self.assertEqual(found.apply([heat.id]), (tuple(old), {"temperature": 0.7}))
        self.assertEqual(found.without([message.id]), {heat.id})
        with self.assertRaisesRegex(AmendmentError, "no amendment 'amend-9'"):
            found.apply(["amend-9"])

    def test_a_text_that_shares_nothing_is_called_rewritten(self):
        self.assertTrue(amendments_between(system("A b. C d."), system("X y. Z w.")).rewritten)
        self.assertFalse(amendments_between(system("A b. C d."), system("A b. Z w.")).rewritten)


class GoingTogetherTest(unittest.TestCase):
    def groups(self, old, new):
        requires = requires_of(amendments_between(old, new), old, new)
        texts = {
            a.id: (a.after or a.before).text
            for a in amendments_between(old, new).amendments
            if a.after or a.before
        }
        return sorted(sorted(texts[i] for i in g if i in texts) for g in groups_of(requires))

    def test_halves_of_a_worked_example_and_its_messages_are_one(self):
        head, ask = Message("system", "You sort.\n- One word."), Message("user", "{{note}}")
        shown = [Message("user", "My hat is gone."), Message("assistant", "lost")]
        more = [Message("user", "All fine."), Message("assistant", "praise")]
        longer = Message("system", "You sort.\n- One word.\n- Be quick.")
        self.assertEqual(
            self.groups([head, ask], [longer, *shown, *more, ask]),
            [["- Be quick."], ["All fine.", "praise"], ["My hat is gone.", "lost"]],
        )
        self.assertEqual(
            self.groups([head, *shown, *more, ask], [longer, *more, ask]),
            [["- Be quick."], ["My hat is gone.", "lost"]],
        )
        # A user's message alone is no example, and clauses of one message stand for themselves.
        alone = Message("user", "Note one.\n\nNote two.")
        self.assertEqual(
            self.groups([head, ask], [head, alone, ask])[-2:], [["Note one."], ["Note two."]]
        )
