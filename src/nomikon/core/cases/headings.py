"""Which row of a table names its columns: what programs put above, behind and twice is told, not refused."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from nomikon.core.errors import TableError

# Columns of one table, and characters of a name.
MOST_COLUMNS, LONGEST_NAME = 2_000, 1_000
# Lines above a heading that may be its title; rows that are looked at to tell.
MOST_TITLES, LOOKED_AT = 3, 8
# What names a column is short; a longer cell is text.
LONGEST_HEADING = 80


@dataclass(frozen=True)
class Heading:
    """columns: names in order. line: where they stand. titles: rows above that are left out. width: of
    the row as it stands, empty cells behind the last name included. notes: what was settled."""

    columns: list[str]
    line: int
    titles: int = 0
    width: int = 0
    notes: list[str] = field(default_factory=list)


def find_heading(rows: Sequence[tuple[int, Sequence[str]]]) -> Heading:
    """The heading among the first rows of a table, each with its line.

    A row of one cell above one that names columns is a title and left out. An empty cell behind the
    last name is no column; one between names, and a name that stands twice, gets a name of its own.
    Raises TableError where there are too many columns, or a name is longer than any.
    """
    titles = 0
    while titles < MOST_TITLES and _is_title(rows[titles:]):
        titles += 1
    line, cells = rows[titles]
    notes = [f"line {n} is left out: a title above the heading" for n, _ in rows[:titles]]
    names = [c.strip() for c in cells]
    while names and not names[-1]:
        names.pop()
    if len(names) > MOST_COLUMNS:
        raise TableError(
            f"line {line}: {len(names):,} columns; at most {MOST_COLUMNS:,} are read",
            field="file",
            line=line,
        )
    taken: set[str] = {n for n in names if n}
    columns: list[str] = []
    for place, name in enumerate(names, 1):
        if len(name) > LONGEST_NAME:
            raise TableError(
                f"line {line}: the name of column {place} has {len(name):,} characters; at most "
                f"{LONGEST_NAME} are read: does the file begin with a header?",
                field="file",
                line=line,
            )
        if not name:
            columns.append(_free(f"column {place}", taken))
            notes.append(f"column {place} has no name and is called {columns[-1]}")
        elif name in columns:
            columns.append(_free(name, taken))
            notes.append(f"{name} stands twice: column {place} is called {columns[-1]}")
        else:
            columns.append(name)
        taken.add(columns[-1])
    return Heading(columns, line, titles, len(cells), notes)


def _free(name: str, taken: set[str]) -> str:
    if name not in taken:
        return name
    n = 2
    while f"{name} ({n})" in taken:
        n += 1
    return f"{name} ({n})"


def _is_title(rows: Sequence[tuple[int, Sequence[str]]]) -> bool:
    """Whether the first row stands above a heading: one cell over a row of names and one like it."""
    if len(rows) < 3:
        return False
    first, second, third = ([c.strip() for c in cells] for _, cells in rows[:3])
    filled = [c for c in first if c]
    if len(filled) != 1:
        return False
    if len(first) == 1 and (" " not in filled[0] or _is_prose(rows[1][1]) or _is_prose(rows[2][1])):
        # A word by itself is a heading of one column, and so is one over texts with commas in them.
        return False
    names = [c for c in second if c]
    return (
        len(names) >= 2
        and len(set(names)) == len(names)
        and max(map(len, names)) <= LONGEST_HEADING
        and "\n" not in "".join(names)
        and len(third) == len(second)
        and sum(map(bool, third)) >= 2
    )


def _is_prose(cells: Sequence[str]) -> bool:
    """Whether a row is a text that a mark has cut: a blank behind the mark, or the end of a sentence."""
    return any(c[:1].isspace() for c in cells[1:]) or any(
        c.rstrip()[-1:] in ".?!" for c in cells if c
    )
