"""Keep settings under a name, or take such a name away."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.errors import SettingsError
from nomikon.core.prompts import check_settings
from nomikon.core.prompts.files import TASKS
from nomikon.core.prompts.presets import PRESETS
from nomikon.server.apps.briefs.models import OwnPreset
from nomikon.server.apps.ledger.write import write_ledger


@dataclass
class KeepPreset:
    """A name of one's own that exists already takes the new settings."""

    name: str
    task: str
    settings: dict[str, Any]
    reason: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> OwnPreset:
        name = " ".join(self.name.split())
        if not name:
            raise SettingsError("a preset needs a name", field="name")
        if name.lower() in {p.name.lower() for p in PRESETS}:
            raise SettingsError(f"{name!r} is a preset that ships; take another name", field="name")
        if self.task not in TASKS:
            raise SettingsError(
                f"unknown task {self.task!r}; allowed are {', '.join(TASKS)}", field="task"
            )
        settings = check_settings(self.settings)
        if not settings:
            raise SettingsError("a preset holds at least one setting", field="settings")
        kept, _ = OwnPreset.objects.update_or_create(
            name=name,
            defaults={
                "task": self.task,
                "settings": settings,
                "reason": self.reason.strip()[:200],
                "created_at": self.now,
            },
        )
        write_ledger("preset.kept", kept, actor=self.actor, now=self.now, facts={"name": name})
        return kept


@dataclass
class RemovePreset:
    """Versions and trials hold their settings themselves: nothing else changes."""

    preset: OwnPreset
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        write_ledger(
            "preset.removed",
            self.preset,
            actor=self.actor,
            now=self.now,
            facts={"name": self.preset.name},
        )
        self.preset.delete()
