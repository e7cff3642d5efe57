"""What a trial shows: its arms with figures, its cells, one output whole, two arms compared."""

from __future__ import annotations

import threading
import time
from functools import lru_cache
from typing import Any

import numpy as np
from django.db.models import Count, Max, Sum
from django.utils import timezone

from nomikon.core.measures import TOTAL, Scorecard, read_scorecard
from nomikon.core.prompts import settings_in_short
from nomikon.core.stats import (
    ComparisonResult,
    PairComparison,
    ScoreRow,
    compare,
    threshold_state,
)
from nomikon.core.stats.signflip import TIE
from nomikon.core.stats.words import (
    level_after,
    no_worse,
    no_worse_in_words,
    verdict_in_words,
)
from nomikon.core.trials import FAILED
from nomikon.engine.units import ANSWER
from nomikon.server.reviews.models import Mark
from nomikon.server.trials.cases import cases_of, example_cases
from nomikon.server.trials.judged import count_unjudged
from nomikon.server.trials.looks import held_out_looks
from nomikon.server.trials.models import COMPLETE, RUNNING, Arm, Call, Output, Trial
from nomikon.server.trials.models import ScoreRow as StoredScore
from nomikon.server.trials.racing import spared_outputs
from nomikon.server.trials.reworking import bring_figures_up, last_reworked
from nomikon.server.trials.settling import doubtful_of

# The total as if no gate had failed; no measure can have this name.
UNGATED = "(ungated)"
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def letter(position: int) -> str:
    """A, B … Z, AA, AB …: an arm's letter on its board."""
    name = ""
    position += 1
    while position:
        position, rest = divmod(position - 1, 26)
        name = LETTERS[rest] + name
    return name


def arm_facts(arm: Arm) -> dict[str, Any]:
    """What an arm is, wherever it is named."""
    return {
        "id": arm.pk,
        "position": arm.position,
        "letter": letter(arm.position),
        "version": arm.version.number,
        "without": arm.without,
        "version_label": arm.version_label,
        "model": arm.model.name,
        "simulated": arm.model.is_simulated,
        "settings": arm.settings,
        "settings_short": settings_in_short(arm.settings),
    }


def score_rows(trial: Trial, measure: str = TOTAL) -> list[ScoreRow]:
    """Scores by the trial's own scorecard and today's rules; failures are missing, not zero.

    Cases that an arm's text shows as worked examples are left out.
    """
    bring_figures_up(trial, timezone.now())
    stored = StoredScore.objects.filter(output__arm__trial=trial, scorecard=trial.scorecard_id)
    scored: dict[int, float | None]
    if measure in (TOTAL, UNGATED):
        column = "total" if measure == TOTAL else "ungated"
        scored = dict(stored.values_list("output_id", column))
    else:
        scored = {
            pk: packed.get(measure, (None,))[0]
            for pk, packed in stored.values_list("output_id", "packed")
        }
    rows = (
        Output.objects.filter(arm__trial=trial)
        .order_by("arm__position", "id")
        .values_list("id", "arm_id", "revision_id", "repeat")
    )
    shown = example_cases(trial)
    return [
        ScoreRow(str(arm), str(rev), n, scored.get(pk))
        for pk, arm, rev, n in rows
        if rev not in shown
    ]


@lru_cache(maxsize=256)
def _figures(
    trial_id: int,
    newest: int,
    n: int,
    against: int | None,
    scorecard: int,
    changed: int,
    measure: str,
) -> ComparisonResult | None:
    """The comparison at one state of a trial, which the other parameters tell."""
    trial = Trial.objects.get(pk=trial_id)
    rows = score_rows(trial, measure)
    if not rows:
        return None
    margin = float(trial.scorecard.document.get("margin", 0.05))
    return compare(
        rows if trial.state == COMPLETE else _so_far(rows),
        against=None if against is None else str(against),
        margin=margin,
        with_pairs=against is not None,
    )


def _so_far(rows: list[ScoreRow]) -> list[ScoreRow]:
    """Until a trial is complete a case stands for what its repeats have come to so far.

    Waiting for all of them would leave a trial of several repeats without any figure at first;
    what is told of an unfinished trial is an estimate either way.
    """
    cells: dict[tuple[str, str], list[float | None]] = {}
    for row in rows:
        cells.setdefault((row.arm, row.case), []).append(row.score)
    return [
        ScoreRow(arm, case, 0, None if None in found else sum(s or 0.0 for s in found) / len(found))
        for (arm, case), found in cells.items()
    ]


def state_key(trial: Trial) -> tuple[int, int]:
    """What changes whenever an output comes in: figures worked out before are then stale."""
    found = Output.objects.filter(arm__trial=trial).aggregate(newest=Max("id"), n=Count("id"))
    return found["newest"] or 0, found["n"]


def figures_of(
    trial: Trial, against: Arm | None = None, measure: str = TOTAL
) -> ComparisonResult | None:
    """Means, intervals and comparisons of a trial's arms; None before the first score.

    Rows of former rules are worked out anew first, so that no figure mixes two.
    """
    bring_figures_up(trial, timezone.now())
    newest, n = state_key(trial)
    # The state is part of the key: the same outputs are read otherwise once all are in.
    return _figures(
        trial.pk,
        newest,
        n + (10**9 if trial.state == COMPLETE else 0),
        against.pk if against else None,
        trial.scorecard_id,
        trial.scores_changed,
        measure,
    )


# However many pages watch a running trial, its figures are worked out once in this time.
FRESH_S = 1.0
_recent: dict[int, tuple[float, dict[str, Any]]] = {}
_working_out = threading.Lock()


def summary_of(trial: Trial) -> dict[str, Any]:
    """A trial with its arms' figures, counts, cost and latency.

    Of a running trial the figures may be a second old; what it is and how it
    stands is always as it is now.
    """
    if trial.state != RUNNING:
        return _summary(trial)
    with _working_out:
        at, found = _recent.get(trial.pk, (float("-inf"), {}))
        if time.monotonic() - at > FRESH_S:
            found = _summary(trial)
            for other in [t for t, (then, _) in _recent.items() if time.monotonic() - then > 60]:
                del _recent[other]
            _recent[trial.pk] = (time.monotonic(), found)
    return {**found, **trial_facts(trial)}


def _summary(trial: Trial) -> dict[str, Any]:
    arms = list(trial.arms.select_related("version", "model__connection"))
    figures = figures_of(trial)
    card = read_scorecard(trial.scorecard.document)
    means = {a.arm: a for a in figures.arms} if figures else {}
    held = thresholds_of(trial, card)
    rows = Output.objects.filter(arm__trial=trial).values_list(
        "arm_id",
        "outcome",
        "failure",
        "latency_ms",
        "cost_nominal",
        "cost_new",
        "tokens_in",
        "tokens_out",
    )
    per_arm: dict[int, list[tuple[Any, ...]]] = {a.pk: [] for a in arms}
    for arm_id, *rest in rows.iterator():
        per_arm[arm_id].append(tuple(rest))
    done = sum(len(r) for r in per_arm.values())
    letters = {a.pk: letter(a.position) for a in arms}
    return {
        **trial_facts(trial),
        "looks": held_out_looks(trial.dataset_version.dataset),
        "examples": len(example_cases(trial)),
        "reworked": last_reworked(trial),
        "spared": spared_outputs(trial) if trial.racing else 0,
        "done": done,
        "reused": Call.objects.filter(output__arm__trial=trial, reused_from__isnull=False).count(),
        "spent": trial.spent_nano if any(a.price_in_nano is not None for a in arms) else None,
        "nominal": _total(r[3] for found in per_arm.values() for r in found),
        "beside": Call.objects.filter(output__arm__trial=trial, output__superseded_by=None)
        .exclude(part=ANSWER)
        .aggregate(sum=Sum("cost"))["sum"]
        or 0,
        "connections": sorted({a.model.connection_id for a in arms}),
        "unjudged": count_unjudged(trial),
        "doubtful": doubtful_of(
            trial, {int(m.arm): (m.mean, len(per_arm[int(m.arm)])) for m in means.values()}
        ),
        "judges": sorted({m.model for _, m in card.judged}),
        "arms": [
            {
                **arm_facts(a),
                **_arm_figures(per_arm[a.pk], means.get(str(a.pk))),
                "dropped": a.dropped and {**a.dropped, "against": letters[a.dropped["against"]]},
                "thresholds": held.get(a.pk, []),
            }
            for a in arms
        ],
    }


def thresholds_of(trial: Trial, card: Scorecard) -> dict[int, list[dict[str, Any]]]:
    """For each arm what its scorecard calls good enough: met, missed or unsure, by the interval."""
    found: dict[int, list[dict[str, Any]]] = {}
    for threshold in card.thresholds:
        figures = figures_of(trial, measure=threshold.measure)
        ((rule, needed),) = threshold.limits.items()
        for arm in figures.arms if figures else []:
            found.setdefault(int(arm.arm), []).append(
                {
                    "measure": threshold.measure,
                    "rule": rule.replace("_", " "),
                    "needed": needed,
                    "mean": arm.mean,
                    "low": arm.low,
                    "high": arm.high,
                    "state": threshold_state(arm.low, arm.high, **threshold.limits),
                }
            )
    return found


def trial_facts(trial: Trial) -> dict[str, Any]:
    """What a trial is, without its figures."""
    return {
        "id": trial.pk,
        "brief": trial.brief_id,
        "number": trial.number,
        "question": trial.question,
        "purpose": trial.purpose,
        "state": trial.state,
        "asked": trial.asked,
        "message": trial.message,
        "budget": trial.budget_nano,
        "split": trial.split,
        "repeats": trial.repeats,
        "continuations": trial.continuations,
        "racing": trial.racing,
        "extensions": trial.extensions,
        "n_cases": trial.n_cases,
        "n_outputs": trial.n_outputs,
        "estimate": trial.estimate,
        "scorecard": trial.scorecard.number,
        "dataset_version": trial.dataset_version_id,
        "dataset": trial.dataset_version.dataset.name,
        "created_at": trial.created_at,
        "started_at": trial.started_at,
        "finished_at": trial.finished_at,
    }


def _total(values: Any) -> int | None:
    known = [v for v in values if v is not None]
    return sum(known) if known else None


def _arm_figures(rows: list[tuple[Any, ...]], mean: Any) -> dict[str, Any]:
    counts = {"cut": 0, "declined": 0, "empty": 0, "failed": 0}
    failures: dict[str, int] = {}
    for outcome, failure, *_ in rows:
        if outcome in counts:
            counts[outcome] += 1
        if outcome == FAILED:
            failures[failure] = failures.get(failure, 0) + 1
    latencies = [r[2] for r in rows if r[2] is not None]
    costs = [r[3] for r in rows if r[3] is not None]
    return {
        "n": len(rows),
        **counts,
        "failures": failures,
        "n_cases": mean.n_cases if mean else 0,
        "mean": mean.mean if mean else None,
        "low": mean.low if mean else None,
        "high": mean.high if mean else None,
        "method": mean.method if mean else None,
        "latency_ms": float(np.median(latencies)) if latencies else None,
        "cost": sum(costs) if costs else None,
        "cost_per_1000": round(1000 * sum(costs) / len(costs)) if costs else None,
        "tokens_in": sum(r[5] or 0 for r in rows),
        "tokens_out": sum(r[6] or 0 for r in rows),
    }


def cells_of(trial: Trial) -> dict[str, Any]:
    """The matrix: cases in the dataset's order, and every output as a short row.

    Rows read [output, arm's position, case revision, repeat, outcome, total].
    """
    scored = dict(
        StoredScore.objects.filter(
            output__arm__trial=trial, scorecard=trial.scorecard_id
        ).values_list("output_id", "total")
    )
    outputs = Output.objects.filter(arm__trial=trial).values_list(
        "id", "arm__position", "revision_id", "repeat", "outcome"
    )
    cases = cases_of(trial).values_list(
        "revision_id", "revision__case__number", "revision__inputs", "revision__tags"
    )
    return {
        "cases": [
            {"revision": rev, "number": number, "text": _gist(inputs), "tags": tags}
            for rev, number, inputs, tags in cases
        ],
        "rows": [
            [pk, arm, rev, rep, outcome, scored.get(pk)]
            for pk, arm, rev, rep, outcome in outputs.iterator()
        ],
    }


def _gist(inputs: dict[str, Any], limit: int = 90) -> str:
    """The first input's beginning: enough to tell a case from the next."""
    longest = max((str(v) for v in inputs.values() if v is not None), key=len, default="")
    text = " ".join(longest.split())
    return text if len(text) <= limit else text[: limit - 1] + "…"


def output_of(output: Output) -> dict[str, Any]:
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
        "case": {
            "number": output.revision.case.number,
            "revision": output.revision_id,
            "inputs": output.revision.inputs,
            "reference": output.revision.reference,
            "conversation": output.revision.conversation,
            "tags": output.revision.tags,
        },
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
            {
                "position": c.position,
                "part": c.part,
                "model": c.asked_model.name if c.asked_model else output.arm.model.name,
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
                "reused": c.reused_from_id is not None,
                "answered_at": c.answered_at,
                "model_identity": c.model_identity,
            }
            for c in output.calls.select_related("asked_model")
        ],
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
        "mark": mark
        and {
            "judgement": mark.judgement,
            "comment": mark.comment,
            "spans": mark.spans,
            "faults": mark.faults,
            "better": mark.better,
            "reader": mark.reader,
            "created_at": mark.created_at,
        },
    }


def _messages_of(request: dict[str, Any]) -> list[dict[str, str]]:
    """What was sent, as messages; a protocol without roles sends one text."""
    if "text_input" in request:
        return [{"role": "user", "content": request["text_input"]}]
    found: list[dict[str, str]] = request.get("messages", [])
    return found


def comparison_of(trial: Trial, a: Arm, b: Arm) -> dict[str, Any]:
    """a against b: the figures, and the cases where they differ, greatest loss first."""
    result = figures_of(trial, against=b)
    figures = next((c for c in result.comparisons if c.a == str(a.pk)), None) if result else None
    told = _in_words(trial, figures, a, b)
    by_case: dict[int, dict[int, list[tuple[int, float | None, str, str]]]] = {}
    scored = dict(
        StoredScore.objects.filter(
            output__arm__in=[a, b], scorecard=trial.scorecard_id
        ).values_list("output_id", "total")
    )
    rows = (
        Output.objects.filter(arm__in=[a, b])
        .order_by("repeat")
        .values_list("id", "arm_id", "revision_id", "outcome", "text")
    )
    for pk, arm, rev, outcome, text in rows:
        by_case.setdefault(rev, {}).setdefault(arm, []).append((pk, scored.get(pk), outcome, text))
    changed = []
    numbers = {c["revision"]: c for c in cells_of(trial)["cases"]}
    references = dict(cases_of(trial).values_list("revision_id", "revision__reference"))
    shown = example_cases(trial)
    for rev, found in by_case.items():
        left, right = _mean(found.get(a.pk)), _mean(found.get(b.pk))
        if left is None or right is None or abs(left - right) <= TIE or rev not in numbers:
            continue
        if rev in shown:
            continue
        changed.append(
            {
                "revision": rev,
                "number": numbers[rev]["number"],
                "text": numbers[rev]["text"],
                "reference": references.get(rev),
                "difference": left - right,
                "a": {"output": found[a.pk][0][0], "score": left, "text": found[a.pk][0][3]},
                "b": {"output": found[b.pk][0][0], "score": right, "text": found[b.pk][0][3]},
            }
        )
    changed.sort(key=lambda c: (c["difference"], c["number"]))
    arms = {str(x.pk): x for x in trial.arms.select_related("version", "model__connection")}
    family = result.comparisons if result else []
    return {
        "family": [
            {**c.__dict__, "a": int(c.a), "b": int(c.b), "arm": arm_facts(arms[c.a])}
            for c in family
        ],
        "a": arm_facts(a),
        "b": arm_facts(b),
        "complete": trial.state == COMPLETE,
        **told,
        "figures": figures and {**figures.__dict__, "a": a.pk, "b": b.pk},
        "changed": changed,
    }


def _in_words(trial: Trial, figures: PairComparison | None, a: Arm, b: Arm) -> dict[str, Any]:
    """What the figures say, by rule; no worse within the margin only once a trial is complete."""
    margin = float(trial.scorecard.document.get("margin", 0.05))
    names = [f"{x.version_label} on {x.model.name.removeprefix('standin-')}" for x in (a, b)]
    complete = trial.state == COMPLETE
    level = level_after(trial.extensions)
    judged = figures is not None and complete and figures.low is not None
    return {
        "margin": margin,
        "level": level,
        "words": verdict_in_words(figures, names[0], names[1], complete=complete, level=level),
        "no_worse": no_worse(figures, margin) if figures is not None and judged else None,
        "no_worse_words": no_worse_in_words(figures, margin, names[0], names[1])
        if figures is not None and judged
        else "",
    }


def _mean(found: list[tuple[int, float | None, str, str]] | None) -> float | None:
    if not found or any(s is None for _, s, _, _ in found):
        return None
    return sum(s for _, s, _, _ in found if s is not None) / len(found)
