"""Rows of figures as a table."""

from __future__ import annotations

from typing import Any


def table(rows: list[dict[str, Any]]) -> str:
    """Columns: what, ours, floor, ratio, goal, reached."""
    lines = [f"{'what':<58} {'ours':>14} {'floor':>14} {'ratio':>7}  goal"]
    for r in rows:
        lines.append(
            f"{r['what']:<58} {r['ours']:>14} {r['floor']:>14} {r['ratio']:>7.2f}  {r['goal']}"
        )
    return "\n".join(lines)
