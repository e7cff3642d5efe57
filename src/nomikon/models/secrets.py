"""A key that a server sends back is taken out of everything that is kept or shown."""

from __future__ import annotations

import base64
from dataclasses import replace
from urllib.parse import quote

from nomikon.models.types import Answer

TAKEN_OUT = "[a key was taken out here]"
# Shorter keys are too much like words; parts are looked for of long ones alone.
SHORTEST, LONG, PART = 6, 24, 16


class Blotter:
    """Takes one key out of texts: whole, percent-encoded, in base64 at any offset, and parts of a long one."""

    def __init__(self, key: str) -> None:
        self._parts: set[str] = set()
        if len(key) < SHORTEST:
            return
        forms = {key, quote(key, safe=""), *_in_base64(key)}
        self._parts = {form for form in forms if len(form) >= SHORTEST}
        if len(key) >= LONG:
            self._parts |= {key[i : i + PART] for i in range(len(key) - PART + 1)}

    def __call__(self, text: str) -> str:
        """The text without the key; the very same where it holds none."""
        found = [p for p in self._parts if p in text]
        if not found:
            return text
        gone = bytearray(len(text))
        for part in found:
            at = text.find(part)
            while at >= 0:
                gone[at : at + len(part)] = b"\x01" * len(part)
                at = text.find(part, at + 1)
        kept, inside = [], False
        for sign, out in zip(text, gone, strict=True):
            if not out:
                kept.append(sign)
            elif not inside:
                kept.append(TAKEN_OUT)
            inside = bool(out)
        return "".join(kept)

    def answer(self, answer: Answer) -> Answer:
        """The same answer without the key, wherever it stood."""
        if not self._parts:
            return answer
        return replace(
            answer,
            text=self(answer.text),
            reasoning=self(answer.reasoning),
            refusal=self(answer.refusal),
            finish_reason=None if answer.finish_reason is None else self(answer.finish_reason),
            model_identity=self(answer.model_identity),
            tool_calls=tuple((self(n), self(a)) for n, a in answer.tool_calls),
        )

    def may_begin(self, text: str) -> int:
        """How many signs at the end of a text may be the beginning of a key."""
        longest = max((len(p) for p in self._parts), default=0)
        for length in range(min(longest - 1, len(text)), 0, -1):
            end = text[-length:]
            if any(p.startswith(end) for p in self._parts):
                return length
        return 0


class LiveBlotter:
    """The same for a text that comes in pieces: what may be the beginning of a key waits."""

    def __init__(self, blotter: Blotter) -> None:
        self._blotter = blotter
        self._held = ""

    def feed(self, piece: str) -> str:
        """What can be shown of the text so far."""
        text = self._blotter(self._held + piece)
        held = self._blotter.may_begin(text)
        self._held = text[len(text) - held :]
        return text[: len(text) - held]

    def rest(self) -> str:
        """What was held back, at the end."""
        text, self._held = self._held, ""
        return self._blotter(text)


def _in_base64(key: str) -> set[str]:
    """What stands in base64 of any text that holds the key, whatever stands before and behind it."""
    raw, forms = key.encode(), set()
    for before in range(3):
        text = base64.b64encode(b"\0" * before + raw).decode().rstrip("=")
        # The first and last sign hold bits of the neighbours.
        inner = text[-(-before * 8 // 6) : len(text) - (1 if (before + len(raw)) % 3 else 0)]
        forms |= {inner, inner.replace("+", "-").replace("/", "_")}
    return forms
