"""The ledger as it is read: newest first, narrowed by what, who, when, model, setting and words."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any

from django.db.models import Q, QuerySet, TextField, Value
from django.db.models.functions import Cast, Coalesce, Concat
from django.utils import timezone

from nomikon.core.digits import whole_number
from nomikon.core.errors import DomainError
from nomikon.server.apps.ledger.models import Line

MARKED = "output.marked"
# Kinds of lines as a reader thinks of them, each the beginnings of what its lines are called.
GROUPS: dict[str, tuple[str, ...]] = {
    "versions": ("version", "draft.", "instruction.", "finding.", "question", "shelf.", "preset."),
    "cases": ("dataset.", "case", "reference."),
    "trials": ("trial.", "rounds.", "weighing.", "culprits.", "watch."),
    "marks": ("output.", "mark.", "precedent."),
    "verdicts": ("arm.", "verdict."),
    "briefs and scorecards": ("brief.", "scorecard."),
    "models": ("connection.", "model."),
    "spend": (),
}
_SETTING = re.compile(r"^\s*([a-z_]+)\s*[=: ]?\s*(.*?)\s*$", re.I)


class LedgerError(DomainError):
    """The ledger cannot be narrowed like this."""

    code = "ledger_invalid"


@dataclass(frozen=True)
class Wanted:
    """Which lines: empty or None for all. since, until: days, both included.

    before: only lines older than this one, to read on.
    """

    brief: int | None = None
    what: str = ""
    who: str = ""
    since: date | None = None
    until: date | None = None
    model: str = ""
    setting: str = ""
    words: str = ""
    before: int | None = None


def wanted_of(query: Mapping[str, str]) -> Wanted:
    """Read from a query. Raises LedgerError with the field."""
    what = query.get("what", "")
    if what and what not in GROUPS:
        raise LedgerError(f"{what!r} is no kind; allowed are {', '.join(GROUPS)}", field="what")
    return Wanted(
        brief=_number(query, "brief"),
        what=what,
        who=query.get("who", ""),
        since=_day(query, "since"),
        until=_day(query, "until"),
        model=query.get("model", ""),
        setting=query.get("setting", ""),
        words=query.get("words", ""),
        before=_number(query, "before"),
    )


def _number(query: Mapping[str, str], name: str) -> int | None:
    text = query.get(name, "")
    return whole_number(text)


def _day(query: Mapping[str, str], name: str) -> date | None:
    text = query.get(name, "")
    try:
        return date.fromisoformat(text) if text else None
    except ValueError:
        raise LedgerError(
            f"{text!r} is no day; write it as {timezone.localdate().isoformat()}", field=name
        ) from None


def lines_of(wanted: Wanted) -> QuerySet[Line]:
    """The lines asked for, newest first. Raises LedgerError for a setting that is none."""
    lines = Line.objects.select_related("brief").order_by("-id")
    if wanted.brief is not None:
        lines = lines.filter(brief_id=wanted.brief)
    if wanted.what == "spend":
        lines = lines.filter(cost_nano__gt=0)
    elif wanted.what:
        some = Q()
        for begin in GROUPS[wanted.what]:
            some |= Q(what__startswith=begin)
        lines = lines.filter(some)
    if wanted.who:
        lines = lines.filter(actor=wanted.who)
    if wanted.since:
        lines = lines.filter(at__gte=_start(wanted.since))
    if wanted.until:
        lines = lines.filter(at__lt=_start(wanted.until + timedelta(days=1)))
    if wanted.before:
        lines = lines.filter(pk__lt=wanted.before)
    if wanted.model or wanted.setting:
        lines = lines.annotate(about_text=Cast("about", TextField()))
    if wanted.model:
        lines = lines.filter(Q(("about_text__contains", _quoted(wanted.model))))
    if wanted.setting:
        lines = lines.filter(_holds(wanted.setting))
    if wanted.words.strip():
        lines = lines.annotate(
            all_text=Concat(
                "what",
                Value(" "),
                "actor",
                Value(" "),
                Coalesce("brief__name", Value("")),
                Value(" "),
                Cast("facts", TextField()),
                Cast("about", TextField()),
                output_field=TextField(),
            )
        )
        for word in wanted.words.split():
            # As it is typed, and as it is written in JSON.
            lines = lines.filter(
                Q(all_text__icontains=word) | Q(all_text__icontains=json.dumps(word)[1:-1])
            )
    return lines


def _start(day: date) -> datetime:
    return timezone.make_aware(datetime.combine(day, time.min))


def _quoted(text: str) -> str:
    return json.dumps(text)


def _holds(setting: str) -> Q:
    """A setting by its name, or by name and value: `temperature`, `temperature 0.7`."""
    match = _SETTING.match(setting)
    if match is None:
        raise LedgerError(
            f"{setting!r} names no setting; write for example temperature 0.7", field="setting"
        )
    name, value = match.group(1).lower(), match.group(2)
    if not value:
        return Q(about_text__contains=f'"{name}": ')
    try:
        written = json.dumps(json.loads(value))
    except ValueError:
        written = json.dumps(value)
    # 1 and 1.0 are one value.
    forms = {written, written.removesuffix(".0")}
    if re.fullmatch(r"-?\d+", written):
        forms.add(f"{written}.0")
    found = Q()
    for form in forms:
        for end in (",", "}", "]"):
            found |= Q(about_text__contains=f'"{name}": {form}{end}')
    return found


def rows_of(lines: QuerySet[Line], limit: int) -> list[dict[str, Any]]:
    """At most `limit` rows; a run of marks by one reader is one row, whose id is its oldest line's."""
    rows: list[dict[str, Any]] = []
    for line in lines[: limit * 40].iterator(chunk_size=200):
        row = {
            "id": line.pk,
            "at": line.at,
            "actor": line.actor,
            "what": line.what,
            "brief": line.brief_id,
            "brief_name": line.brief.name if line.brief else "",
            "subject": line.subject,
            "subject_id": line.subject_id,
            "facts": dict(line.facts),
            "about": line.about,
            "cost_nano": line.cost_nano,
            "simulated_nano": line.simulated_nano,
        }
        if rows and _same_reading(rows[-1], row):
            marks = rows[-1]["facts"]["marks"]
            rows[-1]["id"] = line.pk
        elif len(rows) == limit:
            break
        else:
            marks = {}
            rows.append(row)
        if line.what == MARKED:
            judgement = line.facts.get("judgement", "")
            marks[judgement] = marks.get(judgement, 0) + 1
            rows[-1]["facts"]["marks"] = marks
    return rows


def _same_reading(newer: dict[str, Any], older: dict[str, Any]) -> bool:
    return (
        newer["what"] == older["what"] == MARKED
        and all(newer[k] == older[k] for k in ("actor", "brief"))
        and newer["facts"].get("trial") == older["facts"].get("trial")
    )


def choices() -> dict[str, Any]:
    """What the ledger can be narrowed by: kinds, and everybody who acted."""
    people = Line.objects.order_by("actor").values_list("actor", flat=True).distinct()
    return {"kinds": list(GROUPS), "people": list(people)}
