"""Going on with an answer that was cut off, when a request asks for the rest of it."""

from __future__ import annotations

import re

# A reader recognises the wish by what it says: something is unfinished, and more is wanted.
_UNFINISHED = re.compile(
    r"\b(cut (?:off|short)|br(?:oke|oken) off|stopped (?:early|short|in the middle)|incomplete|"
    r"unfinished|truncated|not (?:complete|finished))\b",
    re.IGNORECASE,
)
_MORE = re.compile(
    r"\b(continue|go on|carry on|keep (?:going|writing)|pick up|resume|complete it|finish it|"
    r"(?:write|give me|send) the (?:rest|remainder)|what comes next)\b",
    re.IGNORECASE,
)
_FROM_WORDS = re.compile(
    r"\b(?:begin|start|beginning|starting|pick up|resume|take up)\b[^“\"]{0,80}[“\"]([^”\"]+)[”\"]",
    re.IGNORECASE,
)


def asks_for_the_rest(messages: list[dict[str, str]]) -> bool:
    """Whether the last message wants an answer before it to be continued."""
    if len(messages) < 3 or messages[-1]["role"] != "user" or messages[-2]["role"] != "assistant":
        return False
    wish = messages[-1]["content"]
    return (
        len(wish) < 600
        and bool(_MORE.search(wish))
        and bool(_UNFINISHED.search(wish) or len(wish) < 80)
    )


def the_rest(whole: str, so_far: str, wish: str) -> str:
    """What is left of a whole answer after its first part; from its last words where asked.

    Where the first part is not how this answer begins, the whole is given anew.
    """
    if not whole.startswith(so_far):
        return whole
    rest = whole[len(so_far) :]
    if words := _FROM_WORDS.search(wish):
        quoted = " ".join(words.group(1).split())
        flat = " ".join(so_far.split())
        if quoted and flat.endswith(quoted):
            # As many characters from the end as the quoted words take up there.
            place = len(so_far)
            while place and not _same(so_far[place:], quoted):
                place -= 1
            return so_far[place:].lstrip() + rest
    return rest.lstrip()


def _same(text: str, words: str) -> bool:
    return " ".join(text.split()) == words
