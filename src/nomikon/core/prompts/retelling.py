"""Asking a model once more for a reply that could not be used."""

from __future__ import annotations

from collections.abc import Sequence

from nomikon.core.prompts.messages import Message

# A longer reply is sent back cut: what is wrong with it is told in words.
MOST_SENT_BACK = 20_000


def retold(
    request: Sequence[Message], reply: str, problem: str, form: str = ""
) -> tuple[Message, ...]:
    """The request once more, with the reply that could not be used and what is wrong with it.

    form: what the reply must look like, told again where the program knows it apart.

    >>> again = retold([Message("user", "Count.")], "many", "“many” is no number")
    >>> again[-1].content
    'Your reply could not be used: “many” is no number. Send the whole of it again, put right.'
    """
    ask = (
        f"Your reply could not be used: {problem}. Send the whole of it again, put right. {form}"
    ).strip()
    shown = reply[:MOST_SENT_BACK] or "(nothing)"
    return (*request, Message("assistant", shown), Message("user", ask))
