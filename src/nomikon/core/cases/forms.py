"""Several right forms of one reference."""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

from nomikon.core.errors import TableError
from nomikon.core.prompts.rendering import value_as_text

# The column that holds them in a file.
ALSO_RIGHT = "also right"
# Each is scored by itself, so many times as long.
MOST_FORMS = 20


def read_forms(forms: Iterable[str], reference: str | None) -> list[str]:
    """Forms as they are kept: none blank, none twice, none that the reference is already.

    Raises TableError where there are more than MOST_FORMS.
    """
    found = [f for f in dict.fromkeys(forms) if f.strip() and f != reference]
    if len(found) > MOST_FORMS:
        raise TableError(
            f"{len(found)} right forms of one reference; at most {MOST_FORMS} are kept",
            field="forms",
        )
    return found


def forms_in(value: Any) -> list[str]:
    """Forms as a cell of a file lists them: a JSON list, or one form; none where it is empty."""
    if value in (None, ""):
        return []
    if isinstance(value, str) and value.lstrip().startswith("["):
        try:
            value = json.loads(value)
        except ValueError:
            return [value]
    if isinstance(value, list):
        return [value_as_text(v) for v in value if v not in (None, "")]
    return [value_as_text(value)]
