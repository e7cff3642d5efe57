"""Amendments without a model: what findings can mend, and what failed measures plainly ask for.

A scorecard says in its parameters what an answer must be. Where answers fail a measure, the rule that
would keep them from it is looked for in the prompt's tenor: what it holds otherwise changes where it
stands, what it does not hold comes in, in the prompt's own language.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from nomikon.core.errors import DomainError
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.evidence import FOLLOWS, MEASURE, SPAN, TWIN, Fault
from nomikon.core.prompts.findings import Finding
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import fence_end, find_tags
from nomikon.core.prompts.proposals import AMEND, Proposal, check_proposal
from nomikon.core.prompts.tenor import Tenor, read_tenor
from nomikon.core.prompts.tenor.facts import Fact
from nomikon.core.prompts.tenor.lexicon import BULLETS, ITEMS, UNITS
from nomikon.core.prompts.tenor.shape import JSON, Limit, Words
from nomikon.core.prompts.wishes.granting import grant_wants
from nomikon.core.prompts.wishes.sayings import Sayings, listed, sayings_of
from nomikon.core.prompts.wishes.wants import Want

# More references than this are no list of labels.
MOST_LABELS = 12
LONGEST_LABEL = 40
# What became of an answer that is none.
_OUTCOMES = ("cut", "declined", "empty")
_TAG_NAME = re.compile(r"[A-Za-z][\w-]*")
_NOWHERE = Words(0, 0, 0, "", None)


def propose_by_rule(
    messages: Sequence[Message],
    faults: Sequence[Fault],
    measures: Sequence[Mapping[str, Any]],
    findings: Sequence[Finding],
    columns: Collection[str] = (),
    references: Sequence[str] = (),
    facts: Sequence[Fact] = (),
) -> list[Proposal]:
    """Proposals that need no model, each checked against the version and those before it.

    faults: those to be answered; a proposal names its fault by its place from 1.
    measures: the scorecard's rows. findings: of the same version; those with a fix
    become amendments of their clause. columns: what cases fill, where that is known. references:
    of all cases, from which labels are told; those of the faults alone may lack some. facts: what a
    person put right of how the prompt is read.
    What the prompt says already, in whatever words, is not added.
    """
    tenor = read_tenor(messages, facts=facts)
    rows = {str(row.get("name") or row.get("measure")): row for row in measures}
    wants: list[Want] = []
    numbers: list[int] = []
    for number, fault in enumerate(faults, 1):
        for want in _asked(fault, rows.get(fault.label), _Known(tenor, messages, references)):
            if want not in wants:
                wants.append(want)
                numbers.append(number)
    reasons = [_reason(faults[n - 1]) for n in numbers]
    granted = grant_wants(messages, tenor, wants, reasons, columns)
    wanted = [
        replace(p, fault=None if p.fault is None else numbers[p.fault - 1])
        for p in granted.proposals
    ]
    wanted += _mended(messages, findings)
    for number, fault in enumerate(faults, 1):
        if fault.source == TWIN and fault.label == FOLLOWS:
            wanted += [replace(p, fault=number) for p in _fenced(messages, tenor, _reason(fault))]
    taken: list[Proposal] = []
    for proposal in wanted:
        named = replace(proposal, id=f"r{len(taken) + 1}")
        try:
            check_proposal(named, messages, taken, columns)
        except DomainError:
            # Two fixes of one clause: the first stands, the other is found again afterwards.
            continue
        taken.append(named)
    return taken


class _Known:
    """What is known of the prompt and its cases while a fault is answered."""

    def __init__(
        self, tenor: Tenor, messages: Sequence[Message], references: Sequence[str]
    ) -> None:
        self.tenor = tenor
        self.say: Sayings = sayings_of(tenor.language)
        self.references = references
        self.text = "\n".join(m.content for m in messages).casefold()

    def want(self, **parts: Any) -> Want:
        """A want in the prompt's own language."""
        return Want("", self.tenor.language, **parts)

    def says(self, *words: str) -> bool:
        """Whether each of these stands somewhere in the prompt."""
        return all(w.casefold() in self.text for w in words)

    def forbids(self, words: str) -> bool:
        """Whether a rule of the prompt rules these out."""
        return any(
            words.casefold() in r.words.text.casefold()
            for r in self.tenor.rules
            if r.polarity == "must-not"
        )


def _reason(fault: Fault) -> str:
    where = f"{fault.cases} {'case' if fault.cases == 1 else 'cases'}"
    if fault.source == MEASURE and fault.label in _OUTCOMES:
        return f"In {where} the answer was {fault.label}."
    if fault.source == MEASURE:
        return f"In {where} {fault.label} failed: {fault.title}. The scorecard asks for it, the prompt does not say it."
    return f"In {where}: {fault.title}"


def _asked(fault: Fault, row: Mapping[str, Any] | None, known: _Known) -> Iterator[Want]:
    """What the measure behind a fault asks of the prompt."""
    if fault.source == MEASURE and fault.label in _OUTCOMES:
        yield known.want(rule=getattr(known.say, fault.label))
    elif fault.source == SPAN:
        quotes = list(dict.fromkeys(r.quote.strip() for r in fault.remarks if r.quote.strip()))
        if fault.cases > 1 and len(quotes) == 1 and len(quotes[0]) <= LONGEST_LABEL:
            yield from _ruled_out([quotes[0]], known)
    elif fault.source == MEASURE and row is not None:
        maker = _BY_MEASURE.get(str(row.get("measure")))
        if maker is not None:
            yield from maker(row, fault, known)


def _ruled_out(phrases: Any, known: _Known) -> Iterator[Want]:
    new = [p for p in _texts(phrases) if not known.forbids(p)]
    if new:
        yield known.want(rule=known.say.never_say.format(words=_quoted(new)))


def _texts(rows: Any) -> list[str]:
    return [p for p in rows if isinstance(p, str)] if isinstance(rows, list) else []


def _quoted(phrases: Sequence[str]) -> str:
    return ", ".join(f"“{p}”" for p in phrases)


def _json_fields(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    named = row.get("fields")
    keys = [str(k) for k in named] if isinstance(named, (Mapping, list)) else []
    objects = [o for o in (_object(r.wanted) for r in fault.remarks) if o is not None]
    keys = keys or list(dict.fromkeys(k for o in objects for k in o))
    if keys and "JSON" in fault.title:
        yield known.want(form=JSON, keys=tuple(keys))
    if any(o.get(k, "") is None for o in objects for k in keys) and not known.says("null"):
        yield known.want(rule=known.say.null)


def _object(text: str) -> dict[str, Any] | None:
    try:
        value = json.loads(text)
    except (ValueError, RecursionError):
        return None
    return value if isinstance(value, dict) else None


def _json_schema(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    schema = row.get("schema")
    if not isinstance(schema, Mapping):
        return
    fields = schema.get("properties")
    fields = fields if isinstance(fields, Mapping) else {}
    if keys := [str(k) for k in schema.get("required", fields)]:
        yield known.want(form=JSON, keys=tuple(keys))
    for key, rule in fields.items():
        if not isinstance(rule, Mapping):
            continue
        options = [str(v) for v in rule.get("enum", ()) if v is not None]
        kinds = rule.get("type")
        if options and not known.says(*options):
            yield known.want(rule=known.say.options.format(key=key, labels=listed(options)))
        elif not options and isinstance(kinds, list) and "null" in kinds and not known.says("null"):
            yield known.want(rule=known.say.null_key.format(key=key))


def _limit(row: Mapping[str, Any], what: str, per: str, known: _Known) -> Iterator[Want]:
    low, high = (v if isinstance(v, int) else None for v in (row.get("min"), row.get("max")))
    low = low if low is None or low > 0 else None
    if what in UNITS and (low is not None or high is not None):
        yield known.want(limits=(Limit(what, per, low, high, _NOWHERE),))


def _length(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    return _limit(row, str(row.get("unit", "characters")), "", known)


def _each_length(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    return _limit(row, str(row.get("unit", "characters")), str(row.get("each", ITEMS)), known)


def _markdown(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    exact = row.get("bullets")
    bounds = {"min": row.get("min_bullets", exact), "max": row.get("max_bullets", exact)}
    return _limit(bounds, BULLETS, "", known)


def _language(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    code = str(row.get("code", ""))
    if code in known.say.languages:
        yield known.want(answer_language=code)


def _contains(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    every, some = _texts(row.get("all")), _texts(row.get("any"))
    if new := [p for p in every if not known.says(p)]:
        yield known.want(rule=known.say.say_all.format(words=_quoted(new)))
    if some and not any(known.says(p) for p in some):
        yield known.want(rule=known.say.say_any.format(words=_quoted(some)))


def _not_contains(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    return _ruled_out(row.get("phrases"), known)


def _labels(names: Sequence[str], known: _Known) -> Iterator[Want]:
    """A list of labels that the prompt has not: each one that is missing, or all of them."""
    had = {x.label.casefold() for x in known.tenor.output.labels}
    missing = [n for n in names if n.casefold() not in had]
    if not had:
        yield known.want(labels=tuple(names))
    elif missing:
        for name in missing:
            yield known.want(adds=(name, ""))
    elif not known.tenor.output.closed:
        yield known.want(rule=known.say.labels.format(labels=listed(names)))


def _one_of(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    values = row.get("values")
    if isinstance(values, list) and values:
        yield from _labels([str(v) for v in values], known)


def _match(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    """References that come again and again are labels."""
    own = [r.wanted.strip() for r in fault.remarks if r.wanted.strip()]
    wanted = [r.strip() for r in known.references if r.strip()] or own
    labels = list(dict.fromkeys(wanted))
    short = all(len(w) <= LONGEST_LABEL and "\n" not in w for w in labels)
    if len(wanted) > len(labels) and len(labels) <= MOST_LABELS and short:
        yield from _labels(labels, known)


def _regex(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    pattern, say = row.get("pattern"), known.say
    if isinstance(pattern, str) and "{{" not in pattern:
        template = say.pattern_absent if row.get("absent") else (
            say.pattern_whole if row.get("whole") else say.pattern_part
        )  # fmt: skip
        yield known.want(rule=template.format(words=pattern))


def _valid_json(row: Mapping[str, Any], fault: Fault, known: _Known) -> Iterator[Want]:
    if known.tenor.output.form != JSON:
        yield known.want(form=JSON)


_Maker = Callable[[Mapping[str, Any], Fault, _Known], Iterator[Want]]


def _always(name: str) -> _Maker:
    return lambda row, fault, known: iter([known.want(rule=getattr(known.say, name))])


_BY_MEASURE: dict[str, _Maker] = {
    "json-fields": _json_fields,
    "json-schema": _json_schema,
    "length": _length,
    "each-length": _each_length,
    "markdown": _markdown,
    "language": _language,
    "contains": _contains,
    "not-contains": _not_contains,
    "one-of": _one_of,
    "exact-match": _match,
    "normalised-match": _match,
    "regex": _regex,
    "valid-json": _valid_json,
    "no-leak": _always("no_leak"),
    "no-first-person": _always("no_first_person"),
    "politeness": _always("polite"),
}


def _fenced(messages: Sequence[Message], tenor: Tenor, reason: str) -> Iterator[Proposal]:
    """Marks around every input that has none, and the rule that what stands between them is no order."""
    say = sayings_of(tenor.language)
    names: list[str] = []
    for clause in clauses_of(messages):
        inputs = [t for t in find_tags(clause.text) if t.kind == "variable"]
        if len(inputs) != 1 or fence_end(clause.text) or inputs[0].name.startswith("steps."):
            continue
        tag, name = inputs[0], inputs[0].name.rsplit(".", 1)[-1]
        if not _TAG_NAME.fullmatch(name):
            continue
        names.append(name)
        before, after = clause.text[: tag.start].rstrip(), clause.text[tag.end :].strip()
        held = clause.text[tag.start : tag.end]
        lines = [before, f"<{name}>", held, f"</{name}>", after]
        text = "\n".join(x for x in lines if x)
        yield Proposal("", AMEND, clause.number, text, reason)
    if names:
        last = max(
            (c.number for c in clauses_of(messages) if messages[c.message].role == "system"),
            default=0,
        )
        marks = " / ".join(f"<{n}> … </{n}>" for n in dict.fromkeys(names))
        yield Proposal("", "add", last, say.no_order.format(marks=marks), reason)


def _mended(messages: Sequence[Message], findings: Sequence[Finding]) -> Iterator[Proposal]:
    """Findings whose mending is known, as amendments of the clause they stand in."""
    clauses = {c.number: c for c in clauses_of(messages)}
    for finding in findings:
        clause = clauses.get(finding.clause or 0)
        fix = finding.fix
        if fix is None or clause is None or clause.message != finding.message:
            continue
        if not clause.start <= fix.start <= fix.end <= clause.end:
            continue
        start, end = fix.start - clause.start, fix.end - clause.start
        text = clause.text[:start] + fix.text + clause.text[end:]
        kind = AMEND if text.strip() else "strike"
        yield Proposal("", kind, clause.number, text if kind == AMEND else "", finding.text)
