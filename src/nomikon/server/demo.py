"""Seeding the demo: its data through the same actions as a person's, its trials really run."""

from __future__ import annotations

import threading
from decimal import Decimal
from typing import Any

import numpy as np
import yaml
from django.utils import timezone

from nomikon import places
from nomikon.core.cases import read_csv
from nomikon.core.measures import read_scorecard
from nomikon.core.prompts import as_rows, parse_prompt_file
from nomikon.server.apps.briefs.actions.create_brief import CreateBrief
from nomikon.server.apps.briefs.actions.save_scorecard import SaveScorecard
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.actions.save_model import SaveModel
from nomikon.server.apps.connections.adding_simulated import AddSimulated
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.datasets.actions.create_dataset import CreateDataset
from nomikon.server.apps.datasets.actions.import_cases import ImportCases
from nomikon.server.apps.reviews.actions.mark_output import MarkOutput
from nomikon.server.apps.reviews.models import BAD, GOOD, USABLE, Mark
from nomikon.server.apps.reviews.queue import reading_queue
from nomikon.server.apps.trials.actions.start_trial import StartTrial
from nomikon.server.apps.trials.models import COMPLETE, OPEN_STATES, Arm, Output, ScoreRow, Trial
from nomikon.server.apps.trials.planning import make_plan
from nomikon.server.apps.verdicts.actions.adopt_arm import AdoptArm
from nomikon.server.apps.verdicts.models import Verdict

DEMO_DIR = places.demo()
ACTOR = "demo"
CONNECTION = "Stand-in"
CHECK_S = 0.5


class Seeder:
    """Plants what is missing; run again it adds nothing and changes nothing of a person's."""

    def __init__(self, *, base_url: str, with_trials: bool = True) -> None:
        self.base_url = base_url
        self.with_trials = with_trials
        self.plan: dict[str, Any] = yaml.safe_load(
            (DEMO_DIR / "demo.yaml").read_text(encoding="utf-8")
        )

    def plant(self) -> None:
        """Connection, models, briefs, versions, cases and scorecards; takes about a second."""
        models = self._connection()
        for row in self.plan["briefs"]:
            if not Brief.objects.filter(name=row["name"]).exists():
                self._brief(row, models)

    def _who(self) -> dict[str, Any]:
        return {"actor": ACTOR, "now": timezone.now()}

    def _connection(self) -> list[Model]:
        stored = AddSimulated(self.base_url, **self._who(), name=CONNECTION).execute()
        for row in self.plan["models"]:
            if not stored.models.filter(name=row["name"]).exists():
                SaveModel(
                    connection=stored,
                    model=None,
                    name=row["name"],
                    context_length=row["context_length"],
                    price_in=Decimal(str(row["price_in"])),
                    price_out=Decimal(str(row["price_out"])),
                    **self._who(),
                ).execute()
        return list(stored.models.order_by("id"))

    def _brief(self, row: dict[str, Any], models: list[Model]) -> None:
        folder = DEMO_DIR / row["folder"]
        brief = CreateBrief(row["name"], row["job"], row["task"], **self._who()).execute()
        dataset = CreateDataset(brief, row["dataset"], **self._who()).execute()
        table = read_csv((folder / "cases.csv").read_bytes())
        uses = {c: {"as": c} for c in ("reference", "split", "tags") if c in table.columns}
        ImportCases(dataset, table, uses, "working", **self._who(), source="cases.csv").execute()
        card = yaml.safe_load((folder / "scorecard.yaml").read_text(encoding="utf-8"))
        SaveScorecard(brief, card, **self._who()).execute()
        saved: dict[int, Any] = {}
        for number, version in enumerate(row["versions"], 1):
            prompt = parse_prompt_file((folder / version["file"]).read_text(encoding="utf-8"))
            saved[number] = SaveVersion(
                brief,
                as_rows(prompt.messages),
                dict(prompt.settings),
                saved.get(version.get("parent")),
                version["note"],
                **self._who(),
            ).execute()
        data = dataset.versions.order_by("-number").first()
        for trial in row.get("trials", []) if self.with_trials else []:
            plan = make_plan(
                brief,
                versions=trial["versions"],
                models=[m.pk for m in models],
                settings=[],
                dataset_version=data.pk if data else 0,
                split="working",
                repeats=1,
            )
            StartTrial(plan, trial["question"], **self._who()).execute()

    def finish(self, stopping: threading.Event) -> bool:
        """Wait for the worker to end the trials, then mark and adopt; False if stopped before."""
        names = [row["name"] for row in self.plan["briefs"]]
        waiting = Trial.objects.filter(brief__name__in=names, state__in=OPEN_STATES)
        while waiting.exists():
            if stopping.wait(CHECK_S):
                return False
        for row in self.plan["briefs"]:
            brief = Brief.objects.filter(name=row["name"]).first()
            if brief is None:
                continue
            if (
                row.get("marks")
                and not Mark.objects.filter(output__arm__trial__brief=brief).exists()
            ):
                self._mark(brief, row["marks"])
            if row.get("adopt") and not Verdict.objects.filter(brief=brief).exists():
                self._adopt(brief, row["adopt"])
        return True

    def _mark(self, brief: Brief, count: int) -> None:
        """Marks as a careful person would give them here: right, nearly right, or not.

        From what can be counted alone: a judge is not to be held against itself.
        """
        rng = np.random.default_rng(0)
        for row in reading_queue(brief, reader=ACTOR)["queue"][:count]:
            output = Output.objects.get(pk=row["output"])
            score = output.scores.order_by("-id").first()
            total = _counted(score)
            judgement = GOOD if total >= 0.99 else USABLE if total >= 0.7 else BAD
            why = ""
            if judgement != GOOD and score and rng.random() < 0.7:
                why = next((w for v, w, *_ in score.packed.values() if v is not None and v < 1), "")
            MarkOutput(output.pk, judgement, why, **self._who()).execute()

    def _adopt(self, brief: Brief, row: dict[str, Any]) -> None:
        trial = brief.trials.filter(number=row["trial"], state=COMPLETE).first()
        if trial is None:
            return

        def arm(choice: dict[str, Any]) -> Arm:
            return trial.arms.get(version__number=choice["version"], model__name=choice["model"])

        AdoptArm(arm(row["arm"]).pk, arm(row["against"]).pk, row["reason"], **self._who()).execute()


def _counted(score: ScoreRow | None) -> float:
    """The mean of the scores that no judge gave."""
    if score is None:
        return 0.0
    judged = {name for name, _ in read_scorecard(score.scorecard.document).judged}
    values = [v for name, (v, *_) in score.packed.items() if name not in judged and v is not None]
    return sum(values) / len(values) if values else 0.0
