"""One output whole: what was sent, what came, every score and why."""

from __future__ import annotations

from typing import Any

from nomikon.core.prompts.placeholders import column_of, placeholder_names
from nomikon.server.apps.briefs.reads import MessageShape
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.reviews.reads import CallShape, MarkShape, OutputCase, OutputShape
from nomikon.server.apps.reviews.twins_asked import asked_twins
from nomikon.server.apps.trials.facts import arm_facts
from nomikon.server.apps.trials.models import Call, Output


def output_of(output: Output) -> OutputShape:
    """One output whole: input, messages as sent, answer, every score and why."""
    score = output.scores.filter(scorecard_id=output.arm.trial.scorecard_id).first()
    mark = Mark.objects.filter(output=output, current=True).order_by("-id").first()
    packed = score.packed if score else {}
    names = [m.get("name", m["measure"]) for m in output.arm.trial.scorecard.document["measures"]]
    return {
        "id": output.pk,
        "trial": output.arm.trial_id,
        "trial_number": output.arm.trial.number,
        "brief": output.arm.trial.brief_id,
        "arm": arm_facts(output.arm),
        "case": _case_row(output.revision),
        "uses": _used(output),
        "repeat": output.repeat,
        "outcome": output.outcome,
        "why": output.why,
        "suspected": output.suspected,
        "failure": output.failure,
        "text": output.text,
        "reasoning": output.reasoning,
        "turns": [{"role": role, "text": text} for role, text in output.turns],
        "finish_reason": output.finish_reason,
        "tokens_in": output.tokens_in,
        "tokens_out": output.tokens_out,
        "cost": output.cost_nominal,
        "latency_ms": output.latency_ms,
        "first_ms": output.first_ms,
        "total": score.total if score else None,
        "total_why": score.total_why if score else "",
        "scores": [
            {"measure": n, "score": packed[n][0], "why": packed[n][1]} for n in names if n in packed
        ],
        "calls": [
            _call_row(c, output.arm.model.name if output.arm.model else "")
            for c in output.calls.select_related("asked_model")
        ],
        "twins": asked_twins(output),
        "current": output.superseded_by is None,
        "former": [
            {
                "id": o.pk,
                "outcome": o.outcome,
                "failure": o.failure,
                "text": o.text,
                "cost": o.cost_nominal,
                "created_at": o.created_at,
            }
            for o in Output.every.filter(
                arm=output.arm, revision=output.revision, repeat=output.repeat
            )
            .exclude(pk=output.pk)
            .order_by("-id")
        ],
        "mark": mark_row(mark) if mark else None,
    }


def _case_row(revision: CaseRevision) -> OutputCase:
    return {
        "number": revision.case.number,
        "id": revision.case.own_id,
        "revision": revision.pk,
        "inputs": revision.inputs,
        "reference": revision.reference,
        "forms": revision.forms,
        "conversation": revision.conversation,
        "tags": revision.tags,
    }


def mark_row(mark: Mark) -> MarkShape:
    """What a reader said of an answer."""
    return {
        "judgement": mark.judgement,
        "comment": mark.comment,
        "spans": mark.spans,
        "faults": mark.faults,
        "better": mark.better,
        "reader": mark.reader,
        "created_at": mark.created_at,
    }


def _messages_of(request: dict[str, Any]) -> list[MessageShape]:
    """What was sent, as messages; a protocol without roles sends one text."""
    if "text_input" in request:
        return [{"role": "user", "content": request["text_input"], "step": None}]
    return [
        {"role": m["role"], "content": m["content"], "step": None}
        for m in request.get("messages", [])
    ]


def _call_row(c: Call, model: str) -> CallShape:
    return {
        "position": c.position,
        "part": c.part,
        "model": c.asked_model.name if c.asked_model else model,
        "failure": c.failure,
        "cost": c.cost,
        "step": c.step,
        "continues": c.continues,
        "messages": _messages_of(c.request),
        "settings": {
            k: v
            for k, v in c.request.items()
            if k not in ("messages", "text_input", "stream", "stream_options")
        },
        "text": c.text,
        "reasoning": c.reasoning,
        "refusal": c.refusal,
        "tool_calls": [{"name": n, "arguments": a} for n, a in c.tool_calls],
        "tokens_cached": c.tokens_cached,
        "tokens_reasoning": c.tokens_reasoning,
        "finish_reason": c.finish_reason,
        "tokens_in": c.tokens_in,
        "tokens_out": c.tokens_out,
        "tokens_estimated": c.tokens_estimated,
        "latency_ms": c.latency_ms,
        "attempts": c.attempts,
        "wasted": (c.wasted_in or 0) + (c.wasted_out or 0),
        "reused": c.attempts == 0 and c.tokens_out is not None,
        "answered_at": c.answered_at,
        "model_identity": c.model_identity,
    }


def _used(output: Output) -> list[str]:
    """The inputs that the prompt reads, whole or a key of what they hold."""
    names = placeholder_names(output.arm.sends)
    found = [column_of(name, output.revision.inputs) or name for name in names]
    return list(dict.fromkeys(found))
