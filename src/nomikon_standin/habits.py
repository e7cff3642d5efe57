"""Manners of real models put on an answer, as faults on request: for seeing that readers bear them."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from typing import Any

REASONING = "First I look at what is asked [and at {what} is given]. Then I write it down."


def _preamble(text: str) -> str:
    return f"Sure! Here is what you asked for:\n\n{text}"


def _closing(text: str) -> str:
    return f"{text}\n\nLet me know if you would like anything changed."


def _fence(text: str) -> str:
    return text if "```" in text else f"```json\n{text}\n```"


def _reasoning(text: str) -> str:
    return f"<think>\n{REASONING}\n</think>\n\n{text}"


def _reasoning_unopened(text: str) -> str:
    return f"{REASONING}\n</think>\n{text}"


def _comma(text: str) -> str:
    """A comma after the last entry of every structure."""
    begin, end = text.find("{"), text.rfind("}")
    try:
        value = json.loads(text[begin : end + 1])
    except ValueError:
        return text
    # Laid out in lines, so that only what closes a structure follows a line break.
    laid_out = json.dumps(value, ensure_ascii=False, indent=1)
    return text[:begin] + re.sub(r"([^\s,{\[])(\n\s*[\]}])", r"\1,\2", laid_out) + text[end + 1 :]


def _capitals(text: str) -> str:
    """Every key in capitals."""
    return _on_json(text, _keys_in_capitals)


def _keys_in_capitals(value: Any) -> Any:
    if isinstance(value, dict):
        return {str(k).upper(): _keys_in_capitals(v) for k, v in value.items()}
    if isinstance(value, list):
        return [_keys_in_capitals(v) for v in value]
    return value


def _bare_list(text: str) -> str:
    """The list without the object around it."""

    def bare(value: Any) -> Any:
        lists = (
            [v for v in value.values() if isinstance(v, list)] if isinstance(value, dict) else []
        )
        return lists[0] if len(lists) == 1 else value

    return _on_json(text, bare)


def _on_json(text: str, change: Callable[[Any], Any]) -> str:
    begin, end = text.find("{"), text.rfind("}")
    try:
        value = json.loads(text[begin : end + 1])
    except ValueError:
        return text
    return text[:begin] + json.dumps(change(value), ensure_ascii=False, indent=2) + text[end + 1 :]


def _hedge(text: str) -> str:
    """Begins as a refusal would and answers all the same, a little."""
    return f"I'm sorry, but I can't help with all of that. {text}"


def _chatty(text: str) -> str:
    return _closing(_preamble(_fence(text)))


HABITS: dict[str, Callable[[str], str]] = {
    "preamble": _preamble,
    "closing": _closing,
    "fence": _fence,
    "chatty": _chatty,
    "reasoning": _reasoning,
    "reasoning-unopened": _reasoning_unopened,
    "trailing-comma": _comma,
    "capital-keys": _capitals,
    "bare-list": _bare_list,
    "hedge": _hedge,
    "all-at-once": lambda text: _reasoning(_chatty(_comma(text))),
}
