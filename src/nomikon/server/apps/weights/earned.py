"""Lines that earned their place: clauses of any brief whose weight was shown to be above nothing."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from nomikon.core.prompts import Message, check_messages
from nomikon.core.prompts.earned import SAME_LINE, Line, fitting, likeness
from nomikon.core.stats.clause_weights import EARNS, HURTS, NOTHING, Weight
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.trials.models import COMPLETE
from nomikon.server.apps.weights.models import Weighing
from nomikon.server.apps.weights.reading import weights_in
from nomikon.server.apps.weights.reads import EarnedLine, FailedLine

# The newest weighings are looked through: what was shown on models long gone says less.
MOST_WEIGHINGS = 100


def earned_lines() -> list[EarnedLine]:
    """Every such line with its evidence, the weightiest first; the same line once, by its newest weighing."""
    told = [(w, unit, text) for w in _weighings() for unit, text in _units(w)]
    failed = [(w, unit, text) for w, unit, text in told if unit.verdict in (HURTS, NOTHING)]
    found: list[EarnedLine] = []
    texts: dict[int, list[str]] = {}
    for weighing, unit, text in told:
        brief = weighing.brief
        if unit.verdict != EARNS or any(
            x["brief"] == brief.pk and likeness(x["text"], text) >= SAME_LINE for x in found
        ):
            continue
        model = _model(weighing)
        if brief.pk not in texts:
            texts[brief.pk] = _newest_lines(brief)
        found.append(
            {
                "text": text,
                "task": brief.task,
                "brief": brief.pk,
                "brief_name": brief.name,
                "version": weighing.version.number,
                "weighing": weighing.pk,
                "model": model.name,
                "simulated": model.is_simulated,
                "n_cases": weighing.trial.n_cases,
                "weight": unit.weight,
                "low": unit.low,
                "high": unit.high,
                "kept": any(likeness(text, line) >= SAME_LINE for line in texts[brief.pk]),
                "failed": [
                    _failed(w, u)
                    for w, u, other in failed
                    if w.brief_id != brief.pk and likeness(text, other) >= SAME_LINE
                ],
            }
        )
    return sorted(found, key=lambda x: -x["weight"])


def earned_for(brief: Brief, rows: list[dict[str, Any]]) -> list[EarnedLine]:
    """Those of other briefs that fit this one's text so far. rows: its messages, none for a first version."""
    messages: Sequence[Message] = check_messages(rows) if rows else ()
    lines = [x for x in earned_lines() if x["brief"] != brief.pk]
    places = fitting(
        [Line(x["text"], x["task"], x["weight"]) for x in lines],
        brief.task,
        f"{brief.name}\n{brief.job}",
        messages,
    )
    return [lines[i] for i in places]


def _weighings() -> list[Weighing]:
    rows = Weighing.objects.filter(trial__state=COMPLETE).select_related(
        "brief", "version", "trial__scorecard"
    )
    return list(rows[:MOST_WEIGHINGS])


def _units(weighing: Weighing) -> Iterator[tuple[Weight, str]]:
    """What was left out as one, with its weight and its words."""
    found = weights_in(weighing)
    lines = {x["number"]: x["text"] for x in weighing.lines}
    for unit in found.weights if found else []:
        text = "\n".join(lines[n].strip() for n in weighing.units[unit.unit] if n in lines)
        if text:
            yield unit, text


def _model(weighing: Weighing) -> Model:
    arms = weighing.trial.arms.select_related("model__connection")
    return arms.order_by("position")[0].asked_model


def _failed(weighing: Weighing, unit: Weight) -> FailedLine:
    return {
        "brief": weighing.brief_id,
        "brief_name": weighing.brief.name,
        "verdict": unit.verdict,
        "weight": unit.weight,
        "low": unit.low,
        "high": unit.high,
    }


def _newest_lines(brief: Brief) -> list[str]:
    newest = brief.versions.filter(archived=False).order_by("-number").first()
    if newest is None:
        return []
    return [
        line for m in check_messages(newest.messages) for line in m.content.splitlines() if line
    ]
