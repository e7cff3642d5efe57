"""What is set for the next try: kept at every pause, never overwritten unseen. No ledger line is written."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from nomikon.core.errors import ConflictError, PromptError
from nomikon.server.apps.briefs.models import Brief, TryForm
from nomikon.server.apps.briefs.reads import TryFormShape

LARGEST_FORM = 4_000_000


class FormChangedError(ConflictError):
    """Another tab or machine has set something else meanwhile."""

    code = "form_changed"


def load_form(brief: Brief) -> TryFormShape:
    """What is set; revision 0 where nothing was set yet."""
    form = TryForm.objects.filter(brief=brief).first()
    return {
        "revision": form.revision if form else 0,
        "content": form.content if form else {},
    }


@dataclass
class KeepForm:
    """revision: the one the page knows."""

    brief: Brief
    revision: int
    content: dict[str, Any]
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> TryForm:
        size = len(json.dumps(self.content))
        if size > LARGEST_FORM:
            raise PromptError(
                f"what is typed takes {size:,} characters; {LARGEST_FORM:,} are kept. It is still in "
                "this tab: take the values in as cases instead",
                field="content",
            )
        Brief.objects.select_for_update().get(pk=self.brief.pk)
        form = TryForm.objects.filter(brief=self.brief).first()
        if self.revision != (form.revision if form else 0):
            raise FormChangedError(
                "what is asked was changed in another tab meanwhile", **load_form(self.brief)
            )
        if form is None:
            form = TryForm(brief=self.brief)
        form.revision += 1
        form.content = self.content
        form.changed_at, form.changed_by = self.now, self.actor
        form.save()
        return form
