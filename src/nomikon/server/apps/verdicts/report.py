"""The report of a trial: one HTML file that needs nothing else and opens with no network."""

from __future__ import annotations

from datetime import datetime
from html import escape
from typing import Any

from django.conf import settings

from nomikon.core.measures import read_scorecard
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.results import credible
from nomikon.core.stats.words import (
    no_worse_in_words,
    p_in_words,
    verdict_in_words,
)
from nomikon.server.apps.trials.board import summary_of
from nomikon.server.apps.trials.comparing import comparison_of
from nomikon.server.apps.trials.facts import names_apart
from nomikon.server.apps.trials.models import COMPLETE, Arm, Trial
from nomikon.server.apps.trials.results import figures_of, results_of
from nomikon.server.apps.trials.spread import spread_of
from nomikon.server.apps.verdicts.checking import check_of

SHOWN = 20
_STYLE = """
body{font:16px/1.5 Georgia,serif;color:#1D2733;background:#F7F5EF;max-width:56rem;margin:2rem auto;padding:0 1rem}
h1,h2{font-weight:600;line-height:1.2}h2{margin-top:2rem;border-bottom:1px solid #DDD7C7}
table{border-collapse:collapse;width:100%;font:14px/1.4 system-ui,sans-serif}
th,td{text-align:left;padding:.25rem .5rem;border-bottom:1px solid #DDD7C7;vertical-align:top}
th{color:#5C6673}td.n{font-family:ui-monospace,monospace;white-space:nowrap}
pre{font:13px/1.4 ui-monospace,monospace;white-space:pre-wrap;overflow-wrap:anywhere;margin:0}
.soft{color:#5C6673;font-size:14px}.note{border-left:3px solid #1F5D50;padding-left:.75rem}
@media(prefers-color-scheme:dark){body{color:#E8E4D8;background:#171B20}h2,th,td{border-color:#3a4048}.soft,th{color:#a9b0b8}}
"""


def report_of(trial: Trial, a: Arm, b: Arm, now: datetime) -> str:
    """What was asked, what it shows for two arms and all of them, what was lost, and the texts."""
    comparison = comparison_of(trial, a, b)
    result = figures_of(trial, against=b)
    found = next((c for c in result.comparisons if c.a == str(a.pk)), None) if result else None
    names = names_apart(a, b)
    complete = trial.state == COMPLETE
    level = comparison["level"]
    words = verdict_in_words(found, *names, complete=complete, level=level)
    parts = [
        f"<h1>{_e(trial.brief.name)}, trial {trial.number}</h1>",
        f'<p class="soft">{_e(trial.question)}</p>' if trial.question else "",
        f'<p class="note">{_e(words)}</p>',
        f"<p>{_e(comparison['widened'])}</p>" if comparison["widened"] else "",
    ]
    if found is not None and complete:
        margin = float(trial.scorecard.document.get("margin", 0.05))
        words = no_worse_in_words(found, margin, *names)
        parts.append(f"<p>No worse within {margin:g}? {_e(words)}</p>")
    parts += [_about(trial, now), _arms(trial, comparison, b)]
    if complete:
        parts += [_held_out(trial, a, b), _spread(trial, a, b)]
    parts += [_changed(comparison, names), _text(a), _text(b) if b.version != a.version else ""]
    title = f"{trial.brief.name}, trial {trial.number}"
    return (
        '<!doctype html><html lang="en"><head><meta charset="utf-8">'
        f'<meta name="viewport" content="width=device-width"><title>{_e(title)}</title>'
        f"<style>{_STYLE}</style></head><body><main>{''.join(parts)}</main></body></html>"
    )


def _e(text: Any) -> str:
    return escape(str(text))


def _figure(value: float | None, sign: bool = False) -> str:
    return "–" if value is None else f"{value:{'+' if sign else ''}.3f}".replace("-", "−")


def _table(heads: list[str], rows: list[list[str]]) -> str:
    head = "".join(f"<th>{_e(h)}</th>" for h in heads)
    body = "".join(f"<tr>{''.join(cells)}</tr>" for cells in rows)
    return f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>"


def _td(text: Any, number: bool = False) -> str:
    return f'<td class="n">{_e(text)}</td>' if number else f"<td>{_e(text)}</td>"


def _about(trial: Trial, now: datetime) -> str:
    rows = [
        ("State", trial.state),
        ("Cases", f"{trial.n_cases} {trial.split}, of {trial.dataset_version.dataset.name}"),
        ("Repeats", trial.repeats),
        ("Scorecard", f"{trial.scorecard.number}: {_measures(trial)}"),
        ("Seed", trial.seed),
        ("Report made", now.strftime("%Y-%m-%d %H:%M UTC")),
    ]
    cells = [[_td(name), _td(value)] for name, value in rows]
    return f"<h2>What was run</h2>{_table(['What', 'Value'], cells)}"


def _measures(trial: Trial) -> str:
    """What the score is made of, with its weights: “fields 2, valid JSON (must pass)”."""
    told = []
    for entry in read_scorecard(trial.scorecard.document).entries:
        name = f"{entry.name} {entry.weight:g}" if entry.weight else entry.name
        told.append(f"{name} (must pass)" if entry.gate else name)
    return ", ".join(told)


def _arms(trial: Trial, comparison: dict[str, Any], b: Arm) -> str:
    family = {row["a"]: row for row in comparison["family"]}
    unbeaten = {int(x) for x in credible(results_of(trial))} if comparison["complete"] else set()
    arms = sorted(summary_of(trial)["arms"], key=lambda x: -(x["mean"] or -1))
    rows = []
    for arm in arms:
        other = family.get(arm["id"])
        against = "the reference" if arm["id"] == b.pk else "–"
        if other is not None:
            against = f"{_figure(other['difference'], True)} ({_figure(other['low'], True)} to {_figure(other['high'], True)})"
        p = p_in_words(other["p_holm"]) if other is not None and comparison["complete"] else ""
        cost = arm["cost_per_1000"]
        rows.append(
            [
                f'<td title="{_e(arm["settings_short"])}">{_e(arm["letter"])}: {_e(arm["name"])}</td>',
                _td(f"{_figure(arm['mean'])} ({_figure(arm['low'])}–{_figure(arm['high'])})", True),
                _td(against, True),
                _td(p, True),
                _td("–" if cost is None else f"{cost / 1e9:.3f}", True),
                _td("yes" if arm["id"] in unbeaten else ""),
            ]
        )
    heads = [
        "Arm",
        "Mean, 95 %",
        "Against the reference",
        "p (Holm)",
        f"1,000 answers, {settings.CURRENCY}",
        "Unbeaten",
    ]
    simulated = any(arm["simulated"] for arm in arms)
    told = '<p class="soft">The models are simulated.</p>' if simulated else ""
    return f"<h2>Every arm</h2>{_table(heads, rows)}{told}"


def _held_out(trial: Trial, a: Arm, b: Arm) -> str:
    found = check_of(trial, a, b)
    check = found["check"]
    looks = f"Held-out cases of this dataset were looked at {found['looks']} times."
    if check is None or check["difference"] is None:
        told = "These two arms were not checked on held-out cases."
        return f"<h2>Held-out check</h2><p>{told} {looks}</p>"
    d, gap = check["difference"], check["gap"]
    figures = f"{_figure(d['difference'], True)} ({_figure(d['low'], True)} to {_figure(d['high'], True)})"
    return (
        f"<h2>Held-out check</h2><p>Trial {check['trial_number']}, {d['n_cases']} cases: {figures}, "
        f"p {p_in_words(d['p'])}. Tuned too closely? {_e(gap['reading'])} (gap "
        f"{_figure(gap['gap'], True)}, {_figure(gap['low'], True)} to {_figure(gap['high'], True)}). "
        f"{looks}</p>"
    )


def _spread(trial: Trial, a: Arm, b: Arm) -> str:
    spread = spread_of(trial, a, b)
    shares = [[_td(s["source"]), _td(f"{s['share']:.0%}", True)] for s in spread["shares"]]
    part = (
        _table(["Source", "Share"], shares)
        if shares
        else f"<p>No shares: {_e(spread['why_null'])}.</p>"
    )
    slices = [
        [
            _td(s["name"] + (" (look here)" if s["look"] else "")),
            _td(s["n_cases"], True),
            _td(
                f"{_figure(s['difference'], True)} ({_figure(s['low'], True)} to {_figure(s['high'], True)})",
                True,
            ),
            _td(p_in_words(s["p_holm"]), True),
        ]
        for s in spread["slices"][:SHOWN]
    ]
    rest = (
        f"<h2>Parts of the cases</h2>{_table(['Part', 'Cases', 'Difference', 'p (Holm)'], slices)}"
        if slices
        else ""
    )
    return f"<h2>What the spread is due to, among the arms tried</h2>{part}{rest}"


def _changed(comparison: dict[str, Any], names: list[str]) -> str:
    made = []
    lost = [c for c in comparison["changed"] if c["difference"] < 0]
    won = [c for c in reversed(comparison["changed"]) if c["difference"] > 0]
    for title, rows in ((f"where {names[0]} scored lower", lost), ("where it scored higher", won)):
        if not rows:
            continue
        cells = [
            [
                _td(f"{c['number']}: {c['text']}"),
                *(
                    f"<td><b>{_figure(c[side]['score'])}</b><pre>{_e(c[side]['text'])}</pre></td>"
                    for side in ("b", "a")
                ),
            ]
            for c in rows[:SHOWN]
        ]
        more = f'<p class="soft">{len(rows) - SHOWN} more.</p>' if len(rows) > SHOWN else ""
        heads = ["Case", names[1], names[0]]
        made.append(f"<h2>{len(rows)} cases {_e(title)}</h2>{_table(heads, cells)}{more}")
    return "".join(made)


def _text(arm: Arm) -> str:
    messages = arm.sends
    rows = [
        [
            _td(f"§{c.number}", True),
            _td(messages[c.message].role),
            f"<td><pre>{_e(c.text)}</pre></td>",
        ]
        for c in clauses_of(messages)
    ]
    return f"<h2>The text of {arm.version_label}</h2>{_table(['Number', 'Role', 'Clause'], rows)}"
