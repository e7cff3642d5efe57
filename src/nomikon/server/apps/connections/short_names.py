"""Models as pages name them where there is little room."""

from __future__ import annotations

from typing import Any

from django.db.models.signals import post_delete, post_save
from django.dispatch import receiver

from nomikon.core.trials.short_names import short_names
from nomikon.server.apps.connections.models import Model

# Read once: an arm's model is named wherever the arm is, many times on a page.
_known: dict[str, str] = {}


def short_model_name(name: str) -> str:
    """The name without what it shares with the other models that are set up."""
    global _known
    found = _known
    if name not in found:
        # Set up by another process, or the first that is asked for.
        found = short_names(Model.objects.order_by("id").values_list("name", flat=True))
        _known = found
    return found.get(name, name)


@receiver([post_save, post_delete], sender=Model)
def forget(**_: Any) -> None:
    """Another model may make a short name unclear, or another one possible."""
    global _known
    _known = {}
