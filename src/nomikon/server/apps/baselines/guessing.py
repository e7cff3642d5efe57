"""What the columns of a file of answers are, by their names; a guess that a person can change."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from nomikon.server.apps.baselines.actions.import_answers import ANSWER, ID, INPUT, LEAVE_OUT
from nomikon.server.apps.datasets.matching import BY_ID

_NAMES = {
    ANSWER: "answer|output|response|reply|completion|generation|prediction|result"
    "|antwort|ausgabe|réponse|reponse|sortie|respuesta|salida|risposta|resposta",
    ID: "id|case|case id|case number|case no|nr",
    "tokens-in": "tokens in|input tokens|prompt tokens|tokens input|tokens prompt",
    "tokens-out": "tokens out|output tokens|completion tokens|tokens output|tokens completion",
    "cost": "cost|price|kosten|preis|coût|coste|costo",
    "milliseconds": "ms|milliseconds|latency ms|latency|time ms|duration ms|elapsed ms",
    "seconds": "s|seconds|latency s|time s|duration s|sekunden|secondes|segundos",
}
_USES = {name: use for use, names in _NAMES.items() for name in names.split("|")}


def guess_use(column: str, inputs: Sequence[str]) -> str:
    """One of the roles of a column. An input of the cases goes before any word."""
    if column in inputs:
        return INPUT
    plain = " ".join(re.sub(r"[\W_]+", " ", column).casefold().split())
    return _USES.get(plain, LEAVE_OUT)


def guess_key(mapping: Mapping[str, Mapping[str, str]], inputs: Sequence[str]) -> tuple[str, ...]:
    """By the id where the file has one, else by every input that it has."""
    if any(told.get("as") == ID for told in mapping.values()):
        return (BY_ID,)
    given = {told.get("name") or c for c, told in mapping.items() if told.get("as") == INPUT}
    return tuple(name for name in inputs if name in given)
