"""What came, or would come, of a file of answers, as it is shown."""

from __future__ import annotations

from nomikon.server.apps.baselines.actions.import_answers import Came, ImportAnswers
from nomikon.server.apps.baselines.reads import AnswersLook, BaselineRow
from nomikon.server.apps.baselines.sheet import rows_of
from nomikon.server.apps.datasets.update_preview import refused_row
from nomikon.server.apps.datasets.versioning import newest_version

SHOWN = 100


def look_of(action: ImportAnswers, came: Came) -> AnswersLook:
    """Counts, the lines that find no case, and the first answers beside their cases."""
    baseline = action.baseline
    newest = newest_version(baseline.dataset)
    samples: list[BaselineRow] = []
    unanswered = 0
    if newest is not None:
        entries = newest.entries.select_related("revision__case")
        by_case = {b.listed.case: b.text for b in came.samples}
        found = rows_of(baseline, entries.filter(revision__case__in=by_case).order_by("position"))
        samples = found
        for row in samples:
            row["text"] = by_case[row["case"]]
        answered = set(baseline.answers.values_list("case_id", flat=True)) | came.answered
        cases = newest.entries.values_list("revision__case_id", flat=True)
        unanswered = sum(case not in answered for case in cases)
    return {
        "columns": [
            {"name": c, "use": action.role_of(c), "examples": came.examples.get(c, [])}
            for c in action.table.columns
        ],
        "by": list(action.by),
        "inputs": newest.columns if newest else [],
        "rows": came.rows,
        "new": came.new,
        "changed": came.changed,
        "same": came.same,
        "n_refused": came.n_refused,
        "refused": [refused_row(r) for r in came.refused[:SHOWN]],
        "samples": samples,
        "unanswered": unanswered,
        "amiss": came.amiss,
    }
