"""A clause's history, and merging two branches by amendments."""

import unittest

from nomikon.core.errors import NoCommonVersionError
from nomikon.core.prompts import Message
from nomikon.core.prompts.lineage import (
    Ancestor,
    clause_history,
    common_version,
    lineage_of,
    plan_merge,
)


def version(number, text, *parents, **settings):
    return Ancestor(number, (Message("system", text),), parents, settings)


class ClauseHistoryTest(unittest.TestCase):
    LINEAGE = lineage_of(
        [
            version(1, "Sort the message.\nBe brief."),
            version(2, "Sort the message.\nUse one label.\nBe brief.", 1),
            version(3, "Use exactly one label.\nBe brief.\nSort the message.", 2),
            version(4, "Sort the message.\nBe brief.\nNever guess a sailing time.", 1),
            version(
                5,
                "Use exactly one label.\nBe brief.\nSort the message.\nNever guess a sailing time.",
                3,
                4,
            ),
        ]
    )

    def told(self, number, version=5):
        return [
            (e.version, e.kind, e.number) for e in clause_history(self.LINEAGE, version, number)
        ]

    def test_the_version_that_brought_it_in_and_every_change(self):
        self.assertEqual(self.told(1), [(2, "add", 2), (3, "amend", 1)])
        self.assertEqual(self.told(2), [(1, "add", 2)])

    def test_a_clause_that_came_by_merging_is_followed_on_its_own_branch(self):
        self.assertEqual(self.told(4), [(4, "add", 3)])

    def test_a_clause_that_is_not_there(self):
        with self.assertRaises(KeyError):
            clause_history(self.LINEAGE, 1, 9)


class MergeTest(unittest.TestCase):
    def test_their_changes_are_proposed_ours_stay_and_a_clash_is_for_a_person(self):
        lineage = lineage_of(
            [
                version(
                    1,
                    "Sort the message.\nUse one label.\nBe brief.\nAnswer in prose.",
                    temperature=0.0,
                ),
                version(
                    2,
                    "Sort the message with care.\nUse one label.\nBe brief.\nAnswer in JSON.",
                    1,
                    temperature=0.0,
                ),
                version(
                    3,
                    "Sort the message.\nUse one label only.\nAnswer in XML.\nNever guess.",
                    1,
                    temperature=0.5,
                ),
            ]
        )
        merge = plan_merge(lineage, 2, 3)
        self.assertEqual(merge.base, 1)
        sides = {
            (c.amendment.after or c.amendment.before or c.amendment).__dict__.get(
                "text", c.amendment.detail
            ): c.side
            for c in merge.choices
        }
        self.assertEqual(
            sides,
            {
                "Sort the message.": "ours",
                "Use one label only.": "theirs",
                "Be brief.": "theirs",
                "Answer in XML.": "both",
                "Never guess.": "theirs",
                "temperature: 0 becomes 0.5": "theirs",
            },
        )
        messages, settings = merge.revision.apply(merge.proposed)
        self.assertEqual(
            messages[0].content,
            "Sort the message with care.\nUse one label only.\nAnswer in JSON.\nNever guess.",
        )
        self.assertEqual(settings, {"temperature": 0.5})

    def test_what_descends_from_the_other_is_common_itself_and_strangers_are_refused(self):
        lineage = lineage_of([version(1, "A b."), version(2, "A b c.", 1), version(3, "X.")])
        self.assertEqual(common_version(lineage, 1, 2), 1)
        with self.assertRaises(NoCommonVersionError):
            plan_merge(lineage, 2, 3)
