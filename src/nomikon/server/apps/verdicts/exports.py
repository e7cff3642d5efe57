"""A trial's scores, outputs and calls in open formats."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

from nomikon.core.cases.forms import ALSO_RIGHT
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.trials import ANSWERED
from nomikon.server.apps.reviews.models import Mark
from nomikon.server.apps.trials.cases import example_cases
from nomikon.server.apps.trials.facts import arm_facts, names_of
from nomikon.server.apps.trials.models import Call, Output, ScoreRow, Trial
from nomikon.server.apps.trials.reads import ArmShape

SCORE_COLUMNS = ("version", "model", "settings", "arm", "case", "id", "repeat", "score")
BATCH = 500


def arm_name(facts: ArmShape) -> str:
    """An arm as a trial file names it."""
    return f"{facts['version_label']} | {facts['model']} | {facts['settings_short']}"


def _facts(trial: Trial) -> dict[int, ArmShape]:
    arms = trial.arms.select_related("version", "model__connection")
    names = names_of(trial.pk)
    return {a.pk: arm_facts(a, names) for a in arms}


def _outputs(trial: Trial) -> Any:
    return (
        Output.objects.filter(arm__trial=trial)
        .select_related("revision__case")
        .order_by("arm__position", "revision__case__number", "repeat")
    )


def score_table(trial: Trial, *, whole: bool = False) -> tuple[list[str], list[dict[str, Any]]]:
    """Columns and rows, one an output: `nomikon compare` and `effects` read them; a blank is missing.

    whole: with the inputs, the answer, what was wanted, why each measure scores so, and what people
    said, for somebody who reads it as a sheet.
    """
    facts = _facts(trial)
    scored = {
        pk: (total, packed)
        for pk, total, packed in ScoreRow.objects.filter(
            output__arm__trial=trial, scorecard=trial.scorecard_id
        ).values_list("output_id", "total", "packed")
    }
    names = [m.get("name", m["measure"]) for m in trial.scorecard.document["measures"]]
    shown = example_cases(trial)
    marks: dict[int, list[Mark]] = {}
    if whole:
        for mark in Mark.objects.filter(output__arm__trial=trial, current=True).order_by("id"):
            marks.setdefault(mark.output_id, []).append(mark)
    rows: list[dict[str, Any]] = []
    for output in _outputs(trial).iterator(chunk_size=BATCH):
        arm = facts[output.arm_id]
        total, packed = scored.get(output.pk, (None, {}))
        rows.append(
            {
                "version": arm["version_label"],
                "model": arm["model"],
                "settings": arm["settings_short"],
                "arm": arm_name(arm),
                "case": output.revision.case.number,
                "id": output.revision.case.name,
                "repeat": output.repeat,
                # A case that an arm shows as a worked example counts for no arm: blank is missing.
                "score": "" if total is None or output.revision_id in shown else total,
                "outcome": output.outcome,
                **{n: packed[n][0] for n in names if n in packed and packed[n][0] is not None},
            }
        )
        if whole:
            rows[-1] |= _in_words(output, packed, marks.get(output.pk, []))
    told = [c for row in rows for c in row] if whole else []
    return list(dict.fromkeys([*SCORE_COLUMNS, "outcome", *names, *told])), rows


def _in_words(
    output: Output, packed: Mapping[str, Sequence[Any]], marks: Sequence[Mark]
) -> dict[str, Any]:
    """What an answer was given to, what it says, what was wanted, and what is said of it."""
    said = [f"{m.judgement}{f': {m.comment}' if m.comment else ''}" for m in marks]
    return {
        **{
            f"input {name}": "" if v is None else value_as_text(v)
            for name, v in output.revision.inputs.items()
        },
        "tags": "; ".join(output.revision.tags),
        "answer": output.text,
        "wanted": output.revision.reference,
        "why not answered": output.why if output.outcome != ANSWERED else "",
        **{f"why {name}": found[1] for name, found in packed.items() if len(found) > 1},
        "marks": "\n".join(said),
        "tokens in": output.tokens_in,
        "tokens out": output.tokens_out,
        "cost": None if output.cost_nominal is None else output.cost_nominal / 1e9,
        "latency ms": output.latency_ms,
    }


def output_lines(trial: Trial) -> Iterator[str]:
    """JSON Lines that `nomikon score` reads, one an output."""
    facts = _facts(trial)
    for output in _outputs(trial).iterator(chunk_size=BATCH):
        row = {
            "case": output.revision.case.number,
            "id": output.revision.case.name,
            "arm": arm_name(facts[output.arm_id]),
            "repeat": output.repeat,
            "output": output.text,
            "reference": output.revision.reference,
            **({ALSO_RIGHT: output.revision.forms} if output.revision.forms else {}),
            "inputs": output.revision.inputs,
            "outcome": output.outcome,
            "why": output.why,
            "suspected": output.suspected,
            "reasoning": output.reasoning,
            "finish_reason": output.finish_reason,
            "tokens_in": output.tokens_in,
            "tokens_out": output.tokens_out,
            "cost": None if output.cost_nominal is None else output.cost_nominal / 1e9,
            "latency_ms": output.latency_ms,
        }
        yield json.dumps(row, ensure_ascii=False, allow_nan=False) + "\n"


def spans_of(trial: Trial) -> Iterator[str]:
    """Every call as a span: OTLP in JSON, GenAI semantic conventions, in pieces of one document.

    Trace and span ids are made from the stored ids, so that an export made twice is the
    same; an answer from the store is no call and no span.
    """
    resource = {
        "attributes": [
            _attribute("service.name", "nomikon"),
            _attribute("nomikon.trial", trial.number),
        ]
    }
    head = json.dumps({"resource": resource}, ensure_ascii=False)[:-1]
    yield f'{{"resourceSpans": [{head}, "scopeSpans": [{{"scope": {{"name": "nomikon"}}, "spans": ['
    calls = (
        Call.objects.filter(output__arm__trial=trial, reused_from=None)
        .select_related("output__arm__model__connection", "asked_model__connection")
        .order_by("output_id", "position")
    )
    first = True
    for call in calls.iterator(chunk_size=BATCH):
        yield ("" if first else ",\n") + json.dumps(_span(call), ensure_ascii=False)
        first = False
    yield "]}]}]}"


def _span(call: Call) -> dict[str, Any]:
    model = call.asked_model or call.output.arm.asked_model
    began = call.answered_at - timedelta(milliseconds=call.latency_ms)
    attributes = [
        _attribute("gen_ai.operation.name", "chat"),
        _attribute("gen_ai.provider.name", model.connection.protocol),
        _attribute("gen_ai.request.model", model.name),
        _attribute("nomikon.output", call.output_id),
        _attribute("nomikon.part", call.part),
        _attribute("nomikon.attempts", call.attempts),
    ]
    for name, key in (
        ("temperature", "gen_ai.request.temperature"),
        ("top_p", "gen_ai.request.top_p"),
        ("max_tokens", "gen_ai.request.max_tokens"),
        ("seed", "gen_ai.request.seed"),
    ):
        if isinstance(call.request.get(name), (int, float)):
            attributes.append(_attribute(key, call.request[name]))
    for key, value in (
        ("gen_ai.usage.input_tokens", call.tokens_in),
        ("gen_ai.usage.output_tokens", call.tokens_out),
        ("gen_ai.response.model", call.model_identity or None),
    ):
        if value is not None:
            attributes.append(_attribute(key, value))
    if call.finish_reason:
        reasons = {"arrayValue": {"values": [{"stringValue": call.finish_reason}]}}
        attributes.append({"key": "gen_ai.response.finish_reasons", "value": reasons})
    return {
        "traceId": hashlib.sha256(f"output {call.output_id}".encode()).hexdigest()[:32],
        "spanId": hashlib.sha256(f"call {call.pk}".encode()).hexdigest()[:16],
        "name": f"chat {model.name}",
        "kind": 3,
        "startTimeUnixNano": _nanoseconds(began),
        "endTimeUnixNano": _nanoseconds(call.answered_at),
        "attributes": attributes,
        "status": {"code": 2, "message": call.failure} if call.failure else {"code": 0},
    }


def _nanoseconds(at: datetime) -> str:
    # 64-bit integers travel as text in OTLP's JSON.
    return str(int(at.timestamp() * 1_000_000) * 1000)


def _attribute(key: str, value: Any) -> dict[str, Any]:
    if isinstance(value, bool):
        return {"key": key, "value": {"boolValue": value}}
    if isinstance(value, int):
        return {"key": key, "value": {"intValue": str(value)}}
    if isinstance(value, float):
        return {"key": key, "value": {"doubleValue": value}}
    return {"key": key, "value": {"stringValue": str(value)}}
