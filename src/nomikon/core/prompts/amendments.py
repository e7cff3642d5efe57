"""What changed between two versions as amendments, each of which can be taken or left.

The two versions are laid into one sequence that holds the messages and clauses
of both. Every piece of it is in both, or belongs to one amendment. To apply a
set of amendments is to walk the sequence and let each amendment that is taken
show the newer side, each other one the older side.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from nomikon.core.errors import AmendmentError
from nomikon.core.prompts.alignment import align_clauses, align_messages
from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.joining import joined
from nomikon.core.prompts.layout import RESHAPED, layout_words
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import STEP_PREFIX, find_tags

KINDS = ("add", "amend", "strike", "move", "layout")
# Under this share of the older version's clauses kept, the two are better read side by side.
REWRITTEN = 0.4
# Clauses that need a line of their own.
_LINES = ("heading", "list-item", "fenced", "quoted")


@dataclass(frozen=True)
class Amendment:
    """One change: add (no before), amend, strike (no after), move, or layout (neither).

    id: stable for the older version: kind and clause number there. requires:
    ids that must be taken with it. detail: for `layout`, what changes, in words.
    """

    id: str
    kind: str
    before: Clause | None
    after: Clause | None
    requires: tuple[str, ...] = ()
    detail: str = ""


@dataclass
class _Piece:
    """A clause in one or both versions; amendment: the id that decides over it, None if kept."""

    before: Clause | None
    after: Clause | None
    amendment: str | None = None
    moved: bool = False
    # Of a clause that says the same in another layout: what changed.
    words: str = ""


@dataclass
class _Slot:
    """A message of the joint sequence with the pieces that may stand in it, in order."""

    before: int | None
    after: int | None
    amendment: str | None = None
    # (piece, whether this place is where the older or the newer version has it)
    places: list[tuple[_Piece, str]] = field(default_factory=list)


class Revision:
    """What leads from one version to another."""

    def __init__(
        self,
        old: Sequence[Message],
        new: Sequence[Message],
        settings: tuple[Mapping[str, Any], Mapping[str, Any]] = ({}, {}),
    ) -> None:
        self._old, self._new = tuple(old), tuple(new)
        self._settings = settings
        self._a, self._b = clauses_of(old), clauses_of(new)
        same = align_messages(old, new)
        self._parts = self._a, self._b
        pairs, moves = align_clauses(self._a, self._b, same)
        whole = joined(self._a, self._b, pairs, old, new)
        if (len(whole[0]), len(whole[1])) != (len(self._a), len(self._b)):
            self._a, self._b = whole
            pairs, moves = align_clauses(self._a, self._b, same)
        self._olds = {id(c) for c in self._a}
        self._pieces = _pieces_of(self._a, self._b, pairs, moves)
        self._slots = _slots_of(self._old, self._new, same, self._pieces)
        self._breaks_old = _breaks(self._old, self._slots, self._pieces, older=True)
        self._breaks_new = _breaks(self._new, self._slots, self._pieces, older=False)
        self._deciding: dict[tuple[int, int], str] = {}
        self.kept = sum(p.amendment is None for p in self._pieces)
        self.amendments: list[Amendment] = _Naming(self).amendments()

    @property
    def rewritten(self) -> bool:
        """Whether so little is kept that the two texts are better read side by side."""
        return self.kept < REWRITTEN * len(self._a)

    @property
    def pairs(self) -> list[tuple[Clause, Clause]]:
        """Clauses that are the same one in both versions, changed or not; each part of one that was split
        came from the whole, and a merged one from each of its parts."""
        whole = [{id(c) for c in parts} for parts in self._parts]
        return [
            (before, after)
            for p in self._pieces
            if p.before and p.after
            for before in _parts_of(p.before, self._parts[0], whole[0])
            for after in _parts_of(p.after, self._parts[1], whole[1])
        ]

    def closed(self, ids: Iterable[str]) -> set[str]:
        """These amendments and all that they require. Raises AmendmentError for an unknown id."""
        known = {a.id: a for a in self.amendments}
        found: set[str] = set()
        waiting = list(ids)
        while waiting:
            name = waiting.pop()
            if name not in known:
                raise AmendmentError(
                    f"there is no amendment {name!r} between these versions", field="take"
                )
            if name not in found:
                found.add(name)
                waiting += known[name].requires
        return found

    def without(self, ids: Iterable[str]) -> set[str]:
        """All amendments but these and those that require them."""
        out = set(ids)
        self.closed(out)  # refuses unknown ids
        grown = True
        while grown:
            more = {a.id for a in self.amendments if a.id not in out and out & set(a.requires)}
            grown = bool(more)
            out |= more
        return {a.id for a in self.amendments} - out

    def apply(self, take: Collection[str]) -> tuple[tuple[Message, ...], dict[str, Any]]:
        """The older version with these amendments taken: messages and settings.

        take: ids, closed under what they require. All of them give the newer
        version exactly, none of them the older one. Raises AmendmentError for
        an unknown id and for one taken without what it requires.
        """
        taken = set(take)
        lacking = self.closed(taken) - taken
        if lacking:
            raise AmendmentError(
                f"these amendments need {', '.join(sorted(lacking))} to be taken as well",
                field="take",
            )
        messages = []
        for number, slot in enumerate(self._slots):
            newer = slot.amendment in taken
            if (slot.before is None and not newer) or (slot.after is None and newer):
                continue
            use_new = slot.before is None or newer
            header = self._new[slot.after or 0] if use_new else self._old[slot.before or 0]
            content = self._content(number, slot, taken)
            messages.append(Message(header.role, content, header.step))
        return tuple(messages), self._settings_with(taken)

    def _content(self, number: int, slot: _Slot, taken: set[str]) -> str:
        shown = [(p, place) for p, place in slot.places if _shows(p, place, taken)]
        start, end = _edges(number)
        parts = []
        before_key, before = start, None
        for piece, _ in shown:
            newer = piece.amendment in taken
            clause = piece.after if newer or piece.before is None else piece.before
            assert clause is not None
            parts += [self._break((before_key, id(piece)), before, clause, taken, slot)]
            parts += [clause.text]
            before_key, before = id(piece), clause
        parts += [self._break((before_key, end), before, None, taken, slot)]
        return "".join(parts)

    def _break(
        self,
        key: tuple[int, int],
        left: Clause | None,
        right: Clause | None,
        taken: set[str],
        slot: _Slot,
    ) -> str:
        """What stands between two neighbours (None: an end of the message)."""
        older, newer = self._breaks_old.get(key), self._breaks_new.get(key)
        if older is not None and newer is not None:
            return newer if self._deciding.get(key) in taken else older
        if newer is not None:
            return newer
        if older is not None:
            return older
        if left is None or right is None:
            # The new neighbour of an edge: the message's own edge as it was.
            message = self._old[slot.before] if slot.before is not None else None
            text = (message or self._new[slot.after or 0]).content
            clauses = [c for c in self._a if c.message == slot.before] if message else []
            if not clauses:
                return ""
            return text[: clauses[0].start] if left is None else text[clauses[-1].end :]
        return self._joint(left, right)

    def _joint(self, left: Clause, right: Clause) -> str:
        """A break for two clauses that are neighbours in neither version."""
        choices = [self._lead(right), self._trail(left)]
        needs_line = left.kind in _LINES or right.kind in _LINES
        for choice in choices:
            if choice and choice.isspace() and ("\n" in choice or not needs_line):
                return choice
        return "\n"

    def _lead(self, clause: Clause) -> str:
        text, clauses = self._home(clause)
        ends = [c.end for c in clauses if c.message == clause.message and c.end <= clause.start]
        return text[max(ends) : clause.start] if ends else ""

    def _trail(self, clause: Clause) -> str:
        text, clauses = self._home(clause)
        starts = [c.start for c in clauses if c.message == clause.message and c.start >= clause.end]
        return text[clause.end : min(starts)] if starts else ""

    def _home(self, clause: Clause) -> tuple[str, list[Clause]]:
        older = id(clause) in self._olds
        messages, clauses = (self._old, self._a) if older else (self._new, self._b)
        return messages[clause.message].content, clauses

    def _settings_with(self, taken: set[str]) -> dict[str, Any]:
        old, new = self._settings
        result = dict(old)
        for name in (*old, *new):
            if _setting_id(name) in taken:
                result.pop(name, None)
                if name in new:
                    result[name] = new[name]
        return result


def amendments_between(
    old: Sequence[Message],
    new: Sequence[Message],
    old_settings: Mapping[str, Any] | None = None,
    new_settings: Mapping[str, Any] | None = None,
) -> Revision:
    """Align the clauses of two versions and name what changed.

    Settings are compared where both are given. Raises PlaceholderSyntaxError
    for text that is no valid Mustache.
    """
    return Revision(old, new, (old_settings or {}, new_settings or {}))


def _edges(slot: int) -> tuple[int, int]:
    """Keys of a message's start and end; ids of objects are never negative."""
    return -2 * slot - 2, -2 * slot - 1


def _setting_id(name: str) -> str:
    return f"layout-setting-{name}"


def _shows(piece: _Piece, place: str, taken: set[str]) -> bool:
    newer = piece.amendment in taken
    if place == "both":
        return True
    return newer if place == "newer" else not newer


def _parts_of(clause: Clause, parts: Sequence[Clause], known: Collection[int]) -> list[Clause]:
    """The clauses that one is made of. known: ids of those that were never joined."""
    if id(clause) in known:
        return [clause]
    return [
        c
        for c in parts
        if c.message == clause.message and clause.start <= c.start and c.end <= clause.end
    ]


def _layout_id(pieces: Sequence[_Piece], clause: Clause, words: str) -> str:
    """One for a run of clauses to which the same was done: a list that was renumbered is one change."""
    last = pieces[-1] if pieces else None
    same = last and last.words and last.before and last.before.message == clause.message
    if last and same and last.amendment and words == last.words and words not in RESHAPED:
        return last.amendment
    return f"layout-clause-{clause.number}"


def _pieces_of(
    a: Sequence[Clause],
    b: Sequence[Clause],
    pairs: Sequence[tuple[int, int]],
    moves: Sequence[tuple[int, int]],
) -> list[_Piece]:
    """Every clause of both versions once; amendments are named in the order of the older one."""
    partner = {i: (j, False) for i, j in pairs} | {i: (j, True) for i, j in moves}
    pieces: list[_Piece] = []
    for i, clause in enumerate(a):
        j, moved = partner.get(i, (None, False))
        if j is None:
            pieces.append(_Piece(clause, None, f"strike-{clause.number}"))
        elif moved:
            pieces.append(_Piece(clause, b[j], f"move-{clause.number}", moved=True))
        elif clause.text == b[j].text:
            pieces.append(_Piece(clause, b[j]))
        elif changed := layout_words(clause, b[j]):
            pieces.append(_Piece(clause, b[j], _layout_id(pieces, clause, changed), words=changed))
        else:
            pieces.append(_Piece(clause, b[j], f"amend-{clause.number}"))
    known = {p.after.number: p for p in pieces if p.after is not None}
    anchor, count = 0, 0
    for clause in b:
        piece = known.get(clause.number)
        if piece is None:
            count += 1
            pieces.append(_Piece(None, clause, f"add-{anchor}.{count}"))
        elif piece.before is not None and not piece.moved:
            anchor, count = piece.before.number, 0
    return pieces


def _slots_of(
    old: Sequence[Message],
    new: Sequence[Message],
    same: Sequence[tuple[int, int]],
    pieces: Sequence[_Piece],
) -> list[_Slot]:
    slots: list[_Slot] = []
    at_old = at_new = 0
    for i, j in [*same, (len(old), len(new))]:
        for k in range(at_old, i):
            slots.append(_Slot(k, None, f"layout-strike-message-{k + 1}"))
        for k in range(at_new, j):
            slots.append(_Slot(None, k, f"layout-add-message-{k + 1}"))
        if i < len(old):
            changed = (old[i].role, old[i].step) != (new[j].role, new[j].step)
            slots.append(_Slot(i, j, f"layout-message-{i + 1}" if changed else None))
        at_old, at_new = i + 1, j + 1
    for slot in slots:
        slot.places = _places(slot, pieces)
    return slots


def _places(slot: _Slot, pieces: Sequence[_Piece]) -> list[tuple[_Piece, str]]:
    """Pieces of one message in order: between two that stand in both, older ones come first."""
    older = [p for p in pieces if p.before is not None and p.before.message == slot.before]
    newer = [p for p in pieces if p.after is not None and p.after.message == slot.after]
    newer.sort(key=lambda p: p.after.number if p.after else 0)
    both = {
        id(p)
        for p in older
        if not p.moved and p.after is not None and p.after.message == slot.after
    }
    places: list[tuple[_Piece, str]] = []
    k = 0
    for piece in older:
        if id(piece) not in both:
            places.append((piece, "older"))
            continue
        while k < len(newer) and newer[k] is not piece:
            places.append((newer[k], "newer"))
            k += 1
        k += 1
        places.append((piece, "both"))
    places += [(p, "newer") for p in newer[k:]]
    return places


def _breaks(
    messages: Sequence[Message], slots: Sequence[_Slot], pieces: Sequence[_Piece], *, older: bool
) -> dict[tuple[int, int], str]:
    """What stands between neighbours in one version, by their keys."""
    found: dict[tuple[int, int], str] = {}
    for number, slot in enumerate(slots):
        index = slot.before if older else slot.after
        if index is None:
            continue
        text = messages[index].content
        side = [(p, p.before if older else p.after) for p in pieces]
        inside = sorted(
            ((c, p) for p, c in side if c is not None and c.message == index),
            key=lambda cp: cp[0].start,
        )
        start, end = _edges(number)
        key, at = start, 0
        for clause, piece in inside:
            found[(key, id(piece))] = text[at : clause.start]
            key, at = id(piece), clause.end
        found[(key, end)] = text[at:]
    return found


class _Naming:
    """Turns a revision's pieces, messages and breaks into the list of amendments."""

    def __init__(self, revision: Revision) -> None:
        self._r = revision
        self._requires: dict[str, set[str]] = {}

    def amendments(self) -> list[Amendment]:
        """In the order of the joint text; settings last."""
        found: list[Amendment] = []
        breaks = self._breaks()
        for slot in self._r._slots:
            if slot.amendment is not None:
                found.append(Amendment(slot.amendment, "layout", None, None, (), self._words(slot)))
            for piece, place in slot.places:
                if piece.words:
                    self._tell_layout(piece, found)
                elif piece.amendment is not None and (place != "older" or not piece.moved):
                    kind = piece.amendment.split("-")[0]
                    found.append(Amendment(piece.amendment, kind, piece.before, piece.after))
            found += breaks.get(id(slot), [])
        found += self._settings()
        self._ask_for_messages()
        self._ask_for_steps(found)
        self._ask_for_some_text(found)
        return [
            replace(a, requires=tuple(sorted(self._requires.get(a.id, set()) - {a.id})))
            for a in found
        ]

    @staticmethod
    def _tell_layout(piece: _Piece, found: list[Amendment]) -> None:
        """What says the same in another layout; lists that were renumbered are told once."""
        assert piece.amendment is not None
        assert piece.before is not None
        if found and found[-1].id == piece.amendment:
            former = found[-1]
            n = int(m.group(1)) + 1 if (m := re.search(r"\((\d+) clauses\)", former.detail)) else 2
            detail = f"{former.detail.split(' (')[0]} ({n} clauses)"
            found[-1] = replace(former, detail=detail)
            return
        told = f"§{piece.before.number}: {piece.words}"
        found.append(Amendment(piece.amendment, "layout", None, None, (), told))

    def _need(self, name: str, other: str | None) -> None:
        if other is not None:
            self._requires.setdefault(name, set()).add(other)

    def _words(self, slot: _Slot) -> str:
        r = self._r
        if slot.before is None:
            m = r._new[slot.after or 0]
            return f"{_article(m.role)} {m.role} message comes in{_in_step(m)}"
        if slot.after is None:
            m = r._old[slot.before]
            return f"{_article(m.role)} {m.role} message goes{_in_step(m)}"
        x, y = r._old[slot.before], r._new[slot.after]
        parts = [f"role {x.role} becomes {y.role}"] if x.role != y.role else []
        if x.step != y.step:
            parts.append(f"now in step {y.step}" if y.step else "no longer in a step")
        return f"message {slot.before + 1}: {', '.join(parts)}"

    def _breaks(self) -> dict[int, list[Amendment]]:
        """One layout amendment for each message whose breaks differ where both have the same neighbours."""
        r = self._r
        by_id = {id(p): p for p in r._pieces}
        slot_of = {
            id(p): (number, slot)
            for number, slot in enumerate(r._slots)
            for p, place in slot.places
            if place != "older"
        }
        found: dict[int, list[Amendment]] = {}
        for key, newer in r._breaks_new.items():
            older = r._breaks_old.get(key)
            if older is None or older == newer:
                continue
            neighbours = [p for p in map(by_id.get, key) if p is not None]
            names = [p.amendment for p in neighbours if p.amendment and _reshaped(p)]
            if names:
                # A sentence that became a list item takes its line break with it.
                r._deciding[key] = names[0]
                for name in names[1:]:
                    self._need(name, names[0])
                    self._need(names[0], name)
                continue
            edge = next((k for k in key if k < 0), None)
            number = (-edge - 1) // 2 if edge is not None else slot_of[key[1]][0]
            slot = r._slots[number]
            name = f"layout-breaks-{number + 1}"
            r._deciding[key] = name
            if id(slot) not in found:
                where = (slot.after if slot.after is not None else slot.before) or 0
                words = f"blanks or line breaks differ in message {where + 1}"
                found[id(slot)] = [Amendment(name, "layout", None, None, (), words)]
        return found

    def _settings(self) -> list[Amendment]:
        old, new = self._r._settings
        found = []
        for name in dict.fromkeys((*old, *new)):
            if old.get(name) != new.get(name):
                was, now = (_shown(s[name]) if name in s else "unset" for s in (old, new))
                words = f"{name.replace('_', ' ')}: {was} becomes {now}"
                found.append(Amendment(_setting_id(name), "layout", None, None, (), words))
        return found

    def _ask_for_messages(self) -> None:
        """What comes into a new message needs it; a message goes only when it is emptied."""
        for slot in self._r._slots:
            if slot.amendment is None:
                continue
            for piece, place in slot.places:
                if slot.before is None and piece.amendment:
                    self._need(piece.amendment, slot.amendment)
                if slot.after is None and place == "older":
                    self._need(slot.amendment, piece.amendment)

    def _ask_for_steps(self, found: Sequence[Amendment]) -> None:
        """A step that clauses read is there in every mixture: it comes before readers, goes after."""
        slots = [(s, *self._steps_at(s)) for s in self._r._slots]
        stays = {old for _, old, new in slots if old is not None and old == new}
        had = {old for _, old, _ in slots}
        comes = {new: s.amendment for s, _, new in reversed(slots) if new not in stays}
        for slot, old, new in slots:
            if slot.amendment is None or old == new:
                continue
            if old is not None and old not in stays:
                # Another message takes the step over, or nobody reads it any more.
                self._need(slot.amendment, comes.get(old))
            for a in found:
                before, after = _steps_read(a.before), _steps_read(a.after)
                if new not in had and new in after - before:
                    self._need(a.id, slot.amendment)
                if old not in stays and old not in comes and old in before - after:
                    self._need(slot.amendment, a.id)

    def _steps_at(self, slot: _Slot) -> tuple[str | None, str | None]:
        """The step of a message in the older and in the newer version."""
        old = self._r._old[slot.before].step if slot.before is not None else None
        new = self._r._new[slot.after].step if slot.after is not None else None
        return old, new

    def _ask_for_some_text(self, found: Sequence[Amendment]) -> None:
        """Where nothing survives, the last old clause goes only when a new one comes."""
        pieces = self._r._pieces
        if any(p.before is not None and p.after is not None for p in pieces):
            return
        struck = [p.amendment for p in pieces if p.after is None and p.amendment]
        added = [p.amendment for p in pieces if p.before is None and p.amendment]
        if struck and added:
            self._need(struck[-1], added[0])
        elif struck:
            # What is left of the newer text is no clause: a line of marks.
            for a in found:
                if a.kind == "layout":
                    self._need(struck[-1], a.id)


def _article(role: str) -> str:
    return "an" if role[0] in "aeio" else "a"


def _in_step(message: Message) -> str:
    return f" (step {message.step})" if message.step else ""


def _shown(value: Any) -> str:
    return f"{value:g}" if isinstance(value, float) else str(value)


def _reshaped(piece: _Piece) -> bool:
    """Whether a clause needs a line of its own in one version and not in the other."""
    if piece.before is None or piece.after is None:
        return False
    return (piece.before.kind in _LINES) != (piece.after.kind in _LINES)


def _steps_read(clause: Clause | None) -> set[str]:
    if clause is None:
        return set()
    return {
        tag.name.removeprefix(STEP_PREFIX)
        for tag in find_tags(clause.text)
        if tag.name.startswith(STEP_PREFIX)
    }
