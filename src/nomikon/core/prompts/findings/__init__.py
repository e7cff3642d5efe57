"""Findings: weak spots of a prompt that can be told without asking a model.

Each rule is one function with an id; docs/findings.md gives each a bad and a
good example, and a test holds them to it.
"""

from nomikon.core.prompts.findings import (
    by_model,
    examples,
    form,
    inputs,
    leftovers,
    settings,
    task,
    wording,
)
from nomikon.core.prompts.findings.base import (
    ERROR,
    NOTE,
    SEVERITIES,
    WARNING,
    Finding,
    Fix,
    Subject,
    check_prompt,
    rules,
)

__all__ = [
    "ERROR",
    "NOTE",
    "SEVERITIES",
    "WARNING",
    "Finding",
    "Fix",
    "Subject",
    "by_model",
    "check_prompt",
    "examples",
    "form",
    "inputs",
    "leftovers",
    "rules",
    "settings",
    "task",
    "wording",
]
