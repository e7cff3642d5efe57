"""Trials, cases and answers by words that stand in them, or by their numbers."""

from __future__ import annotations

import json
import re
from typing import Any

from django.db.models import Q, QuerySet

from nomikon.server.apps.datasets.arranged import View, arranged
from nomikon.server.apps.datasets.models import Dataset, Entry
from nomikon.server.apps.datasets.versioning import newest_version, state_of
from nomikon.server.apps.trials.models import Output, Trial
from nomikon.server.desk.reads import FoundShape

# Of each kind: a list that is read at a glance. Who wants more narrows it.
MOST = 6
# Fewer letters stand nearly everywhere.
LEAST_LETTERS = 3
# Without a brief the cases of the newest datasets are looked through.
DATASETS = 10
SHOWN = 90


def found(words: str, brief: int | None) -> list[FoundShape]:
    """What these words find: in one brief, or in all; trials first, then cases, then answers."""
    words = words.strip()
    if not words:
        return []
    rows = [_trial_row(t) for t in _trials(words, brief)[:MOST]]
    number = _number_of("case", words)
    if number is None and len(words) < LEAST_LETTERS:
        return rows
    return [*rows, *_cases(words, number, brief), *_answers(words, brief)]


def _number_of(noun: str, words: str) -> int | None:
    told = re.fullmatch(rf"(?:{noun}\s*)?([0-9]{{1,9}})", words, re.IGNORECASE)
    return int(told.group(1)) if told else None


def _trials(words: str, brief: int | None) -> QuerySet[Trial]:
    number = _number_of("trial", words)
    wanted = Q(question__icontains=words) | Q(arms__model__name__icontains=words)
    if number is not None:
        wanted |= Q(number=number)
    trials = Trial.objects.filter(wanted).select_related("brief").distinct().order_by("-pk")
    return trials if brief is None else trials.filter(brief_id=brief)


def _trial_row(trial: Trial) -> FoundShape:
    return {
        "kind": "trial",
        "label": f"Trial {trial.number}" + (f": {trial.question}" if trial.question else ""),
        "hint": f"{trial.state}, {trial.brief.name}",
        "to": f"/briefs/{trial.brief_id}/trials/{trial.pk}",
    }


def _cases(words: str, number: int | None, brief: int | None) -> list[FoundShape]:
    # Twins say what their cases say: who looks for a case does not look for these.
    datasets = Dataset.objects.filter(twin_set=None).select_related("brief").order_by("-pk")
    datasets = datasets[:DATASETS] if brief is None else datasets.filter(brief_id=brief)
    rows: list[FoundShape] = []
    for dataset in datasets:
        version = newest_version(dataset)
        if version is None:
            continue
        entries = Entry.objects.select_related("revision__case")
        if number is not None:
            named = Q(revision__case__own_id__iexact=re.sub(r"(?i)^case\s+", "", words))
            numbered = Q(revision__case__own_id="", revision__case__number=number)
            entries = entries.filter(named | numbered, dataset_version=version)
        else:
            ids = arranged(state_of(version), View(words=words))[: MOST - len(rows)]
            entries = entries.filter(pk__in=ids)
        for entry in entries.order_by("position", "pk")[: MOST - len(rows)]:
            case = entry.revision.case
            told = "; ".join(_told(v) for v in entry.revision.inputs.values())
            rows.append(
                {
                    "kind": "case",
                    "label": f"Case {case.name}: {_around(told, words)}",
                    "hint": f"case of {dataset.name}, {dataset.brief.name}",
                    "to": f"/briefs/{dataset.brief_id}/cases?dataset={dataset.pk}&case={case.number}",
                }
            )
        if len(rows) >= MOST:
            break
    return rows


def _answers(words: str, brief: int | None) -> list[FoundShape]:
    outputs = Output.objects.filter(text__icontains=words).order_by("-pk")
    if brief is not None:
        outputs = outputs.filter(arm__trial__brief_id=brief)
    outputs = outputs.select_related("arm__trial", "revision__case", "arm__model", "arm__version")
    return [
        {
            "kind": "answer",
            "label": _around(output.text, words),
            "hint": f"{output.arm.in_words}, "
            f"case {output.revision.case.name}, trial {output.arm.trial.number}",
            "to": f"/briefs/{output.arm.trial.brief_id}/trials/{output.arm.trial_id}"
            f"?output={output.pk}",
        }
        for output in outputs[:MOST]
    ]


def _told(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def _around(text: str, words: str) -> str:
    """The text on one line, from a little before the words on."""
    line = " ".join(text.split())
    at = line.casefold().find(words.casefold())
    start = max(0, at - SHOWN // 3)
    shown = line[start : start + SHOWN]
    return ("…" if start else "") + shown + ("…" if start + SHOWN < len(line) else "")
