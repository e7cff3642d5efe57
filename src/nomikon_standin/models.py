"""The four made-up models and what each is good and bad at."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Persona:
    """How one simulated model behaves.

    forgets: share of instructions dropped when there are many (0 to 1).
    forgets_later: further share for instructions late in a long prompt.
    knowledge: share of the general word associations it has.
    blur: how much its judgement is off, in units of one matching word.
    chatter: how readily it adds words nobody asked for (0 to 1).
    caution: how readily it declines sensitive matters (0 to 1).
    miscounts: share of limits it overshoots though it tries.
    context: prompt and answer together, in tokens.
    first_ms, piece_ms: time to the first piece, and between pieces.
    later_wins: whether the later of two conflicting instructions wins; else
        the stronger worded one does.
    """

    name: str
    forgets: float
    forgets_later: float
    knowledge: float
    blur: float
    chatter: float
    caution: float
    miscounts: float
    context: int
    first_ms: float
    piece_ms: float
    later_wins: bool


PERSONAS: dict[str, Persona] = {
    p.name: p
    for p in (
        Persona("standin-pebble", 0.10, 0.35, 0.45, 1.15, 0.35, 0.02, 0.35, 2_048, 40, 1.0, False),
        Persona("standin-cobble", 0.07, 0.06, 0.75, 0.70, 0.90, 0.03, 0.15, 8_192, 90, 2.0, True),
        Persona("standin-flint", 0.06, 0.04, 0.70, 0.75, 0.05, 0.85, 0.10, 8_192, 30, 0.8, True),
        Persona(
            "standin-boulder", 0.015, 0.01, 0.95, 0.30, 0.25, 0.10, 0.03, 32_768, 260, 4.0, False
        ),
    )
}
