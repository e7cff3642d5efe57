"""Two to four texts beside each other: which clause of one stands for which clause of the others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from nomikon.core.errors import PromptError
from nomikon.core.prompts.alignment import (
    SAME_CLAUSE,
    WordChange,
    align_clauses,
    align_messages,
    similarity,
    word_changes,
)
from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.messages import Message

MOST_TEXTS = 4
FIRST, SAME, AMENDED, MOVED, ADDED = "first", "same", "amended", "moved", "added"


@dataclass(frozen=True)
class Cell:
    """A clause in its row. kind: first (of the text that the others are held against), same, amended,
    moved (it stands elsewhere there), or added. words: what leads to it from the first one's."""

    clause: Clause
    kind: str
    words: tuple[WordChange, ...] = ()


@dataclass
class Row:
    """One clause as each text says it; None where a text has none of it."""

    cells: list[Cell | None] = field(default_factory=list)


def side_by_side(texts: Sequence[Sequence[Message]]) -> list[Row]:
    """The clauses of every text in rows, held against the first text; nothing is left out or twice.

    Rows stand in the order of the first text; what others add stands after the clause that it follows
    there, and what two of them add alike stands in one row. Raises PromptError for fewer than two texts
    or more than MOST_TEXTS.

    >>> a, b = [Message('user', 'Be kind.')], [Message('user', 'Be kind. Be brief.')]
    >>> [[c and c.kind for c in row.cells] for row in side_by_side([a, b])]
    [['first', 'same'], [None, 'added']]
    """
    if not 2 <= len(texts) <= MOST_TEXTS:
        raise PromptError(f"two to {MOST_TEXTS} versions stand beside each other", field="versions")
    first = clauses_of(texts[0])
    rows = [Row([Cell(c, FIRST)]) for c in first]
    for place, text in enumerate(texts[1:], 1):
        _put(rows, first, texts[0], text, place)
    return rows


def _put(
    rows: list[Row],
    first: Sequence[Clause],
    messages: Sequence[Message],
    text: Sequence[Message],
    place: int,
) -> None:
    """One more text into the rows, as the column `place`."""
    own = clauses_of(text)
    pairs, moves = align_clauses(first, own, align_messages(messages, text))
    of_first = {row.cells[0].clause.number: row for row in rows if row.cells[0] is not None}
    known: dict[int, tuple[Row, str]] = {}
    for kind, found in (("", pairs), (MOVED, moves)):
        for i, j in found:
            same = first[i].text == own[j].text
            known[j] = (of_first[first[i].number], kind or (SAME if same else AMENDED))
    free = _alike_added([j for j in range(len(own)) if j not in known], own, rows)
    last: Row | None = None
    for j, clause in enumerate(own):
        row, kind = known.get(j) or (free.get(j), ADDED)
        if row is None:
            row = Row([None] * place)
            rows.insert(rows.index(last) + 1 if last is not None else 0, row)
        while len(row.cells) < place:
            row.cells.append(None)
        row.cells.append(Cell(clause, kind, _words(row, clause, kind)))
        if kind != MOVED:
            last = row
    for row in rows:
        while len(row.cells) <= place:
            row.cells.append(None)


def _words(row: Row, clause: Clause, kind: str) -> tuple[WordChange, ...]:
    first = row.cells[0]
    if first is None or kind == SAME or first.clause.text == clause.text:
        return ()
    return tuple(word_changes(first.clause.text, clause.text))


def _alike_added(left: Sequence[int], own: Sequence[Clause], rows: Sequence[Row]) -> dict[int, Row]:
    """Of the clauses that the first text has not, those that another text has added alike; in order."""
    added = [row for row in rows if row.cells[0] is None]
    if not left or not added:
        return {}
    texts = [next(c.clause.text for c in row.cells if c is not None) for row in added]
    likeness = similarity([own[j].text for j in left], texts)
    found: dict[int, Row] = {}
    begin = 0
    for x, j in enumerate(left):
        rest = likeness[x, begin:]
        if rest.size and rest.max() >= SAME_CLAUSE:
            best = begin + int(rest.argmax())
            found[j] = added[best]
            begin = best + 1
    return found
