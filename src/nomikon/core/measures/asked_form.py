"""Whether an answer has the form that its own prompt asks for, as far as it is read by rule.

A quick look while drafting; a trial's scores come from the scorecard alone.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nomikon.core.measures.base import Answer
from nomikon.core.measures.registry import make_measure
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.tenor import read_tenor
from nomikon.core.prompts.tenor.checks import checks_of


@dataclass(frozen=True)
class FormCheck:
    """One thing the prompt asks of the form: what, whether it holds, and why not."""

    what: str
    ok: bool
    why: str


def check_form(messages: Sequence[Message], answer: str) -> list[FormCheck]:
    """The checks that the prompt's own words call for; empty where none is found.

    Read are the messages of the last step. Each check is scored by the very measure that *check it*
    would put on the scorecard; what that cannot tell is left out.
    """
    last = next((m.step for m in reversed(messages) if m.step is not None), None)
    own = [m for m in messages if m.step in (None, last)]
    found = []
    for check in checks_of(read_tenor(own)):
        parameters = {k: v for k, v in check.measure.items() if k != "measure"}
        score = make_measure(str(check.measure["measure"]), parameters).score(Answer(answer))
        if score.value is not None:
            ok = score.value == 1
            found.append(FormCheck(check.says, ok, "" if ok else score.why))
    return found
