"""Continuing an answer that was cut off, and joining the pieces without repeated words."""

from __future__ import annotations

import re
from collections.abc import Sequence

from nomikon.core.prompts.messages import Message
from nomikon.core.trials.breaking_off import ENGLISH_DANGLING

MAX_CONTINUATIONS = 5
# The last words that are quoted for the model to take up again.
ANCHOR_WORDS = 4
# A model that starts over repeats at most this much; looking further costs more than it finds.
LONGEST_OVERLAP = 2000
# One shared letter or short word is chance; this many characters are not.
SHORTEST_OVERLAP = 4
_WORD_END = re.compile(r"\w+$")
_WORD_START = re.compile(r"^\w+")


def continuation(messages: Sequence[Message], so_far: str) -> tuple[Message, ...]:
    """The messages that ask for the rest of an answer that was cut off."""
    anchor = " ".join(so_far.split()[-ANCHOR_WORDS:])
    ask = (
        "Your answer was cut off. Write the rest of it and nothing else. Begin with the last "
        f"words you wrote, “{anchor}”, and go on from there to the end."
    )
    return (*messages, Message("assistant", so_far), Message("user", ask))


def stitch(first: str, more: str) -> str:
    """Two pieces of one answer as one text.

    Where the second piece begins with the end of the first (or starts the whole
    answer over), what is repeated is left out. Otherwise the pieces are set side
    by side, with a blank between two words.

    >>> stitch('The ferry is la', 'late today.')
    'The ferry is late today.'
    """
    if more.startswith(first):
        return more
    shared = _overlap(first, more)
    if shared:
        return first + more[shared:]
    tail, head = _WORD_END.search(first), _WORD_START.search(more)
    if tail and head:
        begun, word = tail.group(), head.group()
        if len(word) > len(begun) and word.startswith(begun) and not _is_word(begun, first):
            # The word that was cut in two, written out again.
            return first[: tail.start()] + more
        return f"{first} {more}"
    if first[-1:] in ".,;:!?" and head:
        return f"{first} {more}"
    return first + more


def _is_word(begun: str, text: str) -> bool:
    """Whether what may be the beginning of a word is known to be a whole one."""
    return (
        begun.casefold() in ENGLISH_DANGLING
        or len(re.findall(rf"\b{re.escape(begun)}\b", text)) > 1
    )


def _overlap(first: str, more: str) -> int:
    """Length of the longest beginning of `more` that the end of `first` holds already.

    Blanks are compared as one, so that another line break is no difference.
    """
    end, start = first[-LONGEST_OVERLAP:], more[: 2 * LONGEST_OVERLAP].lstrip()
    skipped = len(more) - len(more.lstrip())
    flat_end = " ".join(end.split())
    best = 0
    flat: list[str] = []
    for place, char in enumerate(start):
        if char.isspace():
            if flat and flat[-1] != " ":
                flat.append(" ")
            continue
        flat.append(char)
        if len(flat) > LONGEST_OVERLAP:
            break
        # Only at the end of a word: "the" must not count as shared with "then".
        following = start[place + 1 : place + 2]
        if len(flat) >= SHORTEST_OVERLAP and not (char.isalnum() and following.isalnum()):
            begun = "".join(flat)
            if flat_end.endswith(begun) and _whole_word(flat_end, begun):
                best = place + 1
    if not best:
        return _cut_word(flat_end, start, skipped)
    return best + skipped


def _whole_word(text: str, ending: str) -> bool:
    """Whether the ending does not begin in the middle of a word of the text."""
    before = text[: -len(ending)][-1:]
    return not (before.isalnum() and ending[0].isalnum())


def _cut_word(flat_end: str, start: str, skipped: int) -> int:
    """The overlap where the last word was cut in two and is written out whole again."""
    words = flat_end.split(" ")
    if len(words) < 2 or not words[-1]:
        return 0
    for count in range(min(len(words), 40), 1, -1):
        begun = " ".join(words[-count:])
        if start.startswith(begun):
            return skipped + len(begun)
    return 0
