"""Which clause of one version is which clause of another, and which words of it changed."""

from __future__ import annotations

import difflib
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nomikon.core.prompts.clauses import Clause
from nomikon.core.prompts.messages import Message

# Below this share of common words two clauses are taken for different ones;
# a move needs more, since its place says nothing in its favour.
SAME_CLAUSE = 0.4
MOVED_CLAUSE = 0.7
# What shows something (an example, a quotation, a table) rarely becomes a rule.
OTHER_SORT = 0.6
_SHOWN = ("example", "pair", "quoted", "fenced")

# Beyond this many pairs only equal clauses are looked for first, and likeness within the gaps.
_MOST_PAIRS = 360_000
# A gap between equal clauses that is larger than this is taken for rewritten.
_EQUAL = 1.001


@dataclass(frozen=True)
class WordChange:
    """A stretch of words: kind is same, gone or new."""

    kind: str
    text: str


def word_changes(before: str, after: str) -> list[WordChange]:
    """What went and what came, word by word, in order.

    The `same` and `gone` texts joined give `before` exactly, the `same` and
    `new` texts give `after`.

    >>> [(c.kind, c.text) for c in word_changes('say yes', 'say no')]
    [('same', 'say '), ('gone', 'yes'), ('new', 'no')]
    """
    a, b = _pieces(before), _pieces(after)
    changes: list[WordChange] = []
    matcher = difflib.SequenceMatcher(None, a, b, autojunk=False)
    for tag, i1, i2, j1, j2 in matcher.get_opcodes():
        if tag == "equal":
            changes.append(WordChange("same", "".join(a[i1:i2])))
            continue
        if i2 > i1:
            changes.append(WordChange("gone", "".join(a[i1:i2])))
        if j2 > j1:
            changes.append(WordChange("new", "".join(b[j1:j2])))
    return changes


def _pieces(text: str) -> list[str]:
    return re.findall(r"\{\{.*?\}\}|\w+|\s+|[^\w\s]", text, re.DOTALL)


def align_messages(old: Sequence[Message], new: Sequence[Message]) -> list[tuple[int, int]]:
    """Pairs (i, j) of messages taken for the same one, in order, likest in total."""
    bags_old, bags_new = [_words(m.content) for m in old], [_words(m.content) for m in new]
    gain = np.zeros((len(old), len(new)))
    for i, x in enumerate(old):
        for j, y in enumerate(new):
            total = len(bags_old[i]) + len(bags_new[j])
            likeness = 2 * len(bags_old[i] & bags_new[j]) / total if total else 1.0
            if x.role == y.role:
                gain[i, j] = 0.2 + likeness + 0.1 * (x.step == y.step)
            elif likeness >= 0.5:
                gain[i, j] = likeness
    return _best_in_order(gain)


def align_clauses(
    a: Sequence[Clause], b: Sequence[Clause], messages: Sequence[tuple[int, int]]
) -> tuple[list[tuple[int, int]], list[tuple[int, int]]]:
    """(kept or amended, moved): pairs of positions in a and b.

    Within messages that are the same one, clauses are aligned in order with the
    largest total likeness (Dice's share of common words, by dynamic
    programming). Of those left over, in whatever message, pairs much alike
    count as moved, the likest first.
    """
    pairs: list[tuple[int, int]] = []
    for i, j in messages:
        left = [k for k, c in enumerate(a) if c.message == i]
        right = [k for k, c in enumerate(b) if c.message == j]
        found = _align([a[k] for k in left], [b[k] for k in right])
        pairs += [(left[x], right[y]) for x, y in found]
    return pairs, _moves(a, b, pairs)


def _align(a: Sequence[Clause], b: Sequence[Clause]) -> list[tuple[int, int]]:
    """In-order pairs. Equal ends are taken off first: that never costs any likeness."""
    head = 0
    while head < min(len(a), len(b)) and a[head].text == b[head].text:
        head += 1
    tail = 0
    while (
        tail < min(len(a), len(b)) - head and a[len(a) - 1 - tail].text == b[len(b) - 1 - tail].text
    ):
        tail += 1
    middle_a, middle_b = a[head : len(a) - tail], b[head : len(b) - tail]
    pairs = [(k, k) for k in range(head)]
    pairs += [(head + i, head + j) for i, j in _align_middle(middle_a, middle_b)]
    pairs += [(len(a) - tail + k, len(b) - tail + k) for k in range(tail)]
    return pairs


def _align_middle(a: Sequence[Clause], b: Sequence[Clause]) -> list[tuple[int, int]]:
    if not a or not b:
        return []
    if len(a) * len(b) <= _MOST_PAIRS:
        likeness = similarity([c.text for c in a], [c.text for c in b])
        likeness[_of_other_sort(a, b) & (likeness < _EQUAL)] *= OTHER_SORT
        return _best_in_order(np.where(likeness >= SAME_CLAUSE, likeness, 0.0))
    pairs: list[tuple[int, int]] = []
    at_a = at_b = 0
    texts = [c.text for c in a], [c.text for c in b]
    blocks = difflib.SequenceMatcher(None, *texts, autojunk=False).get_matching_blocks()
    for block in blocks:
        gap_a, gap_b = a[at_a : block.a], b[at_b : block.b]
        if len(gap_a) * len(gap_b) <= _MOST_PAIRS:
            pairs += [(at_a + i, at_b + j) for i, j in _align_middle(gap_a, gap_b)]
        pairs += [(block.a + k, block.b + k) for k in range(block.size)]
        at_a, at_b = block.a + block.size, block.b + block.size
    return pairs


def _of_other_sort(a: Sequence[Clause], b: Sequence[Clause]) -> np.ndarray:
    """Where one of two clauses shows something and the other says something."""
    x, y = (np.array([c.kind in _SHOWN for c in some]) for some in (a, b))
    different: np.ndarray = x[:, None] != y[None, :]
    return different


def similarity(a: Sequence[str], b: Sequence[str]) -> np.ndarray:
    """Dice's share of common words, shape (len(a), len(b)), 0 to 1; equal texts a little above.

    Words that every clause has count for less, and marks for nothing beside words: two rules that both
    begin with *never* are not the same one.
    """
    bags_a, bags_b = [_words(t) for t in a], [_words(t) for t in b]
    index = {w: k for k, w in enumerate(sorted(set().union(*bags_a, *bags_b)))}

    def matrix(bags: list[set[str]]) -> np.ndarray:
        table = np.zeros((len(bags), max(len(index), 1)), dtype=np.float64)
        for row, bag in enumerate(bags):
            table[row, [index[w] for w in bag]] = 1
        return table

    x, y = matrix(bags_a), matrix(bags_b)
    weights = np.array([_weight(w) for w in index] or [1.0])
    # Tenths are exact as whole numbers; their share is not, and 0.7 must be 0.7.
    common = (x * weights) @ y.T
    total = (x @ weights)[:, None] + (y @ weights)[None, :]
    result: np.ndarray = 2 * common / np.maximum(total, 1)
    places: dict[str, list[int]] = {}
    for j, text in enumerate(b):
        places.setdefault(text, []).append(j)
    for i, text in enumerate(a):
        result[i, places.get(text, [])] = _EQUAL
    return result


# Scripts that set no blanks between words are compared sign by sign.
_WORD = re.compile(r"[\u3040-\u30ff\u3400-\u9fff\uf900-\ufaff]|[^\W_]+|[^\w\s]|_")


def _words(text: str) -> set[str]:
    found = set(_WORD.findall(text.lower()))
    # Marks tell nothing where there are words.
    return {w for w in found if w[0].isalnum()} or found


def _weight(word: str) -> float:
    return 3.0 if word in _COMMON else 10.0


# Words that stand in most clauses of a prompt, whatever they say.
_COMMON = frozenset(
    "a an the of to in on at for and or not no never do does is are be it its as with by from that this must "
    "should always if only any all each one will "
    "der die das ein eine einen dem den des und oder nicht kein keine nie niemals in im an auf für mit von zu ist sind "
    "es wenn nur "
    "le la les un une des du de et ou ne pas jamais est sont en à au pour par si que "
    "el los las una y o del nunca es son para con por que se".split()
)


def _best_in_order(gain: np.ndarray) -> list[tuple[int, int]]:
    """Pairs in order with the largest total gain; a gain of 0 is no pair."""
    n, m = gain.shape
    rows: list[list[float]] = gain.tolist()
    best = [[0.0] * (m + 1) for _ in range(n + 1)]
    for i in range(n - 1, -1, -1):
        here, below, gains = best[i], best[i + 1], rows[i]
        right = 0.0
        for j in range(m - 1, -1, -1):
            value = below[j] if below[j] > right else right
            if gains[j] > 0 and gains[j] + below[j + 1] > value:
                value = gains[j] + below[j + 1]
            here[j] = right = value
    pairs = []
    i = j = 0
    while i < n and j < m:
        if best[i][j] == best[i + 1][j]:
            i += 1
        elif best[i][j] == best[i][j + 1]:
            j += 1
        else:
            pairs.append((i, j))
            i, j = i + 1, j + 1
    return pairs


def _moves(
    a: Sequence[Clause], b: Sequence[Clause], pairs: Sequence[tuple[int, int]]
) -> list[tuple[int, int]]:
    left = sorted(set(range(len(a))) - {i for i, _ in pairs})
    right = sorted(set(range(len(b))) - {j for _, j in pairs})
    if not left or not right:
        return []
    if len(left) * len(right) > _MOST_PAIRS:
        return _equal_moves(a, b, left, right)
    likeness = similarity([a[i].text for i in left], [b[j].text for j in right])
    rows, columns = np.nonzero(likeness >= MOVED_CLAUSE)
    candidates = sorted(
        zip(rows.tolist(), columns.tolist(), strict=True),
        key=lambda c: (-likeness[c], c),
    )
    free_left, free_right = set(left), set(right)
    moves = []
    for row, column in candidates:
        i, j = left[row], right[column]
        if i in free_left and j in free_right:
            moves.append((i, j))
            free_left.discard(i)
            free_right.discard(j)
    return moves


def _equal_moves(
    a: Sequence[Clause], b: Sequence[Clause], left: Sequence[int], right: Sequence[int]
) -> list[tuple[int, int]]:
    places: dict[str, list[int]] = {}
    for j in reversed(right):
        places.setdefault(b[j].text, []).append(j)
    moves = []
    for i in left:
        if places.get(a[i].text):
            moves.append((i, places[a[i].text].pop()))
    return moves
