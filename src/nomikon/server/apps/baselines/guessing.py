"""What the columns of a file of answers are, by their names; a guess that a person can change."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from nomikon.server.apps.baselines.actions.import_answers import ANSWER, ID, INPUT, LEAVE_OUT
from nomikon.server.apps.datasets.matching import BY_ID

_NAMES = {
    ANSWER: "answer|output|response|reply|completion|generation|prediction|predicted|result"
    "|antwort|ausgabe|ergebnis|réponse|reponse|sortie|respuesta|salida|risposta|resposta",
    ID: "id|case|case id|case number|case no|case nr|no|nr|number|fall|fallnummer",
    "tokens-in": "tokens in|input tokens|prompt tokens|tokens input|tokens prompt",
    "tokens-out": "tokens out|output tokens|completion tokens|tokens output|tokens completion",
    "cost": "cost|costs|price|kosten|preis|coût|coûts|prix|coste|costo|precio",
    "milliseconds": "ms|milliseconds|latency|millisekunden|millisecondes|milisegundos",
    "seconds": "s|sec|secs|seconds|sekunden|secondes|segundos",
}
_USES = {name: use for use, names in _NAMES.items() for name in names.split("|")}
_ANSWERS = set(_NAMES[ANSWER].split("|"))
# A unit among other words of a heading: latency ms, time in seconds.
_UNITS = {
    word: use
    for use in ("milliseconds", "seconds", "cost")
    for word in _NAMES[use].split("|")
    if word != "latency"
}
# What is wanted is no answer, whatever else the heading says.
_WANTED = set("expected reference gold golden target wanted correct ideal right label"
              " erwartet erwartete soll attendue attendu esperada esperado".split())  # fmt: skip


def guess_uses(columns: Sequence[str], inputs: Sequence[str]) -> dict[str, str]:
    """The role of each column. An input of the cases goes before any word.

    Where no heading is an answer's own, one that speaks of answers among other words is taken,
    or the only one that nothing is known of.
    """
    uses = {c: INPUT if c in inputs else _use(_words(c)) for c in columns}
    if ANSWER not in uses.values():
        rest = [c for c, use in uses.items() if use == LEAVE_OUT and not _is_wanted(_words(c))]
        told = [c for c in rest if _ANSWERS & {*_words(c)}]
        found = told if told else rest
        if len(found) == 1:
            uses[found[0]] = ANSWER
    # Of two that may be the same, neither is known.
    for use in (ANSWER, ID, "cost", "milliseconds", "seconds", "tokens-in", "tokens-out"):
        twice = [c for c, u in uses.items() if u == use]
        if len(twice) > 1:
            uses |= dict.fromkeys(twice, LEAVE_OUT)
    return uses


def _is_wanted(words: Sequence[str]) -> bool:
    return bool(_WANTED & {*words}) and "predicted" not in words


def _words(column: str) -> list[str]:
    parted = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", column)
    return re.sub(r"[\W_]+", " ", parted).casefold().split()


def _use(words: Sequence[str]) -> str:
    known = _USES.get(" ".join(words))
    if known is None and "token" not in " ".join(words):
        units = {_UNITS[w] for w in words if w in _UNITS}
        known = units.pop() if len(units) == 1 else None
    return known or LEAVE_OUT


def guess_key(mapping: Mapping[str, Mapping[str, str]], inputs: Sequence[str]) -> tuple[str, ...]:
    """By the id where the file has one, else by every input that it has."""
    if any(told.get("as") == ID for told in mapping.values()):
        return (BY_ID,)
    given = {told.get("name") or c for c, told in mapping.items() if told.get("as") == INPUT}
    return tuple(name for name in inputs if name in given)
