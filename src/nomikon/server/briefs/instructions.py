"""What proposing models are told: the wording that ships, and every later one, by purpose."""

from __future__ import annotations

from typing import Any

from nomikon.core.errors import PromptError
from nomikon.core.prompts.amending import INSTRUCTIONS
from nomikon.server.briefs.models import Instruction


def check_purpose(purpose: str) -> None:
    """Raises PromptError for a purpose nobody knows."""
    if purpose not in INSTRUCTIONS:
        raise PromptError(
            f"{purpose!r} is no purpose; allowed are {', '.join(INSTRUCTIONS)}", field="purpose"
        )


def instruction_for(purpose: str) -> str:
    """The newest wording, else the one that ships."""
    check_purpose(purpose)
    newest = Instruction.objects.filter(purpose=purpose).order_by("-number").first()
    return newest.text if newest else INSTRUCTIONS[purpose]


def wordings_of(purpose: str) -> list[dict[str, Any]]:
    """Every wording, the newest first; number 0 ships."""
    check_purpose(purpose)
    rows = Instruction.objects.filter(purpose=purpose).order_by("-number")
    own = [
        {
            "number": r.number,
            "text": r.text,
            "note": r.note,
            "created_at": r.created_at,
            "created_by": r.created_by,
        }
        for r in rows
    ]
    shipped = {"text": INSTRUCTIONS[purpose], "note": "as it ships", "created_by": ""}
    return [*own, {"number": 0, "created_at": None, **shipped}]
