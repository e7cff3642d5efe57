"""Whether an answer has the form that its own prompt asks for, as far as it is read by rule.

A quick look while drafting; a trial's scores come from the scorecard alone.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from nomikon.core.measures.base import Answer
from nomikon.core.measures.registry import make_measure
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import find_tags, value_of
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.prompts.tenor import read_tenor
from nomikon.core.prompts.tenor.checks import checks_of
from nomikon.core.prompts.tenor.facts import Fact


@dataclass(frozen=True)
class FormCheck:
    """One thing the prompt asks of the form: what, whether it holds, and why not."""

    what: str
    ok: bool
    why: str


# A value that is longer is what is worked on, not a word of the instruction.
LONGEST_VALUE = 200


def check_form(
    messages: Sequence[Message],
    answer: str,
    inputs: Mapping[str, Any] | None = None,
    facts: Sequence[Fact] = (),
) -> list[FormCheck]:
    """The checks that the prompt's own words call for; empty where none is found.

    Read are the messages of the last step. inputs: of the case; a short value within a sentence
    ("in at most {{n}} words", "one of: {{labels}}") is read as part of it, while a text that is worked on
    says nothing of the answer. facts: what a person, or a model, said of how it is read. Each check is scored by the very measure that *check it*
    would put on the scorecard; what that cannot tell is left out.
    """
    last = next((m.step for m in reversed(messages) if m.step is not None), None)
    own = [m for m in messages if m.step in (None, last)]
    found = []
    for check in checks_of(read_tenor(_filled(own, inputs or {}), facts=facts)):
        parameters = {k: v for k, v in check.measure.items() if k != "measure"}
        score = make_measure(str(check.measure["measure"]), parameters).score(
            Answer(answer, inputs=inputs or {})
        )
        if score.value is not None:
            ok = score.value == 1
            found.append(FormCheck(check.says, ok, "" if ok else score.why))
    return found


def _filled(messages: Sequence[Message], inputs: Mapping[str, Any]) -> list[Message]:
    """The messages with the short values that stand within a sentence put in their places."""
    return [replace(m, content=_filled_text(m.content, inputs)) for m in messages]


def _filled_text(text: str, inputs: Mapping[str, Any]) -> str:
    parts, at = [], 0
    for tag in find_tags(text):
        value = value_of(inputs, tag.name) if tag.kind == "variable" else None
        if value is None or not _within_a_sentence(text, tag.start, tag.end):
            continue
        said = value_as_text(value)
        if isinstance(value, list) and all(isinstance(v, str) for v in value):
            said = ", ".join(value)
        if len(said) <= LONGEST_VALUE and "\n" not in said.strip():
            parts += [text[at : tag.start], said]
            at = tag.end
    return "".join([*parts, text[at:]])


def _within_a_sentence(text: str, start: int, end: int) -> bool:
    """Whether words of an instruction stand around it on its line, and not its name alone."""
    before = text[:start].rsplit("\n", 1)[-1].strip()
    after = text[end:].split("\n", 1)[0].strip()
    if not after.strip(".;!?"):
        # At the end of its line: a list of labels or a number belongs there, what follows a name does not.
        return len(before.split()) > 2
    return bool(before)
