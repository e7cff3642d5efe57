"""Playing the writer of test cases and of rubrics: lists made from the job and what is shown."""

from __future__ import annotations

import json
import re
from typing import Any

from nomikon_standin.listing import ListForm, bullets, how_many, list_form, section
from nomikon_standin.models import Persona
from nomikon_standin.sampling import Dice
from nomikon_standin.words import chance, sentences, words

_CASES = re.compile(
    r"\b(?:write|propose|invent|make up|produce|create|give)\b[^.\n]{0,80}"
    r"\b(?:cases?|inputs?|samples?|situations?)\b",
    re.I,
)
_RUBRIC = re.compile(
    r"\b(?:write|propose|draft|make|produce|create|give)\b[^.\n]{0,60}\b(?:criteri\w+|rubrics?)\b",
    re.I,
)
_JOB = r"job|task|brief|purpose"


def asks_for_a_list(messages: list[dict[str, str]]) -> bool:
    """Whether the request is for a JSON list of cases or of criteria."""
    text = _joined(messages)
    return bool((_CASES.search(text) or _RUBRIC.search(text)) and list_form(text))


def invented(messages: list[dict[str, str]], persona: Persona, dice: Dice) -> str:
    """The list, in the form the request describes."""
    text = _joined(messages)
    form = list_form(text)
    assert form is not None
    rows = _criteria(text, form) if _RUBRIC.search(text) else _cases(text, form, persona, dice)
    return json.dumps({form.outer: rows} if form.outer else rows, ensure_ascii=False, indent=1)


def _joined(messages: list[dict[str, str]]) -> str:
    return "\n\n".join(m["content"] for m in messages)


# What a value of a dimension does to a text, by a word in it.
_MOODS = {
    "angry|furious|upset|hostile": ("", " This is not the first time and I have had enough!"),
    "sarcas|ironic": ("Oh wonderful. ", " Truly, my compliments."),
    "polite|friendly|kind": ("Good morning. ", " Thank you very much for your help."),
    "worried|anxious|urgent|hurry": ("Please help quickly: ", " I do not know what to do."),
    "calm|neutral|plain|clean|correct|none|usual|normal": ("", ""),
    "question": ("", " Can you tell me more?"),
}


_VAGUE = (
    "Hello, is anybody there? It is about what I wrote before.",
    "It went wrong again, as you know.",
    "Can someone ring me? Thanks.",
    "See my other message. Same thing, other day.",
    "I am still waiting and nobody tells me anything.",
)


def _cases(text: str, form: ListForm, persona: Persona, dice: Dice) -> list[dict[str, Any]]:
    n = how_many(text, "cases?|inputs?|samples?|situations?", 5)
    shown = _shown(text)
    columns = re.findall(r"[\"“`]([\w .-]+)[\"”`]", _note(form, "inputs?|fields?|given")) or [
        "text"
    ]
    dimensions = [
        (name.strip(), [v.strip() for v in values.split(",")])
        for name, _, values in (
            b.partition(":") for b in bullets(section(text, "dimensions?|vary"))
        )
        if values
    ]
    hard = bullets(section(text, "hard|difficult|tricky"))
    own_words = [w for w in words(section(text, _JOB)) if len(w) > 4] or ["matter"]
    rows = []
    for place in range(n):
        chosen = {
            name: values[(place + i * (place // max(1, len(values)))) % len(values)]
            for i, (name, values) in enumerate(dimensions)
        }
        source = (
            shown[int(chance("source", persona.name, text, place) * len(shown))] if shown else None
        )
        base = _new_words(source, shown, own_words, place, persona)
        if hard and place % 3 == 2:
            base = _bent(base, hard[(place // 3) % len(hard)], place)
        for value in chosen.values():
            base = _bent(base, value, place)
        row: dict[str, Any] = {}
        for key, note in form.keys:
            about = f"{key} {note}".lower()
            if re.search(r"\binputs?\b|\bfields?\b", about) and not row.get(columns[0]):
                row[key] = {c: base if i == 0 else _spare(c, shown) for i, c in enumerate(columns)}
            elif re.search(r"reference|right|expected|answer", about):
                row[key] = source[1] if source else None
            elif re.search(r"dimension|vary|labels?|tags?", about):
                row[key] = chosen
        rows.append(row)
    # A weak model repeats itself.
    if n > 3 and dice.roll("repeats", persona.name, n) < persona.forgets:
        rows[-1] = dict(rows[0])
    return rows


def _note(form: ListForm, about: str) -> str:
    return next((n for k, n in form.keys if re.search(about, k, re.I)), "")


def _shown(text: str) -> list[tuple[dict[str, Any], Any]]:
    """Cases that stand in the request, one JSON object a line."""
    found = []
    for line in text.split("\n"):
        if not line.startswith("{"):
            continue
        try:
            row = json.loads(line)
        except ValueError:
            continue
        inputs = next((v for v in row.values() if isinstance(v, dict)), row)
        answer = next((v for k, v in row.items() if re.search(r"ref|answer|expect", k, re.I)), None)
        found.append((inputs, answer))
    return found


def _new_words(
    source: tuple[dict[str, Any], Any] | None,
    shown: list[tuple[dict[str, Any], Any]],
    own_words: list[str],
    place: int,
    persona: Persona,
) -> str:
    """Sentences of two shown cases put together anew, or words of the job where none is shown."""
    if source is None:
        a, b = own_words[place % len(own_words)], own_words[(place * 7 + 3) % len(own_words)]
        return f"This is about the {a} of {12 + place * 5 % 17}:{place * 13 % 60:02d}, and the {b} too."
    first = sentences(_longest(source[0])) or [_longest(source[0])]
    other = shown[(place * 3 + 1) % len(shown)][0]
    second = sentences(_longest(other)) or [_longest(other)]
    pick = int(chance("sentence", persona.name, place) * len(first))
    text = " ".join([first[pick], second[place % len(second)]])
    # Times and numbers of its own, so that it is a case of its own.
    return re.sub(
        r"\d+", lambda m: str((int(m.group()) + 3 + place) % 60).zfill(len(m.group())), text
    )


def _longest(inputs: dict[str, Any]) -> str:
    return max((str(v) for v in inputs.values()), key=len, default="")


def _spare(column: str, shown: list[tuple[dict[str, Any], Any]]) -> str:
    return next((str(i[column]) for i, _ in shown if column in i), f"some {column}")


def _bent(text: str, value: str, place: int) -> str:
    """A text made to show a value: a mood, a length, mistakes, or a mention of it."""
    kind = value.lower()
    if re.search(r"missp|typo|mistake|sloppy", kind):
        spoilt = [
            w[0] + w[2] + w[1] + w[3:] if len(w) > 4 and i % 3 == place % 3 else w
            for i, w in enumerate(text.split())
        ]
        return " ".join(spoilt).lower()
    if re.search(r"short|terse|brief", kind):
        return " ".join(text.split()[:6])
    if re.search(r"long|rambl|wordy", kind):
        return f"{text} I should say how it began, since that matters here. {text.lower()}"
    if re.search(r"no facts|empty|vague|unclear", kind):
        return _VAGUE[place % len(_VAGUE)]
    for pattern, (front, end) in _MOODS.items():
        if re.search(pattern, kind):
            return f"{front}{text}{end}"
    return f"{text} It has to do with {value}."


_EMPTY_WORDS = {"must", "should", "keep", "never", "only", "most", "with", "that", "this", "they"}


def _criteria(text: str, form: ListForm) -> list[dict[str, Any]]:
    """Criteria from the sentences of the job: what each asks for becomes one."""
    n = how_many(text, "criteri\\w+", 4)
    job = section(text, _JOB) or text
    demands = [
        s.strip()
        for s in sentences(job)
        if re.search(r"\b(?:must|should|never|no|not|at most|only|keep|short|plain)\b", s, re.I)
    ] or [s.strip() for s in sentences(job)]
    rows = []
    for place, demand in enumerate(demands[:n]):
        said = [w for w in words(demand) if len(w) > 3 and w not in _EMPTY_WORDS][:2]
        row: dict[str, Any] = {}
        for key, note in form.keys:
            about = f"{key} {note}".lower()
            if "weight" in about:
                row[key] = 2 if place == 0 else 1
            elif re.search(r"level|scale|grade|descri", about):
                row[key] = [
                    f"the answer goes against it: {demand}",
                    f"it keeps to it in part: {demand}",
                    f"it keeps to all of it: {demand}",
                ]
            elif re.search(r"question|asks?\b", about):
                row[key] = f"Does the answer keep to this: {demand}"
            else:
                row[key] = " ".join(said) or f"point {place + 1}"
        rows.append(row)
    names = [next(iter(r.values())) for r in rows]
    return [r for i, r in enumerate(rows) if names.index(names[i]) == i]
