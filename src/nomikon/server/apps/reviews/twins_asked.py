"""The twins that a scorecard had asked about an answer, each with its own answer."""

from __future__ import annotations

from collections.abc import Iterable

from nomikon.core.measures import Answer, JudgeReply, read_scorecard
from nomikon.core.measures.twin_pairs import Twins
from nomikon.core.prompts import steps_of
from nomikon.core.replies.reasoning import part_reasoning
from nomikon.core.trials import ANSWERED
from nomikon.core.twins import what_of
from nomikon.engine.units import TWIN
from nomikon.server.apps.reviews.reads import AskedTwin
from nomikon.server.apps.trials.models import Call, Output
from nomikon.server.apps.trials.rescoring import answer_of
from nomikon.server.apps.twins.choosing import first_text, words_between


def asked_twins(output: Output) -> list[AskedTwin]:
    """Those of the trial's own scorecard, as they were asked last; none of a prompt of several steps,
    whose calls do not say which twin they are of."""
    if output.outcome != ANSWERED or len(steps_of(output.arm.sends)) > 1:
        return []
    calls = list(output.calls.filter(part=TWIN).order_by("position"))
    if not calls:
        return []
    card = read_scorecard(output.arm.trial.scorecard.document)
    seen = answer_of(output)
    found: list[AskedTwin] = []
    for name, measure in card.asking:
        if isinstance(measure, Twins):
            found += _of(name, measure, seen, _replies(c for c in calls if c.step == name))
    return found


def _replies(calls: Iterable[Call]) -> list[JudgeReply]:
    """A call that goes on where an answer was cut adds to the one before."""
    found: list[JudgeReply] = []
    for call in calls:
        text = part_reasoning(call.text).answer
        if call.continues and found:
            before = found.pop()
            text = before.text + text
        found.append(JudgeReply(text, call.finish_reason or None, call.failure))
    return found


def _of(name: str, measure: Twins, seen: Answer, replies: list[JudgeReply]) -> list[AskedTwin]:
    n = len(measure.twins_of(seen))
    # Asked once more after a failure, the later ones count.
    if n == 0 or len(replies) < n:
        return []
    rows: list[AskedTwin] = []
    for twin, reply, pair in measure.pairs(seen, replies[-n:]):
        changed = str(twin.about["input"])
        before, after = (first_text(x, changed) for x in (seen.inputs, twin.inputs))
        rows.append(
            {
                "measure": name,
                "kind": twin.kind,
                "what": what_of(twin.kind),
                "expects": twin.expects,
                "about": twin.about,
                "token": twin.token,
                "words": words_between(before, after),
                "answer": reply.text,
                "answer_words": words_between(seen.output, reply.text),
                "holds": pair.holds,
                "why": pair.why,
            }
        )
    return rows
