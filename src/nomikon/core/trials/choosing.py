"""Which cases a trial takes: all, the first, some at random with every stratum in its share, or chosen ones."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from nomikon.core.cases.arranging import TESTS_IN_WORDS
from nomikon.core.errors import PlanError
from nomikon.core.trials.plan import case_order

ALL, FIRST, RANDOM, TAG, WORDS, NUMBERS, WHERE = WHICH = (
    "all",
    "first",
    "random",
    "tag",
    "words",
    "numbers",
    "where",
)
MOST_NUMBERS = 100_000


@dataclass(frozen=True)
class CasesChoice:
    """which: one of WHICH. n: of the first and of those at random; seed: of these. tag, words,
    numbers: as they were asked for. where: conditions as the grid of cases has them, each with
    column, test and value, that must all hold; words may be asked for beside them."""

    which: str = ALL
    n: int | None = None
    seed: int = 0
    tag: str = ""
    words: str = ""
    numbers: str = ""
    where: Sequence[Mapping[str, str]] = ()

    def in_words(self) -> str:
        """As a plan and a board name it.

        >>> CasesChoice("random", 30, 7).in_words()
        '30 at random, seed 7'
        """
        return {
            ALL: "all of them",
            FIRST: f"the first {self.n}",
            RANDOM: f"{self.n} at random, seed {self.seed}",
            TAG: f"with the tag {self.tag}",
            WORDS: f"with the words “{self.words}”",
            NUMBERS: f"cases {self.numbers}",
            WHERE: self._conditions(),
        }[self.which]

    def _conditions(self) -> str:
        told = [
            f"{c['column'].removeprefix('#')} {TESTS_IN_WORDS[c['test']]} {c.get('value', '')}".strip()
            for c in self.where
        ]
        words = [f"with the words “{self.words}”"] if self.words.strip() else []
        return "where " + " and ".join(told + words)


def chosen(
    choice: CasesChoice,
    numbers: Sequence[int],
    strata: Sequence[str],
    tags: Sequence[Collection[str]],
    holding: Collection[int] = (),
) -> list[int]:
    """Places of the cases chosen, in order. Raises PlanError where there is none, or nothing was said.

    numbers, strata, tags: of the cases, by place. holding: the places of those that hold the words, or meet the
    conditions.
    Cases at random are the first of the order in which a trial with this seed asks them, so that
    every stratum comes in its share, and a greater choice holds the smaller one.
    """
    found = _chosen(choice, numbers, strata, tags, holding)
    if not found:
        raise PlanError(f"no case is chosen: there is none {_lacking(choice)}", field="cases")
    return found


def _lacking(choice: CasesChoice) -> str:
    if choice.which == TAG:
        return f"with the tag {choice.tag!r}"
    if choice.which == WORDS:
        return f"with the words {choice.words!r}"
    if choice.which == WHERE:
        return choice.in_words()
    return "of these numbers" if choice.which == NUMBERS else "here"


def _chosen(
    choice: CasesChoice,
    numbers: Sequence[int],
    strata: Sequence[str],
    tags: Sequence[Collection[str]],
    holding: Collection[int],
) -> list[int]:
    if choice.which == ALL:
        return list(range(len(numbers)))
    if choice.which in (FIRST, RANDOM):
        if choice.n is None or choice.n < 1:
            raise PlanError("say how many cases: 1 or more", field="cases.n")
        if choice.which == FIRST:
            return list(range(min(choice.n, len(numbers))))
        return sorted(case_order(strata, seed=choice.seed)[: choice.n])
    if choice.which == TAG:
        return [place for place, own in enumerate(tags) if choice.tag in own]
    if choice.which == WORDS:
        if not choice.words.strip():
            raise PlanError("say which words the cases must hold", field="cases.words")
        return sorted(holding)
    if choice.which == WHERE:
        if not choice.where and not choice.words.strip():
            raise PlanError("say which conditions the cases must meet", field="cases.where")
        return sorted(holding)
    if choice.which == NUMBERS:
        wanted = read_numbers(choice.numbers)
        there = set(numbers)
        if lost := sorted(wanted - there):
            raise PlanError(f"there is no case {lost[0]} here", field="cases.numbers")
        return [place for place, number in enumerate(numbers) if number in wanted]
    raise PlanError(f"{choice.which!r} is no choice; there are {', '.join(WHICH)}", field="cases")


def read_numbers(text: str) -> set[int]:
    """Numbers of cases as people write them. Raises PlanError with what cannot be read.

    >>> sorted(read_numbers("3, 7-9; 12"))
    [3, 7, 8, 9, 12]
    """
    found: set[int] = set()
    for part in re.split(r"[,;\s]+", re.sub(r"\s*[-–]\s*", "-", text.strip())):
        if not part:
            continue
        told = re.fullmatch(r"([0-9]{1,9})(?:-([0-9]{1,9}))?", part)
        if told is None:
            raise PlanError(
                f"{part!r} is no number of a case, nor two with a dash", field="cases.numbers"
            )
        first, last = int(told[1]), int(told[2] or told[1])
        if last < first or last - first >= MOST_NUMBERS:
            raise PlanError(f"{part!r} is no stretch of cases", field="cases.numbers")
        found.update(range(first, last + 1))
    return found
