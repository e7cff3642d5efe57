"""How a model reads a prompt: two passes over the same text, kept, and what both of them say.

Of a text whose clauses were mostly read before only the others are put to the model again.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from nomikon.core.errors import DomainError
from nomikon.core.prompts import Message, as_rows, check_messages, clauses_of
from nomikon.core.prompts.tenor.by_model import (
    Entry,
    agreed,
    as_kept,
    placed,
    read_model_reading,
    unread,
)
from nomikon.server.apps.briefs.facts import digest_of
from nomikon.server.apps.briefs.instructions import instruction_for
from nomikon.server.apps.briefs.models import Brief, TextReading
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.consultations.actions.consult import CloseConsultation, Consult
from nomikon.server.apps.consultations.asking import price_at_most, request_of
from nomikon.server.apps.consultations.models import TAKEN, Consultation, StandingReader
from nomikon.server.apps.consultations.reads import ModelEntryShape, ModelReadingShape
from nomikon.server.apps.consultations.subjects import prepare
from nomikon.server.typed import copied

ROLE, PASSES = "reading", 2
# So many former readings of a brief are looked through for one whose clauses still stand.
LOOKED_THROUGH = 20


@dataclass(frozen=True)
class _Text:
    """A text that is to be read. onto: the former reading of which most clauses still stand.

    only: the clauses that it did not see; none where all are to be read.
    """

    brief: Brief
    messages: tuple[Message, ...]
    onto: TextReading | None
    only: list[int]

    @property
    def about(self) -> dict[str, Any]:
        """What the consultation is about."""
        about: dict[str, Any] = {"brief": self.brief.pk, "messages": as_rows(self.messages)}
        if self.onto is not None:
            about |= {"onto": self.onto.pk, "only": self.only}
        return about


def model_reading(
    brief: Brief, rows: Sequence[Mapping[str, Any]], model: Model | None
) -> ModelReadingShape:
    """What is kept of this very text, and what the passes that are wanting would cost at most."""
    text = _text(brief, rows)
    same, read = _kept(text)
    newest = Consultation.objects.filter(brief=brief, role=ROLE).order_by("-id").first()
    failed = newest and not newest.text and newest.tries and _is_of(newest, text)
    whole = _whole(text)
    if whole is not None:
        passes, both = PASSES, placed(whole.entries, text.messages, same=True)
    elif _stands(text):
        # Clauses only went or changed places: nothing in it was never read.
        assert text.onto is not None
        passes, both = PASSES, placed(text.onto.entries, text.messages, same=False)
    else:
        # Two passes of before readings were kept with their text have none.
        passes, both = len(read), agreed(read[1], read[0]) if len(read) >= PASSES else []
    price = None
    if model is not None:
        prepared = prepare(ROLE, text.about)
        request = request_of(prepared, instruction_for(ROLE))
        once = price_at_most(prepared.role, request, model, again=False)
        price = None if once is None else once * max(0, PASSES - passes)
    both.sort(key=lambda e: (e.message, e.start))
    asked = same[0].model if same else None
    told = whole or text.onto
    standing = StandingReader.objects.filter(brief=brief).first()
    return {
        "passes": passes,
        "wanted": PASSES,
        "unread": len(same) - len(read),
        "only": [] if passes >= PASSES else text.only,
        "model": asked.name if asked else told.model if told else "",
        "simulated": bool(asked.is_simulated if asked else told and told.simulated),
        "cost_at_most": price,
        "entries": [copied(ModelEntryShape, e.__dict__) for e in both],
        "alone": _alone(read),
        "failure": newest.tries[-1]["failure"] if newest and failed else "",
        "standing": standing.model_id if standing else None,
    }


def ask_for_reading(
    brief: Brief, rows: Sequence[Mapping[str, Any]], model: Model, actor: str, now: datetime
) -> None:
    """The passes that are wanting; each is kept when it comes. Raises DomainError."""
    text = _text(brief, rows)
    if _whole(text) is None and not _stands(text):
        for _ in range(PASSES - len(_kept(text)[1])):
            row = Consult(
                ROLE, text.about, model, instruction_for(ROLE), False, actor, now
            ).execute()
            # It waits for nobody: what it says is shown with its words, and a person confirms it there.
            CloseConsultation(row, TAKEN).execute()
            if not row.text:
                return
        _, read = _kept(text)
        if len(read) >= PASSES:
            _keep(text, agreed(read[1], read[0]), model.name, model.is_simulated, now)
    elif _whole(text) is None and text.onto is not None:
        entries = placed(text.onto.entries, text.messages, same=False)
        _keep(text, entries, text.onto.model, text.onto.simulated, now)


def _text(brief: Brief, rows: Sequence[Mapping[str, Any]]) -> _Text:
    messages = check_messages(rows)
    digest = digest_of(messages)
    best: tuple[TextReading | None, list[int]] = (None, [])
    for former in TextReading.objects.filter(brief=brief).exclude(digest=digest)[:LOOKED_THROUGH]:
        fresh = unread(former.clauses, messages)
        if fresh is not None and (best[0] is None or len(fresh) < len(best[1])):
            best = (former, fresh)
    return _Text(brief, messages, *best)


def _whole(text: _Text) -> TextReading | None:
    return TextReading.objects.filter(brief=text.brief, digest=digest_of(text.messages)).first()


def _stands(text: _Text) -> bool:
    return text.onto is not None and not text.only


def _keep(
    text: _Text, entries: Sequence[Entry], model: str, simulated: bool, now: datetime
) -> None:
    TextReading.objects.update_or_create(
        brief=text.brief,
        digest=digest_of(text.messages),
        defaults={
            "clauses": [c.text for c in clauses_of(text.messages)],
            "entries": [as_kept(e, text.messages) for e in entries],
            "model": model,
            "simulated": simulated,
            "created_at": now,
        },
    )


def _is_of(row: Consultation, text: _Text) -> bool:
    return bool(row.about.get("messages") == as_rows(text.messages))


def _kept(text: _Text) -> tuple[list[Consultation], list[list[Entry]]]:
    """The passes over this very text that gave a reply, the newest first; and those that can be read."""
    rows = Consultation.objects.filter(brief=text.brief, role=ROLE).exclude(text="")
    same = [c for c in rows.select_related("model").order_by("-id")[:200] if _is_of(c, text)]
    read = [entries for c in same if (entries := _entries(c, text)) is not None]
    return same, read[:PASSES]


def _entries(row: Consultation, text: _Text) -> list[Entry] | None:
    try:
        found = read_model_reading(row.text, text.messages).entries
    except DomainError:
        # It stays as it came; that it cannot be read is told by the count of those that can.
        return None
    onto = TextReading.objects.filter(pk=row.about.get("onto", 0)).first()
    if onto is None:
        return found
    only = row.about.get("only", [])
    fresh = [e for e in found if e.is_remark or e.clause in only]
    return [*placed(onto.entries, text.messages, same=False), *fresh]


def _alone(read: Sequence[Sequence[Entry]]) -> int:
    """How many things one of the passes said alone."""
    if len(read) < PASSES:
        return 0
    both = agreed(read[1], read[0])
    return sum(len(r) for r in read) - PASSES * len(both)
