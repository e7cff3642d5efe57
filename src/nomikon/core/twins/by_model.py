"""Having a model write twins of cases: what it is asked, how its reply is read. Nothing here calls a model."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from nomikon.core.errors import PromptError
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.replies import ReplyError, pick, rows_of

REWORDED, THERE_AND_BACK, HARDER, BORDER = "reworded", "there-and-back", "harder", "border"
# What each kind is, as the model is told and a person reads.
BY_MODEL: Mapping[str, str] = {
    REWORDED: "the same in other words",
    THERE_AND_BACK: "as it reads when it was put into another language and back",
    HARDER: "harder to read: an aside, a correction in mid-sentence, a hint in place of a name",
    BORDER: "changed as little as possible so that another answer would be right",
}
MOST_CASES = 20

INSTRUCTION = """\
You write twins of inputs for the job below, to find out whether a prompt holds when its input is put \
differently. Write one twin of every kind named for every case shown. All kinds but border keep every fact \
of the case, so that the same answer is right; a border twin changes as little as possible so that another \
answer is right. Write each twin the way a real person would, in the language of its case; never explain it."""

FORM = """\
Reply with one JSON object and nothing else: its key "twins" holds a list of objects with the keys "case" \
(the number of the case), "kind" (one of {{kinds}}), "text" (the whole input as it reads now) and "answer" \
(of a border twin the answer that is right now, in the form of the wanted one shown; else null)."""

TAIL = """\
Job:
{{job}}

Kinds:
{{told}}

Cases:
{{cases}}"""


@dataclass(frozen=True)
class ShownCase:
    """A case as it is shown. text: the input that is put differently; wanted: its reference, if known."""

    number: int
    text: str
    wanted: str | None = None


@dataclass(frozen=True)
class WrittenTwin:
    """One twin that a model wrote. answer: what would be right now, of a border twin where it says so."""

    case: int
    kind: str
    text: str
    answer: str | None = None


@dataclass(frozen=True)
class WrittenTwins:
    """What a reply held. refused: why an item of it is no twin, by its place from 1."""

    twins: list[WrittenTwin]
    refused: list[tuple[int, str]] = field(default_factory=list)
    repaired: list[str] = field(default_factory=list)
    passed_over: list[str] = field(default_factory=list)


def twin_inputs(job: str, kinds: Sequence[str], cases: Sequence[ShownCase]) -> dict[str, str]:
    """What fills the request. Raises PromptError for kinds that are none, and for no or too many cases."""
    chosen = list(dict.fromkeys(kinds)) or list(BY_MODEL)
    for kind in chosen:
        if kind not in BY_MODEL:
            raise PromptError(
                f"{kind!r} is no kind that a model writes; there are {', '.join(BY_MODEL)}",
                field="kinds",
            )
    if not 1 <= len(cases) <= MOST_CASES:
        raise PromptError(
            f"{len(cases)} cases; a model is shown 1 to {MOST_CASES} at once", field="cases"
        )
    return {
        "job": job,
        "kinds": ", ".join(chosen),
        "told": "\n".join(f"- {k}: {BY_MODEL[k]}" for k in chosen),
        "cases": "\n\n".join(
            f"Case {c.number}:\n{c.text}" + (f"\nWanted: {c.wanted}" if c.wanted else "")
            for c in cases
        ),
    }


def read_twins(reply: str, cases: Sequence[ShownCase]) -> WrittenTwins:
    """Twins from a model's reply; an item that is none is refused with its reason, the others are kept.

    Raises PromptError where nothing of it can be read.
    """
    try:
        found = rows_of(reply, "twins", ("items", "cases", "variants"), (("text", "input"),))
    except ReplyError as error:
        raise PromptError(str(error), field="text") from error
    if not found.value:
        raise PromptError('the list "twins" of the reply is empty', field="text")
    shown = {c.number: c for c in cases}
    twins: list[WrittenTwin] = []
    refused: list[tuple[int, str]] = []
    seen = {(c.number, _plain(c.text)) for c in cases}
    for place, row in enumerate(found.value, 1):
        try:
            twin = _read_one(row, shown)
            if (twin.case, _plain(twin.text)) in seen:
                raise PromptError("it says what its case says, or an earlier twin, word for word")
            seen.add((twin.case, _plain(twin.text)))
            twins.append(twin)
        except PromptError as error:
            refused.append((place, error.message))
    return WrittenTwins(twins, refused, list(found.repaired), list(found.passed_over))


def _read_one(row: Any, shown: Mapping[int, ShownCase]) -> WrittenTwin:
    if not isinstance(row, dict):
        raise PromptError("not an object")
    said = re.search(r"\d+", str(pick(row, "case", "case_number", "number", "id") or ""))
    number = int(said[0]) if said else next(iter(shown)) if len(shown) == 1 else 0
    if number not in shown:
        raise PromptError("it names no case that was shown")
    text = pick(row, "text", "input", "twin")
    if not isinstance(text, str) or not text.strip():
        raise PromptError("it has no text")
    kind = re.sub(r"[\s_]+", "-", str(pick(row, "kind", "type") or "").strip().casefold())
    if kind not in BY_MODEL:
        raise PromptError(f"its kind is {kind or 'not named'}, none of {', '.join(BY_MODEL)}")
    answer = pick(row, "answer", "expected", "reference") if kind == BORDER else None
    told = None if answer in (None, "") else value_as_text(answer)
    return WrittenTwin(number, kind, text, told)


def _plain(text: str) -> str:
    return " ".join(text.casefold().split())
