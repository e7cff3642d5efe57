"""The states that a database can be of, each told by its shape.

FORMER: before migrations were frozen, by digest of the shape. STATES: since then, the oldest
first; each further migration adds one (`tests/server/test_stored.py` says so when it is missing)
together with a kept database of the state before it (tests/kept, made by that state's own
migrate and trimmed to one brief).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class State:
    """name: when it was. shape: digest of its tables. leaves: the last migration of each app."""

    name: str
    shape: str
    leaves: Mapping[str, str]


FORMER: dict[str, str] = {
    "ecc99800725838c3": "2026-11-23-a",
    "11ad74117f78f6ae": "2026-11-23-b",
    "7de7b62f5f5aa065": "2026-11-23-c",
    "078145e999e85549": "2026-11-23-d",
    "708e06a686f469e6": "2026-11-23-e",
    "c1e040da82b56c24": "2026-11-23-f",
    "5e3072f4b3e852f7": "2026-11-25-a",
    "2027ed542d471d1f": "2026-11-25-b",
    "e7b9304bf27751a5": "2026-11-25-c",
    "172654ad52c5275a": "2026-11-25-d",
    "5916906dc6e5b73d": "2026-11-25-e",
    "41a396f94e106489": "2026-11-25-f",
    "b3262795b2d40771": "2026-11-25-g",
    "e9fb39f67ee27998": "2026-11-25-h",
    "29527cc5d8a1faff": "2026-11-25-i",
}

# From here on a migration is never edited.
FROZEN = {
    "briefs": "0002_instruction_askedquestion",
    "connections": "0001_initial",
    "datasets": "0001_initial",
    "ledger": "0001_initial",
    "reviews": "0002_former_marks_and_precedents",
    "rounds": "0001_initial",
    "trials": "0001_initial",
    "verdicts": "0002_watches",
    "weights": "0001_initial",
}

STATES = [
    State("2026-11-25-j", "dc5d65f3484daaaa", FROZEN),
    State(
        "2026-11-26",
        "baa4f392479110b4",
        {
            **FROZEN,
            "briefs": "0003_clause_rule",
            "connections": "0002_token_rule",
            "ledger": "0002_spentday",
            "trials": "0002_rules_and_texts",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-11-27",
        "32199cdfd054858a",
        {
            **FROZEN,
            "briefs": "0003_clause_rule",
            "connections": "0003_as_real_servers_are",
            "consultations": "0001_initial",
            "ledger": "0002_spentday",
            "trials": "0003_reasoning_and_rulings",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-11-29",
        "a69813222c15c284",
        {
            **FROZEN,
            "briefs": "0003_clause_rule",
            "connections": "0004_most_answer",
            "consultations": "0001_initial",
            "ledger": "0002_spentday",
            "trials": "0004_wasted",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-11-30",
        "19a46c79465d6d3c",
        {
            **FROZEN,
            "briefs": "0003_clause_rule",
            "connections": "0004_most_answer",
            "consultations": "0001_initial",
            "datasets": "0002_sources",
            "ledger": "0002_spentday",
            "trials": "0005_reference",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-12-01",
        "3779d73b8d4e6e02",
        {
            **FROZEN,
            "briefs": "0003_clause_rule",
            "connections": "0004_most_answer",
            "consultations": "0001_initial",
            "datasets": "0002_sources",
            "ledger": "0002_spentday",
            "trials": "0006_choice_and_note",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-12-02",
        "6bbe92349854a378",
        {
            **FROZEN,
            "briefs": "0003_clause_rule",
            "connections": "0004_most_answer",
            "consultations": "0001_initial",
            "datasets": "0003_identity",
            "ledger": "0002_spentday",
            "trials": "0006_choice_and_note",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-12-03",
        "1d30e9724a59722c",
        {
            **FROZEN,
            "baselines": "0001_initial",
            "briefs": "0003_clause_rule",
            "connections": "0004_most_answer",
            "consultations": "0001_initial",
            "datasets": "0005_copies_kept",
            "ledger": "0003_taken_back",
            "trials": "0007_brought_in",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-12-04",
        "b85a1b496f6f2584",
        {
            **FROZEN,
            "baselines": "0001_initial",
            "briefs": "0003_clause_rule",
            "connections": "0004_most_answer",
            "consultations": "0001_initial",
            "datasets": "0006_forms_and_tied",
            "ledger": "0003_taken_back",
            "reviews": "0003_reference_drafts",
            "trials": "0007_brought_in",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-12-05",
        "c5d8b8c2297e8a4f",
        {
            **FROZEN,
            "baselines": "0001_initial",
            "briefs": "0004_readings",
            "connections": "0004_most_answer",
            "consultations": "0002_wishes",
            "datasets": "0006_forms_and_tied",
            "ledger": "0003_taken_back",
            "reviews": "0003_reference_drafts",
            "trials": "0007_brought_in",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-12-06",
        "2e93171ddafaa209",
        {
            **FROZEN,
            "baselines": "0001_initial",
            "briefs": "0006_tries",
            "connections": "0004_most_answer",
            "consultations": "0003_standing_reader",
            "datasets": "0006_forms_and_tied",
            "ledger": "0003_taken_back",
            "reviews": "0004_remark_places",
            "trials": "0007_brought_in",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-12-07",
        "88ba1c3e211ebe50",
        {
            **FROZEN,
            "baselines": "0001_initial",
            "briefs": "0007_forms_and_pieces",
            "connections": "0004_most_answer",
            "consultations": "0003_standing_reader",
            "datasets": "0006_forms_and_tied",
            "ledger": "0004_simulated",
            "reviews": "0004_remark_places",
            "trials": "0008_simulated",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-12-08",
        "480b7f47988060bd",
        {
            **FROZEN,
            "baselines": "0001_initial",
            "briefs": "0007_forms_and_pieces",
            "connections": "0004_most_answer",
            "consultations": "0003_standing_reader",
            "culprits": "0001_initial",
            "datasets": "0006_forms_and_tied",
            "ledger": "0004_simulated",
            "reviews": "0004_remark_places",
            "trials": "0009_taken",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-12-09",
        "09357bb7286feedc",
        {
            **FROZEN,
            "baselines": "0001_initial",
            "briefs": "0007_forms_and_pieces",
            "connections": "0004_most_answer",
            "consultations": "0004_twins_role",
            "culprits": "0002_orders",
            "datasets": "0006_forms_and_tied",
            "ledger": "0004_simulated",
            "reviews": "0004_remark_places",
            "trials": "0011_twin_calls",
            "twins": "0001_initial",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
    State(
        "2026-12-10",
        "379ed2e42734e0f4",
        {
            **FROZEN,
            "baselines": "0001_initial",
            "briefs": "0007_forms_and_pieces",
            "connections": "0004_most_answer",
            "consultations": "0004_twins_role",
            "culprits": "0002_orders",
            "datasets": "0007_own_ids",
            "ledger": "0004_simulated",
            "reviews": "0004_remark_places",
            "trials": "0011_twin_calls",
            "twins": "0001_initial",
            "verdicts": "0003_watchcheck_found",
            "weights": "0002_lines",
        },
    ),
]
