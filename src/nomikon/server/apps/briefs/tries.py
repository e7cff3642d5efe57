"""Keep what a text under work was asked and answered, and what is said of the answers."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Max

from nomikon.core.errors import PromptError
from nomikon.server.apps.briefs.models import Brief, Try
from nomikon.server.apps.briefs.numbered import version_numbered

NOT_CAME = "Stopped before an answer came."


@dataclass
class BeginTry:
    """jobs: what is asked, the text's own first. models: id → (name, whether it is simulated)."""

    brief: Brief
    jobs: Sequence[Mapping[str, Any]]
    keep: Mapping[str, Any]
    models: Mapping[int, tuple[str, bool]]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Try:
        Brief.objects.select_for_update().get(pk=self.brief.pk)
        last = self.brief.tries.aggregate(Max("number"))["number__max"] or 0
        first = next((j for j in self.jobs if j["of"] is None), self.jobs[0])
        version, after = self.keep["version"], self.keep.get("after")
        return Try.objects.create(
            brief=self.brief,
            number=last + 1,
            version=version_numbered(self.brief, version, "version") if version else None,
            changed=self.keep["changed"],
            messages=[{"step": None, **m} for m in first["messages"]],
            settings=first["settings"],
            inputs={} if self.keep.get("rows") else first["inputs"],
            reference=None if self.keep.get("rows") else first["reference"],
            case=self.keep["case"],
            rows=self.keep.get("rows", []),
            step=self.keep.get("step", ""),
            talk=self.keep.get("talk", []),
            after=self.brief.tries.filter(number=after).first() if after else None,
            answers=[
                {
                    "key": job["key"],
                    "model": job["model"],
                    "model_name": self.models[job["model"]][0],
                    "simulated": self.models[job["model"]][1],
                    "settings": job["settings"],
                    "of": job["of"],
                    "repeat": job["repeat"],
                    "row": job.get("row"),
                    "result": None,
                    "problem": NOT_CAME,
                    "judgement": "",
                    "best": False,
                    "comment": "",
                }
                for job in self.jobs
            ]
            + self._carried(),
            created_at=self.now,
            created_by=self.actor,
        )

    def _carried(self) -> list[dict[str, Any]]:
        """Answers of former tries that hold here, too, under keys of their own."""
        wanted = self.keep.get("carry", [])
        rows = self.brief.tries.filter(number__in={w["number"] for w in wanted})
        there = {(t.number, a["key"]): a for t in rows for a in t.answers if a["result"]}
        return [
            {**there[w["number"], w["key"]], "key": f"carried {i}", "row": w["row"]}
            for i, w in enumerate(wanted)
            if (w["number"], w["key"]) in there
        ]


@dataclass
class FillTry:
    """results, problems: by the keys of the jobs they answer."""

    number: int
    brief: Brief
    results: Mapping[str, Mapping[str, Any]]
    problems: Mapping[str, str]

    @transaction.atomic
    def execute(self) -> None:
        row = Try.objects.select_for_update().get(brief=self.brief, number=self.number)
        for answer in row.answers:
            key = answer["key"]
            if key in self.results:
                answer["result"], answer["problem"] = dict(self.results[key]), ""
            elif key in self.problems:
                answer["problem"] = self.problems[key]
        row.save(update_fields=["answers"])


@dataclass
class MarkTry:
    """said: judgement, best and comment of the answer `key`; None leaves one as it is."""

    brief: Brief
    number: int
    key: str
    said: Mapping[str, Any]

    @transaction.atomic
    def execute(self) -> Try:
        row = Try.objects.select_for_update().get(brief=self.brief, number=self.number)
        found = next((a for a in row.answers if a["key"] == self.key), None)
        if found is None or found["result"] is None:
            raise PromptError("there is no such answer in this try", field="key")
        for name in ("judgement", "best", "comment"):
            if self.said[name] is not None:
                found[name] = self.said[name]
        if self.said["best"]:
            # One of them is the best.
            for other in row.answers:
                other["best"] = other is found
        row.save(update_fields=["answers"])
        return row
