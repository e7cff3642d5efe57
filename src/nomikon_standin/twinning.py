"""Playing the writer of twins: the cases shown put differently, by rule."""

from __future__ import annotations

import json
import re

from nomikon_standin.models import Persona
from nomikon_standin.sampling import Dice
from nomikon_standin.words import sentences

_ASKS = re.compile(r"\b(?:write|make|produce|give)\b[^.\n]{0,40}\btwins?\b", re.I)
_CASE = re.compile(r"^Case (\d+):\n(.*?)(?=\n\nCase \d+:|\Z)", re.S | re.M)
_WANTED = re.compile(r"\nWanted: (.*)\Z", re.S)
_KIND = re.compile(r"^- (reworded|there-and-back|harder|border)\b", re.M)
# Words that stand for each other; what a paraphrase does without knowing the matter.
_OTHER = {
    "want": "would like", "need": "require", "please": "kindly", "can": "could", "broken": "not working",
    "late": "behind time", "again": "once more", "nobody": "no one", "think": "believe", "left": "went off",
    "get": "receive", "help": "assistance", "wrong": "not right", "still": "as yet", "big": "large",
}  # fmt: skip
_SMALL = re.compile(r"\b(?:very|really|just|so|quite|already|still|also)\s+", re.I)
_ASIDES = (
    "(my sister says it is of no use to write, but here I am)",
    "(sorry, I am typing this on a very small screen)",
    "(or so I was told by the man next to me)",
)
_TURNS = (
    "But no, forget that: it has settled itself, I only wanted to say thank you.",
    "That is not why I write, though: I would like to change my booking.",
)


def asks_for_twins(messages: list[dict[str, str]]) -> bool:
    """Whether the request shows cases and wants twins of them."""
    text = "\n\n".join(m["content"] for m in messages)
    return bool(_ASKS.search(text) and _CASE.search(messages[-1]["content"]))


def twinned(messages: list[dict[str, str]], persona: Persona, dice: Dice) -> str:
    """A twin of each kind asked for of each case shown, in the form that is asked for."""
    shown = messages[-1]["content"]
    kinds = list(dict.fromkeys(_KIND.findall(shown)))
    rows = []
    for case in _CASE.finditer(shown.split("Cases:", 1)[-1].strip()):
        number, text = int(case[1]), _WANTED.sub("", case[2]).strip()
        for kind in kinds:
            made = _put(text, kind, f"{number}", persona, dice)
            rows.append({"case": number, "kind": kind, "text": made, "answer": None})
    return json.dumps({"twins": rows}, ensure_ascii=False, indent=1)


def _put(text: str, kind: str, salt: str, persona: Persona, dice: Dice) -> str:
    if kind == "reworded":
        made = re.sub(r"\b\w+\b", lambda m: _OTHER.get(m[0], m[0]), text)
        # A weak model only says it again with a word before it.
        return made if made != text else f"To put it otherwise: {text}"
    if kind == "there-and-back":
        made = _SMALL.sub("", text)
        return made if made != text else f"{text} That is the matter."
    if kind == "harder":
        parts = sentences(text)
        aside = _ASIDES[int(dice.roll("aside", salt) * len(_ASIDES)) % len(_ASIDES)]
        return " ".join([parts[0], aside, *parts[1:]]) if parts else f"{text} {aside}"
    turn = _TURNS[int(dice.roll("turn", salt) * len(_TURNS)) % len(_TURNS)]
    return f"{text} {turn}"
