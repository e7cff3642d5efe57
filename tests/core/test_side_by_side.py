"""Texts beside each other: every clause once, in the row of what it stands for."""

import random
import unittest

from nomikon.core.errors import PromptError
from nomikon.core.prompts import Message
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.side_by_side import side_by_side


def told(*texts):
    """By row what each text says of it, with how it stands to the first one's."""
    rows = side_by_side([[Message("system", t)] for t in texts])
    return [[c and f"{c.kind}: {c.clause.text}" for c in row.cells] for row in rows]


class SideBySideTest(unittest.TestCase):
    def test_three_texts_clause_by_clause(self):
        found = told(
            "You answer guests. Use at most 40 words. Name the pier.",
            "You answer guests. Use at most 25 words. Never promise a seat. Name the pier.",
            "You answer guests politely. Name the pier. Never promise anybody a seat.",
        )
        self.assertEqual(
            found,
            [
                ["first: You answer guests.", "same: You answer guests.",
                 "amended: You answer guests politely."],
                ["first: Use at most 40 words.", "amended: Use at most 25 words.", None],
                [None, "added: Never promise a seat.", "added: Never promise anybody a seat."],
                ["first: Name the pier.", "same: Name the pier.", "same: Name the pier."],
            ],
        )  # fmt: skip

    def test_what_stands_elsewhere_is_told_as_moved_and_not_twice(self):
        found = told(
            "Name the pier that the boat leaves from. Be kind to guests. Give two times of sailing.",
            "Be kind to guests. Give two times of sailing. Name the pier that the boat leaves from.",
        )
        kinds = [cell.split(":")[0] for row in found for cell in row[1:] if cell]
        self.assertEqual(sorted(kinds), ["moved", "same", "same"])
        self.assertEqual(len(found), 3)

    def test_one_text_or_five_are_refused_in_words(self):
        for n in (1, 5):
            with self.assertRaises(PromptError) as caught:
                side_by_side([[Message("user", "Hail.")]] * n)
            self.assertIn("two to 4 versions", caught.exception.message)

    def test_no_clause_is_lost_or_doubled_whatever_was_changed(self):
        draw = random.Random(7)
        words = "ferry pier guest time kind brief list name seat tide wind rope crew deck".split()
        base = [" ".join(draw.sample(words, 5)).capitalize() + "." for _ in range(14)]
        for _ in range(60):
            texts = []
            for _ in range(draw.randint(2, 4)):
                own = [s for s in base if draw.random() > 0.2]
                own += [" ".join(draw.sample(words, 4)).capitalize() + "."] * (draw.random() > 0.5)
                if draw.random() > 0.5:
                    draw.shuffle(own)
                texts.append([Message("system", " ".join(own or ["Hail."]))])
            rows = side_by_side(texts)
            for place, text in enumerate(texts):
                cells = [row.cells[place] for row in rows]
                there = [c.clause.number for c in cells if c is not None]
                self.assertEqual(sorted(there), [c.number for c in clauses_of(text)])
                self.assertTrue(all(len(row.cells) == len(texts) for row in rows))
