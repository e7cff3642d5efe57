"""Proposed amendments: what is taken, put in order or refused; faults gathered from remarks."""

import json
import unittest

from hypothesis import given
from hypothesis import strategies as st

from nomikon.core.consulting import ROLES
from nomikon.core.errors import AmendmentError
from nomikon.core.prompts.about import about
from nomikon.core.prompts.amending import amend_inputs
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.evidence import Remark, gather_faults, remark_id
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.proposals import Proposal, apply_proposals, read_proposals
from nomikon.core.prompts.rendering import render_step
from nomikon.core.prompts.tenor import read_tenor

PROMPT = (
    Message(
        "system", "You sort letters. Be brief.\n\n- Use one word.\n- Never explain.\n\nThe end."
    ),
    Message("user", "Letter: {{letter}}"),
)


def read(*rows, faults=2):
    return read_proposals(json.dumps({"amendments": list(rows)}), PROMPT, faults)


def row(kind="amend", clause=2, text="Be very brief.", reason="so", **more):
    return {"kind": kind, "clause": clause, "text": text, "reason": reason, **more}


def texts(*rows):
    return [m.content for m in apply_proposals(PROMPT, read(*rows).proposals)]


class ApplyTest(unittest.TestCase):
    def test_each_kind_in_its_place(self):
        """By hand: §1 to §6 are the two sentences, two items, the closing sentence, the letter."""
        self.assertEqual([c.number for c in clauses_of(PROMPT)], [1, 2, 3, 4, 5, 6])
        system = PROMPT[0].content
        for change, wanted in (
            (row(), system.replace("Be brief.", "Be very brief.")),
            (row("strike", 2, ""), system.replace(" Be brief.", "")),
            (row("strike", 1, ""), system.replace("You sort letters. ", "")),
            (row("strike", 3, ""), system.replace("- Use one word.\n", "")),
            (row("add", 1, "Read twice."), system.replace("letters. ", "letters. Read twice. ")),
            (row("add", 4, "Say null."), system.replace("explain.", "explain.\n- Say null.")),
            (row("add", 0, "Mind this."), "Mind this.\n" + system),
            (row("amend", "§ 3", "Use two words."), system.replace("one word", "two words")),
        ):
            with self.subTest(change=change):
                self.assertEqual(texts(change)[0], wanted)

    def test_several_at_once_and_any_of_them_alone(self):
        rows = [
            row("add", 2, "One."),
            row("add", 2, "Two."),
            row("strike", 3, ""),
            row("amend", 5, "Done."),
        ]
        self.assertEqual(
            texts(*rows)[0], "You sort letters. Be brief. One. Two.\n\n- Never explain.\n\nDone."
        )

    @given(st.lists(st.sampled_from(["add", "amend", "strike"]), min_size=1, max_size=5), st.data())
    def test_what_is_not_named_stays_as_it_was(self, kinds, data):
        """Any set of proposals on different clauses leaves every other clause word for word."""
        numbers = data.draw(st.permutations(range(1, 6)))[: len(kinds)]
        made = [
            Proposal(f"p{i}", k, n, "" if k == "strike" else f"New words {i}.", "so")
            for i, (k, n) in enumerate(zip(kinds, numbers, strict=False))
        ]
        after = apply_proposals(PROMPT, made)
        there = [c.text for c in clauses_of(after)]
        touched = {p.clause for p in made if p.kind != "add"}
        for clause in clauses_of(PROMPT):
            if clause.number not in touched:
                self.assertTrue(any(clause.text in t for t in there), (clause, there))
        joined = "\n".join(there)
        for p in made:
            if p.text:
                self.assertIn(p.text, joined)


class ReadTest(unittest.TestCase):
    def test_what_cannot_stand_is_refused_with_its_reason_and_the_rest_kept(self):
        found = read(
            row(clause=99),
            row(text="Be brief."),
            row("praise"),
            row(clause="2 and 3"),
            row("strike", 6, ""),
            row("amend", 6, "Letter: {{message}}"),
            row("add", 2, "```\nopen"),
            "no object",
            row(text=""),
            row(fault=2),
            row("strike", 2, ""),
        )
        self.assertEqual([p.id for p in found.proposals], ["p10"])
        self.assertEqual(found.proposals[0].fault, 2)
        told = dict(found.refused)
        for place, words in (
            (1, "no clause §99"),
            (2, "as it does now"),
            (3, "no kind"),
            (4, "names no clause"),
            (5, "drops the placeholder letter"),
            (6, "drops the placeholder letter"),
            (7, "a fence"),
            (8, "not an object"),
            (9, "no text"),
            (11, "changed by another proposal (p10)"),
        ):
            with self.subTest(place=place):
                self.assertIn(words, told[place])

    def test_a_prompt_is_never_emptied(self):
        bare = (Message("user", "Hello."),)
        found = read_proposals(json.dumps([row("strike", 1, "")]), bare, 0)
        self.assertIn("nothing of the prompt", found.refused[0][1])

    def test_untidy_proposals_are_put_in_order(self):
        found = read(row("AMEND", "§3", "Use two words.", fault="Fault"))
        self.assertEqual(found.proposals[0].text, "- Use two words.")
        self.assertIn("mark of a list item", found.proposals[0].repaired)
        self.assertIsNone(found.proposals[0].fault)

    def test_a_reply_that_is_no_list_is_refused_whole(self):
        for text in ("I would change §2.", '{"note": "all fine"}', "[" * 20_000):
            with self.subTest(text=text[:15]), self.assertRaises(AmendmentError):
                read_proposals(text, PROMPT, 0)


class FaultsTest(unittest.TestCase):
    def test_alike_remarks_count_together_and_kinds_apart(self):
        remarks = [
            Remark("mark", "The vessel is missing", 1, 1),
            Remark("span", "vessel missing here", 2, 2, quote="Harrier"),
            Remark("mark", "Much too long for a notice", 3, 3),
            Remark("measure", "vessel is “Harrier”, not “Saltwife”", 4, 4, "fields"),
            Remark("measure", "vessel is “Little Auk”, not “Harrier”", 5, 5, "fields"),
            Remark("fault", "wrong tone", 6, 6, "tone"),
            Remark("fault", "wrong tone", 7, 6, "tone"),
        ]
        found = gather_faults(remarks)
        self.assertEqual(
            [(f.source, f.label, f.n, f.cases) for f in found],
            [
                ("mark", "", 2, 2),
                ("measure", "fields", 2, 2),
                ("fault", "tone", 2, 1),
                ("mark", "", 1, 1),
            ],
        )
        self.assertEqual(found[1].remarks[0].case, 4)

    def test_what_a_remark_is_about_comes_before_its_words(self):
        text = "Return JSON with the keys port, berth_number and cargo, for the pilot.\n{{x}}"
        tenor = read_tenor([Message("user", text)])
        for said, wanted in (
            ("the berth number is off by one", ("key", "berth_number")),
            ("cargo should hold a list", ("key", "cargo")),
            ("both port and cargo are wrong", None),
            ("goes on and on", ("length", "")),
            ("viel zu ausführlich", ("length", "")),
            ("se inventa una oferta", ("invented", "")),
            ("das Datum wurde weggelassen", ("left out", "")),
            ("ton trop sec", ("tone", "")),
            ("replied in English though the guest wrote German", ("language", "")),
            ("could be clearer", None),
        ):
            with self.subTest(said=said):
                found = about(said, tenor)
                self.assertEqual(found and (found.part, found.name), wanted)
        remarks = [
            Remark("mark", t, n, n)
            for n, t in enumerate(
                ("far too wordy", "berth number missing", "drags on", "no berth number")
            )
        ]
        found = gather_faults(remarks, tenor)
        self.assertEqual([f.n for f in found], [2, 2])
        # What a fault is ticked by stays, whatever is said of the same matter later.
        more = gather_faults([Remark("mark", "zu lang", 9, 9), *remarks], tenor)
        self.assertEqual({f.key for f in found}, {f.key for f in more})

    def test_a_remark_stays_where_a_person_put_it(self):
        said = (
            "no vessel named",
            "vessel not named here",
            "odd ending",
            "the sign-off is odd",
            "vessel?",
        )
        remarks = [Remark("mark", t, n, n) for n, t in enumerate(said)]
        ids = {t: remark_id(r) for t, r in zip(said, remarks, strict=True)}

        def groups(**moved):
            to = {ids[said[int(k[1:])]]: ids[said[v]] for k, v in moved.items()}
            found = gather_faults(remarks, None, to)
            self.assertEqual(sum(f.n for f in found), len(remarks))
            return sorted(sorted(r.output for r in f.remarks) for f in found)

        self.assertNotIn([2, 3], groups())
        # With another's group; through one that was moved itself; in a group of its own.
        self.assertIn([2, 3], groups(_2=3))
        self.assertIn([2, 3, 4], groups(_2=3, _4=2))
        self.assertIn([1], groups(_1=1))
        self.assertIn([1, 4], groups(_1=1, _4=1))
        # The same words elsewhere go along, and one whose companion was never said stays.
        again = [*remarks, Remark("span", "Odd  ending", 9, 9)]
        found = gather_faults(again, None, {ids["odd ending"]: ids["the sign-off is odd"]})
        self.assertIn([2, 3, 9], [sorted(r.output for r in f.remarks) for f in found])
        same = gather_faults(remarks, None, {ids["vessel?"]: "gone"})
        self.assertEqual([f.key for f in same], [f.key for f in gather_faults(remarks)])
        # The same words under two measures are two remarks, and what nobody moved stays.
        low = [
            Remark("measure", "too long", n, n, label) for n, label in ((6, "words"), (7, "lines"))
        ]
        apart = gather_faults([*remarks, *low], None, {ids["vessel?"]: ids["odd ending"]})
        self.assertEqual(sorted(f.label for f in apart if f.label), ["lines", "words"])
        # Two that were put with each other are not lost.
        self.assertTrue(groups(_2=3, _3=2))

    def test_by_vectors_remarks_without_a_word_in_common_go_together(self):
        said = ("where is the boat", "ship unnamed", "no kind word", "barely a greeting")
        remarks = [Remark("mark", t, n, n) for n, t in enumerate(said)]
        near = {"where is the boat": (1.0, 0.0), "ship unnamed": (0.8, 0.6),
                "no kind word": (0.0, -1.0), "barely a greeting": (-0.6, -0.8)}  # fmt: skip
        vectors = {remark_id(r): near[r.text] for r in remarks}
        by_vectors = gather_faults(remarks, None, None, vectors)
        self.assertEqual([f.n for f in by_vectors], [2, 2])
        self.assertEqual([f.n for f in gather_faults(remarks)], [1, 1, 1, 1])
        # One of them without a vector: all go by their words, none is left out.
        del vectors[remark_id(remarks[0])]
        self.assertEqual([f.n for f in gather_faults(remarks, None, None, vectors)], [1, 1, 1, 1])

    def test_five_thousand_remarks_on_five_matters_are_five_faults(self):
        topics = [
            "vessel missing",
            "time is wrong",
            "too long by far",
            "tone is cold",
            "label invented",
        ]
        remarks = [Remark("mark", f"{topics[i % 5]} in answer {i % 97}", i, i) for i in range(5000)]
        self.assertEqual([f.n for f in gather_faults(remarks)], [1000] * 5)

    def test_the_request_tells_clauses_and_faults_and_fills_nothing_twice(self):
        faults = gather_faults([Remark("mark", "it says {{letter}}", 1, 3, quote="Dear {{x}}")])
        inputs = amend_inputs(PROMPT, faults, "Sort letters.")
        asked = render_step(ROLES["amendments"].messages(), None, inputs, {})[1].content
        for words in (
            "§3 (system) - Use one word.",
            "Letter: {{letter}}",
            "Fault 1, in 1 cases",
            "Dear {{x}}",
        ):
            with self.subTest(words=words):
                self.assertIn(words, asked)
