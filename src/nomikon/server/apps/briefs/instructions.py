"""What helping models are told: the wording that ships, and every later one, by role."""

from __future__ import annotations

from nomikon.core.consulting import ROLES, Role
from nomikon.core.errors import PromptError
from nomikon.server.apps.briefs.models import Instruction
from nomikon.server.apps.briefs.reads import WordingShape

# Under which name a role's wordings were stored before roles had theirs.
_STORED = {"amendments": "amend", "shorter": "trim", "adapt": "adapt"}


def role_named(role: str) -> Role:
    """Raises PromptError for a role nobody knows."""
    if role not in ROLES:
        raise PromptError(f"{role!r} is no role; allowed are {', '.join(ROLES)}", field="role")
    return ROLES[role]


def stored_as(role: str) -> str:
    """The purpose that a role's wordings are stored under."""
    return _STORED.get(role_named(role).name, role)


def instruction_for(role: str) -> str:
    """The newest wording, else the one that ships; the form of the reply is no part of it."""
    found = role_named(role)
    newest = Instruction.objects.filter(purpose=stored_as(role)).order_by("-number").first()
    return found.own_words(newest.text) if newest else found.words


def wordings_of(role: str) -> list[WordingShape]:
    """Every wording, the newest first; number 0 ships."""
    found = role_named(role)
    rows = Instruction.objects.filter(purpose=stored_as(role)).order_by("-number")
    own: list[WordingShape] = [
        {
            "number": r.number,
            "text": found.own_words(r.text),
            "note": r.note,
            "created_at": r.created_at,
            "created_by": r.created_by,
        }
        for r in rows
    ]
    shipped: WordingShape = {
        "number": 0,
        "text": found.words,
        "note": "as it ships",
        "created_at": None,
        "created_by": "",
    }
    return [*own, shipped]
