"""The newer version without what a search found to hurt, as a version to be saved with its evidence."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import AmendmentError
from nomikon.core.prompts import amendments_between, as_rows, check_messages
from nomikon.core.prompts.reasons import Answered, reason_of
from nomikon.core.stats.culprits import Share
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.culprits.models import CulpritSearch
from nomikon.server.apps.culprits.reading import shares_in


@transaction.atomic
def save_without(search: CulpritSearch, leave: Sequence[str], actor: str, now: datetime) -> Version:
    """Save what `version_without` makes, and keep with the search that it came of it."""
    made = version_without(search, leave, actor, now).execute()
    search.saved = [*search.saved, made.number]
    search.save(update_fields=["saved"])
    return made


def version_without(
    search: CulpritSearch, leave: Sequence[str], actor: str, now: datetime
) -> SaveVersion:
    """The newer version with these amendments taken back. leave: ids of the search's amendments.

    Raises AmendmentError where none is named, one is unknown, or all that lies between would go.
    """
    older, newer = search.older.asked_version, search.newer.asked_version
    # The versions as they are saved, with their own settings: a trial may have laid others over.
    revision = amendments_between(
        check_messages(older.messages),
        check_messages(newer.messages),
        older.settings,
        newer.settings,
    )
    if not leave:
        raise AmendmentError("tick what is to be taken back", field="leave")
    kept = revision.without(leave)
    if not kept:
        raise AmendmentError(
            f"without these v{newer.number} would be v{older.number} again: there is nothing to save",
            field="leave",
        )
    messages, settings = revision.apply(kept)
    gone = [a for a in revision.amendments if a.id not in kept]
    shares = {i: s for s in _shares(search) for i in s.amendment.split("+")}
    reasons = []
    for a in gone:
        clause = a.after or a.before
        if clause is None:
            continue
        share = shares.get(a.id)
        why = (
            f"share {share.share:+.3f} ({share.low:+.3f} to {share.high:+.3f}) in trial "
            f"{search.trial.number}"
            if share
            else f"it requires what was taken back after trial {search.trial.number}"
        )
        kind = {"add": "strike", "strike": "add"}.get(a.kind, "amend")
        told = Answered(cases=len(search.better) + len(search.worse))
        reasons.append(reason_of(kind, clause.number, clause.text, f"Taken back: {why}", told))
    named = ", ".join(f"§ {c.number}" for a in gone if (c := a.after or a.before)) or "a setting"
    return SaveVersion(
        search.brief,
        as_rows(messages),
        dict(settings),
        newer,
        f"v{newer.number} with the change of {named} taken back",
        actor,
        now,
        origin="amended",
        reasons=reasons,
    )


def _shares(search: CulpritSearch) -> list[Share]:
    found, _ = shares_in(search)
    return found.shares if found else []
