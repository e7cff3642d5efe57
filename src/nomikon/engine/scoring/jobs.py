"""What is scored, as it travels to a process and back."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

from nomikon.core.measures import Answer, Score, Scorecard, Scores, read_scorecard
from nomikon.core.measures.scorecard import Replies, score_answer, score_group
from nomikon.core.trials import Outcome

# A text up to this long is scored in the loop by measures that are linear in it.
LONGEST_LINEAR = 100_000
# What a process tells: the measure it is at, and the scores of a job.
AT, DONE = "at", "done"


@dataclass(frozen=True)
class Job:
    """One output, or all repeats of one arm on one case, to be scored by a card's document.

    answers: one, or all of a group. known: for each the scores that are had already.
    """

    document: str
    answers: tuple[Answer, ...]
    outcomes: tuple[Outcome | None, ...]
    known: tuple[Mapping[str, Score], ...]
    replies: Replies | None = None
    grouped: bool = False

    def with_known(self, name: str, score: Score) -> Job:
        """The same with one score given: what cannot be worked out is not tried again."""
        return replace(self, known=tuple({**k, name: score} for k in self.known))


@lru_cache(maxsize=32)
def card_of(document: str) -> Scorecard:
    """The scorecard of a document, read once."""
    return read_scorecard(json.loads(document))


@lru_cache(maxsize=32)
def _all_linear(document: str) -> bool:
    return all(e.measure.linear for e in card_of(document).entries)


def is_light(job: Job) -> bool:
    """Whether it can be scored where it is: linear measures on texts of ordinary length."""
    if not _all_linear(job.document):
        return False
    return all(
        len(a.output) + len(a.reference or "") + sum(len(t.text) for t in a.turns) <= LONGEST_LINEAR
        for a in job.answers
    )


def worked_out(job: Job, at: Callable[[str], None] = lambda name: None) -> list[Scores]:
    """The scores, in order. at: told the name of each measure before it is asked."""
    card = card_of(job.document)
    if job.grouped:
        outcomes = [o or Outcome("answered", "") for o in job.outcomes]
        return score_group(card, job.answers, outcomes, job.known, at=at)
    ((answer,), (outcome,), (known,)) = (job.answers, job.outcomes, job.known)
    return [score_answer(card, answer, outcome, job.replies, known, at=at)]


def none_of(job: Job, score: Score) -> list[Scores]:
    """Every measure without a score: where not even the card could be gone through."""
    card = card_of(job.document)
    return [Scores({e.name: score for e in card.entries}, score, None) for _ in job.answers]
