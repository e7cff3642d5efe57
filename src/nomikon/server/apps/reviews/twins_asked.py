"""The twins that a scorecard had asked about an answer, each with its own answer."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from nomikon.core.measures import Answer, JudgeReply, read_scorecard
from nomikon.core.measures.twin_pairs import Twins
from nomikon.core.prompts import steps_of
from nomikon.core.trials import ANSWERED, Piece, read_answer
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
    # The part of an answer that the score looked at.
    part_of = card.beginning.part_of
    whole = answer_of(output)
    seen = replace(whole, output=part_of(whole.output) or "")
    stops = output.arm.settings.get("stop", ())
    where = output.arm.asked_model.reasoning
    found: list[AskedTwin] = []
    for name, measure in card.asking:
        if not isinstance(measure, Twins):
            continue
        asked: list[tuple[str, JudgeReply]] = []
        for sent, pieces, failure in _asked(c for c in calls if c.step == name):
            read = read_answer(pieces, stops, where)
            reply = JudgeReply(part_of(read.text) or "", read.finish_reason, failure)
            asked.append((sent, reply))
        found += _of(name, measure, seen, asked)
    return found


def _asked(calls: Iterable[Call]) -> list[tuple[str, list[Piece], str]]:
    """What was sent, the pieces that came, and the failure; a call that goes on where an answer was cut
    adds a piece to the one before."""
    found: list[tuple[str, list[Piece], str]] = []
    for c in calls:
        tools = tuple(name for name, _ in c.tool_calls)
        piece = Piece(c.text, c.finish_reason or None, c.reasoning, c.refusal, tools)
        if c.continues and found:
            sent, before, _ = found.pop()
            found.append((sent, [*before, piece], c.failure))
        else:
            found.append(("\n".join(texts_of(c.request)), [piece], c.failure))
    return found


def _of(
    name: str, measure: Twins, seen: Answer, replies: Sequence[tuple[str, JudgeReply]]
) -> list[AskedTwin]:
    twins = measure.twins_of(seen)
    # Asked once more after a failure, the later ones count.
    asked = replies[-len(twins) :] if twins else []
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
