"""What a person put right of how a brief's prompts are read."""

from __future__ import annotations

from nomikon.core.prompts.tenor.facts import Fact, read_facts
from nomikon.server.apps.briefs.models import Brief


def read_as(brief: Brief) -> tuple[Fact, ...]:
    """The brief's facts, in the order in which they were told."""
    return read_facts(brief.readings)
