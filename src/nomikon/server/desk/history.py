"""A clause's history with what each version said of it and scored."""

from __future__ import annotations

from typing import Any

from nomikon.core.prompts.lineage import ClauseEvent
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.desk.overview import spine_scores


def told_with_evidence(brief: Brief, events: list[ClauseEvent]) -> list[dict[str, Any]]:
    """A clause's events with each version's note and, where both were measured, what its score did."""
    versions = {v.number: v for v in brief.versions.select_related("parent", "second_parent")}
    _, scores = spine_scores(brief)
    rows = []
    for event in events:
        version = versions[event.version]
        parent = version.parent.number if version.parent else None
        rows.append(
            {
                **event.__dict__,
                "note": version.note,
                "created_at": version.created_at,
                "created_by": version.created_by,
                "score": scores.get(event.version, {}).get("mean"),
                "score_before": scores.get(parent or 0, {}).get("mean"),
            }
        )
    return rows
