"""Wishes turned into amendments by rule: the clause that holds the old rule changes, none is doubled."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field, replace

import regex

from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import placeholder_names
from nomikon.core.prompts.proposals import ADD, AMEND, STRIKE, Proposal, check_proposal
from nomikon.core.prompts.questions import place_for
from nomikon.core.prompts.tenor import Tenor, read_tenor
from nomikon.core.prompts.tenor.facts import Fact
from nomikon.core.prompts.wishes.changes import (
    Addition,
    Change,
    Edit,
    form_changes,
    going_changes,
    input_changes,
    label_changes,
    language_changes,
    limit_changes,
    tone_changes,
)
from nomikon.core.prompts.wishes.clashing import clash_of
from nomikon.core.prompts.wishes.parting import parted
from nomikon.core.prompts.wishes.wants import LONGEST_WISH, MOST_WISHES, Want

VAGUE = "no rule can tell what is to change: say it with a number, a word or a form, or ask a model"
FOREIGN = "it is worded in another language than the prompt, and a rule does not translate"
CLASHES = "two wishes change the same words"
PARTLY = "no rule reads this part of it"


@dataclass(frozen=True)
class Granted:
    """proposals: `fault` is the place from 1 of the first wish that it grants, `wishes` all of them.

    met: wishes that the prompt says already. unmet: wishes left, each with why.
    """

    proposals: list[Proposal] = field(default_factory=list)
    wishes: dict[str, tuple[int, ...]] = field(default_factory=dict)
    met: list[int] = field(default_factory=list)
    unmet: list[tuple[int, str]] = field(default_factory=list)


def grant_wishes(
    messages: Sequence[Message],
    wishes: Sequence[str],
    columns: Collection[str] = (),
    facts: Sequence[Fact] = (),
) -> Granted:
    """Amendments that grant what rules can read in the wishes; the others are told, none is guessed.

    wishes: in words, up to MOST_WISHES of up to LONGEST_WISH characters. columns: what cases fill.
    facts: what a person put right of how the prompt is read. Raises PromptError for wishes that are none.

    >>> done = grant_wishes([Message('user', 'Sum it up in at most 40 words.')], ['at most 20 words'])
    >>> done.proposals[0].text
    'Sum it up in at most 20 words.'
    """
    check_wishes(wishes)
    tenor = read_tenor(messages, facts=facts)
    wants: list[Want] = []
    of: list[int] = []
    left: list[tuple[int, str]] = []
    for place, wish in enumerate(wishes, 1):
        own, rest = parted(wish.strip(), tenor)
        against = next(
            (
                (n, why)
                for w, n in zip(wants, of, strict=True)
                for x in own
                if (why := clash_of(w, x))
            ),
            None,
        )
        if against is not None:
            n, why = against
            left.append((place, f"it contradicts “{wishes[n - 1].strip()}”: {why}; one must go"))
            continue
        wants += own
        of += [place] * len(own)
        if rest:
            left.append((place, f"{PARTLY}: {'; '.join(f'“{r}”' for r in rest)}"))
    reasons = [f"Wished: {' '.join(wishes[n - 1].split())}" for n in of]
    done = grant_wants(messages, tenor, wants, reasons, columns)
    return _by_wish(done, of, left)


def _by_wish(done: Granted, of: Sequence[int], left: Sequence[tuple[int, str]]) -> Granted:
    """What was granted to parts, told of the wishes they are parts of; of: each part's wish."""
    unmet = [(of[n - 1], why) for n, why in done.unmet]
    unmet += [told for told in left if told[0] not in dict(unmet)]
    proposals = [replace(p, fault=of[p.fault - 1] if p.fault else p.fault) for p in done.proposals]
    wishes = {i: tuple(dict.fromkeys(of[n - 1] for n in own)) for i, own in done.wishes.items()}
    granted = {n for own in wishes.values() for n in own}
    open_ = granted | {n for n, _ in unmet}
    met = [n for n in dict.fromkeys(of[n - 1] for n in done.met) if n not in open_]
    return Granted(proposals, wishes, met, sorted(dict.fromkeys(unmet)))


def grant_wants(
    messages: Sequence[Message],
    tenor: Tenor,
    wants: Sequence[Want],
    reasons: Sequence[str],
    columns: Collection[str] = (),
) -> Granted:
    """As `grant_wishes`, from wishes that are read already; reasons: one for each, in words."""
    done = Granted()
    said = _plain("\n".join(m.content for m in messages))
    edits: list[tuple[int, Edit]] = []
    additions: list[tuple[int, Addition]] = []
    for place, want in enumerate(wants, 1):
        if not want.is_told:
            done.unmet.append((place, VAGUE))
            continue
        try:
            changes = list(_changes(want, messages, tenor))
        except PromptError as error:
            done.unmet.append((place, error.message))
            continue
        changes = [c for c in changes if not isinstance(c, Addition) or _plain(c.text) not in said]
        if not changes:
            done.met.append(place)
        for change in changes:
            if isinstance(change, Addition):
                additions.append((place, change))
            elif any(_meet(change, other) for _, other in edits):
                done.unmet.append((place, CLASHES))
            else:
                edits.append((place, change))
    _propose(done, messages, edits, additions, reasons, columns)
    return done


def check_wishes(wishes: Sequence[str]) -> None:
    """Raises PromptError for wishes that are none, too many or too long."""
    if not wishes or len(wishes) > MOST_WISHES:
        raise PromptError(f"give 1 to {MOST_WISHES} wishes, one per line", field="wishes")
    for place, wish in enumerate(wishes, 1):
        if not wish.strip():
            raise PromptError(f"wish {place} is empty", field=f"wishes.{place - 1}")
        if len(wish) > LONGEST_WISH:
            raise PromptError(
                f"wish {place} has {len(wish):,} characters; at most {LONGEST_WISH} are read",
                field=f"wishes.{place - 1}",
            )


def _changes(want: Want, messages: Sequence[Message], tenor: Tenor) -> Iterator[Change]:
    yield from limit_changes(want, messages, tenor)
    yield from label_changes(want, messages, tenor)
    yield from form_changes(want, messages, tenor)
    yield from language_changes(want, tenor)
    yield from tone_changes(want, messages, tenor)
    yield from input_changes(want, messages, tenor)
    yield from going_changes(want, messages, tenor)
    if want.rule:
        if tenor.language and want.language != tenor.language:
            raise PromptError(FOREIGN)
        yield Addition(want.rule)


def _plain(text: str) -> str:
    return " ".join(regex.findall(r"\w+", text.casefold()))


def _meet(a: Edit, b: Edit) -> bool:
    if a.strikes is not None or b.strikes is not None:
        return a.clause == b.clause
    return a.message == b.message and a.start < b.end and b.start < a.end


def _propose(
    done: Granted,
    messages: Sequence[Message],
    edits: Sequence[tuple[int, Edit]],
    additions: Sequence[tuple[int, Addition]],
    reasons: Sequence[str],
    columns: Collection[str],
) -> None:
    """One proposal a clause with all that changes in it, and one for each clause that is added."""
    clauses = {c.number: c for c in clauses_of(messages)}
    by_clause: dict[int, list[tuple[int, Edit]]] = {}
    for place, edit in edits:
        by_clause.setdefault(edit.clause, []).append((place, edit))
    made: list[tuple[tuple[int, ...], Proposal]] = []
    for number, own in sorted(by_clause.items()):
        places = tuple(sorted({place for place, _ in own}))
        text = _edited(clauses[number], [edit for _, edit in own])
        kind = AMEND if text.strip() else STRIKE
        made.append(
            (places, Proposal("", kind, number, text if kind == AMEND else "", "", places[0]))
        )
    rules = place_for(messages)
    wanted: dict[Addition, tuple[int, ...]] = {}
    for place, addition in additions:
        # The same clause wished for twice comes in once.
        wanted[addition] = tuple(dict.fromkeys((*wanted.get(addition, ()), place)))
    for addition, places in wanted.items():
        at = rules if addition.after is None else addition.after
        made.append((places, Proposal("", ADD, at, addition.text, "", places[0])))
    names = {*columns, *placeholder_names(messages)}
    taken: list[Proposal] = []
    for places, proposal in made:
        why = " ".join(dict.fromkeys(reasons[p - 1] for p in places))
        named = Proposal(
            _id_of(proposal, why), proposal.kind, proposal.clause, proposal.text, why,
            proposal.fault,
        )  # fmt: skip
        own_names = placeholder_names([Message("user", named.text)]) if named.kind == ADD else []
        try:
            # A hole that is wished for may come in, whether cases fill it yet or not.
            check_proposal(named, messages, taken, {*names, *own_names} if own_names else columns)
        except DomainError as error:
            told = [(p, error.message) for p in places]
            done.unmet.extend(t for t in told if t not in done.unmet)
            continue
        taken.append(named)
        done.wishes[named.id] = places
    done.proposals.extend(taken)


def _id_of(proposal: Proposal, why: str) -> str:
    """The same for the same change, whatever is proposed beside it: what is pressed is what is taken."""
    told = "\0".join((proposal.kind, proposal.text, why))
    return f"w{hashlib.sha256(told.encode()).hexdigest()[:10]}"


def _edited(clause: Clause, edits: Sequence[Edit]) -> str:
    if any(e.strikes for e in edits):
        return ""
    text = clause.text
    for edit in sorted(edits, key=lambda e: -e.start):
        start, end = edit.start - clause.start, edit.end - clause.start
        text = text[:start] + edit.text + text[end:]
    return text
