"""How a brief's prompts are read beyond what rules read: by a person, and by a model."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence

from nomikon.core.prompts import Message, as_rows
from nomikon.core.prompts.tenor.by_model import Entry, as_fact, placed
from nomikon.core.prompts.tenor.facts import Fact, read_facts
from nomikon.core.prompts.tenor.shape import MODEL
from nomikon.server.apps.briefs.models import Brief, TextReading


def said_of(brief: Brief) -> tuple[Fact, ...]:
    """What people said, in the order in which it was told."""
    return read_facts(brief.readings)


def read_as(brief: Brief, messages: Sequence[Message]) -> tuple[Fact, ...]:
    """What people said, and what a model read of this text where rules read nothing."""
    told = [as_fact(e, MODEL) for e in read_by_model(brief, messages) if not e.is_remark]
    return (*said_of(brief), *told)


def remarks_on(brief: Brief, messages: Sequence[Message]) -> tuple[Entry, ...]:
    """What a model said of the wording of this text."""
    return tuple(e for e in read_by_model(brief, messages) if e.is_remark)


def read_by_model(brief: Brief, messages: Sequence[Message]) -> list[Entry]:
    """What is kept of this very text, else what the newest reading says of clauses that still stand."""
    if not messages:
        return []
    digest = digest_of(messages)
    readings = TextReading.objects.filter(brief=brief)
    found = readings.filter(digest=digest).first() or readings.first()
    if found is None:
        return []
    return placed(found.entries, messages, same=found.digest == digest)


def digest_of(messages: Sequence[Message]) -> str:
    """What tells one text from another."""
    return hashlib.sha256(json.dumps(as_rows(messages)).encode()).hexdigest()
