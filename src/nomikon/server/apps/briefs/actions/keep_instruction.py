"""Keep a reworded instruction as its next version; the former ones stay."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from django.db.models import Max

from nomikon.core.errors import ConflictError, PromptError
from nomikon.core.prompts import Message, placeholder_names
from nomikon.server.apps.briefs.instructions import instruction_for, role_named, stored_as
from nomikon.server.apps.briefs.models import Instruction
from nomikon.server.apps.ledger.write import write_ledger

LONGEST = 20_000


@dataclass
class KeepInstruction:
    """From now on it is what a model is told in this role, in every brief."""

    role: str
    text: str
    note: str
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> Instruction:
        role = role_named(self.role)
        purpose = stored_as(self.role)
        text = self.text.strip()
        if not text:
            raise PromptError("an instruction without words asks for nothing", field="text")
        if len(text) > LONGEST:
            raise PromptError(
                f"it has {len(text):,} characters; at most {LONGEST:,} are taken", field="text"
            )
        named = {*placeholder_names([Message("system", text)])}
        own = {*placeholder_names([Message("system", role.words)])}
        if other := sorted(named - own):
            raise PromptError(
                f"an instruction holds no placeholder such as {other[0]}: what it is about follows it",
                field="text",
            )
        if text == instruction_for(self.role).strip():
            raise ConflictError("it reads as the newest one does", field="text")
        last = Instruction.objects.filter(purpose=purpose).aggregate(n=Max("number"))["n"] or 0
        made = Instruction.objects.create(
            purpose=purpose,
            number=last + 1,
            text=text,
            note=self.note.strip()[:200],
            created_at=self.now,
            created_by=self.actor,
        )
        write_ledger(
            "instruction.kept",
            made,
            actor=self.actor,
            now=self.now,
            facts={"purpose": purpose, "number": made.number, "note": made.note},
        )
        return made
