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
from nomikon.models.protocols import texts_of
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
            found += _of(name, measure, seen, [c for c in calls if c.step == name])
    return found


def _replies(calls: Iterable[Call]) -> list[tuple[str, JudgeReply]]:
    """What was sent and what came; a call that goes on where an answer was cut adds to the one before."""
    found: list[tuple[str, JudgeReply]] = []
    for call in calls:
        text = part_reasoning(call.text).answer
        if call.continues and found:
            sent, before = found.pop()
            text = before.text + text
        else:
            sent = "\n".join(texts_of(call.request))
        found.append((sent, JudgeReply(text, call.finish_reason or None, call.failure)))
    return found


def _of(name: str, measure: Twins, seen: Answer, calls: list[Call]) -> list[AskedTwin]:
    twins = measure.twins_of(seen)
    # Asked once more after a failure, the later ones count.
    asked = _replies(calls)[-len(twins) :] if twins else []
    texts = [first_text(t.inputs, str(t.about["input"])) for t in twins]
    # Twins that were made by a former rule are told by the score alone.
    if len(asked) != len(twins) or any(
        t not in sent for t, (sent, _) in zip(texts, asked, strict=True)
    ):
        return []
    rows: list[AskedTwin] = []
    for (twin, reply, pair), after in zip(
        measure.pairs(seen, [reply for _, reply in asked]), texts, strict=True
    ):
        before = first_text(seen.inputs, str(twin.about["input"]))
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
