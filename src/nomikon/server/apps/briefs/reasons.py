"""Why a version differs from its parent, clause by clause, whatever clauses are numbered by today."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nomikon.core.prompts import check_messages, clauses_of
from nomikon.core.rules import CLAUSE_RULE
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.briefs.reads import ReasonShape
from nomikon.server.typed import copied


def with_clauses(
    reasons: Sequence[Mapping[str, Any]], parent: Version | None
) -> list[dict[str, Any]]:
    """Reasons as they are stored: each with the text of the clause that its number stands for."""
    if not reasons:
        return []
    found = clauses_of(check_messages(parent.messages)) if parent else []
    texts = {c.number: c.text for c in found}
    return [{**r, "before": texts.get(r["clause"], "")} for r in reasons]


def reasons_today(version: Version) -> list[ReasonShape]:
    """Reasons with the numbers that their clauses have today.

    One whose clause is cut otherwise today names none (0): its text still says what it is about.
    """
    if version.clause_rule == CLAUSE_RULE or version.parent is None or not version.reasons:
        return [copied(ReasonShape, r) for r in version.reasons]
    numbers: dict[str, int] = {}
    for clause in clauses_of(check_messages(version.parent.messages)):
        numbers.setdefault(clause.text, clause.number)
    return [
        copied(ReasonShape, r, clause=numbers.get(r.get("before", ""), 0)) for r in version.reasons
    ]
