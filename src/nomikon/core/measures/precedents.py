"""Precedents: small checks on one case, proposed from what a person said of an answer.

A precedent either holds for an answer or it does not. Three kinds are told
here; the fourth is one yes/no question for a judge, asked through the rubric
measure with two levels.
"""

from __future__ import annotations

import difflib
import json
import re
from collections.abc import Sequence
from dataclasses import dataclass

from nomikon.core.errors import MeasureError
from nomikon.core.measures.asking import JudgeRequest
from nomikon.core.measures.base import Answer, JudgeReply
from nomikon.core.measures.judging import JudgementError
from nomikon.core.measures.rubric import Criterion, Rubric, read_judgement

MUST_SAY, MUST_NOT_SAY, EQUALS, QUESTION = "must-say", "must-not-say", "equals", "question"
KINDS = (MUST_SAY, MUST_NOT_SAY, EQUALS, QUESTION)
LONGEST = 4_000
CRITERION = "precedent"
# A longer answer is hardly ever given word for word again.
LONGEST_EQUAL = 400
_QUOTED = re.compile(
    r"[“\"«„]\s?([^”\"»“„\n]{2,120}?)\s?[”\"»“]|(?<!\w)['‘‚]([^'’‘\n]{2,120})['’‘](?!\w)"
)
# What a comment says of the words it quotes is told by the part of the sentence they stand in.
_PART = re.compile(
    r"[.;!?,\n()]+(?=\s|$)|\s[–—-]\s|\b(?:but|and|though|while|aber|und|sondern|mais|et|pero|y|sino)\b",
    re.I,
)
# English, German, French, Spanish. A comment in other words proposes nothing of this kind.
_UNWANTED = re.compile(
    r"\b(?:not|never|no|nor|cannot|\w+n['’]t|without|avoid|instead of|rather than|drop|remove|delete|"
    r"strike|cut|leave out|wrong(?:ly)?|false|incorrect|invent(?:s|ed)?|made up|hallucinat\w*|"
    r"unasked|superfluous|forbidden|too much|should go|must go|"
    r"nicht|nie|niemals|kein\w*|ohne|statt|anstatt|weg|streich\w*|falsch\w*|erfunden\w*|vermeide\w*|"
    r"überflüssig\w*|"
    r"ne|n['’]\w+|pas|jamais|sans|au lieu|éviter?|évite[rz]?|enlever?|enlève|supprime[rz]?|faux|fausse|"
    r"inventé\w*|"
    r"nunca|jamás|sin|en vez|en lugar|evita\w*|quita\w*|elimina\w*|falso|falsa|inventad\w*|sobra\w*)\b",
    re.I,
)
_WANTED = re.compile(
    r"\b(?:right|correct|good|fine|true|keep|stays?|ok|okay|exactly|perfect|richtig\w*|stimmt|gut|"
    r"korrekt\w*|passt|behalten|bleibt|juste|bon(?:ne)?|exact\w*|correcte?|garde[rz]?|bien|correct[oa]|"
    r"acertad[oa]|vale|mantén|mantener)\b",
    re.I,
)
# “not right”, “pas correct”: a no before a word of praise is no praise.
_NO_PRAISE = re.compile(
    r"\b(?:not|no|never|\w+n['’]t|nicht|kein\w*|pas|nunca)\s+(?:\w+\s+){0,2}?" + _WANTED.pattern,
    re.I,
)


@dataclass(frozen=True)
class Proposed:
    """A check that may be made of what was said. why: what it was taken from."""

    kind: str
    text: str
    why: str


def check_precedent(kind: str, text: str) -> str:
    """The text as it is kept. Raises MeasureError for a check that is none."""
    if kind not in KINDS:
        raise MeasureError(f"{kind!r} is no kind; allowed are {', '.join(KINDS)}", field="kind")
    kept = text.strip()
    if not kept:
        raise MeasureError("say what the answer is held to", field="text")
    if len(kept) > LONGEST:
        raise MeasureError(
            f"it has {len(kept):,} characters; at most {LONGEST:,} are taken", field="text"
        )
    return kept


def holds(kind: str, text: str, answer: str) -> tuple[bool, str]:
    """Whether a precedent that needs no judge holds for an answer, and why in words.

    Letter case and blanks do not count; two JSON values are equal where they
    hold the same, whatever the order of their keys. Raises MeasureError for a
    question, which only a judge can answer.
    """
    if kind == MUST_SAY:
        found = _plain(text) in _plain(answer)
        return found, f"it says “{text}”" if found else f"it does not say “{text}”"
    if kind == MUST_NOT_SAY:
        found = _plain(text) in _plain(answer)
        return not found, f"it says “{text}”" if found else f"it does not say “{text}”"
    if kind == EQUALS:
        same = _plain(text) == _plain(answer) or _same_json(text, answer)
        return (
            same,
            "it is the answer wanted" if same else "it is another answer than the one wanted",
        )
    raise MeasureError(f"a precedent of the kind {kind!r} is told by a judge", field="kind")


def _plain(text: str) -> str:
    return " ".join(text.casefold().split())


def _same_json(a: str, b: str) -> bool:
    try:
        first, second = json.loads(a), json.loads(b)
    except (ValueError, RecursionError):
        return False
    return isinstance(first, (dict, list)) and bool(first == second)


def propose_precedents(
    *, answer: str, comment: str, spans: Sequence[tuple[str, str]], better: str | None
) -> list[Proposed]:
    """Checks that would catch again what a mark said, the most certain first.

    spans: (words of the answer, what was said of them). Each is meant to be read
    and changed; nothing here is certain.
    """
    found: list[Proposed] = []
    if better:
        wanted = better.strip()
        if wanted and len(wanted) <= LONGEST_EQUAL:
            found.append(Proposed(EQUALS, wanted, "the better answer"))
        found += [
            Proposed(MUST_SAY, part, "the better answer says it, this one does not")
            for part in _only_in(wanted, answer)
        ]
        found += [
            Proposed(MUST_NOT_SAY, part, "this answer says it, the better one does not")
            for part in _only_in(answer, wanted)
        ]
    found += [
        Proposed(MUST_NOT_SAY, quote.strip(), f"said of these words: {said}")
        for quote, said in spans
        if quote.strip()
    ]
    for said in (comment, *(s for _, s in spans)):
        found += _from_words(said, answer)
    texts = [t for t in (comment, *(s for _, s in spans)) if t.strip()]
    if texts:
        first = " ".join(texts[0].split()).rstrip(".!?")
        ask = f"A reader said of an earlier answer: “{first}”. Does this answer put that right?"
        found.append(Proposed(QUESTION, ask, "what was said, as a question for a judge"))
    seen: set[tuple[str, str]] = set()
    kept = []
    for p in found:
        if p.kind == MUST_NOT_SAY and better and _plain(p.text) in _plain(better):
            # What the better answer says cannot be what an answer must not say.
            continue
        if p.text and (p.kind, _plain(p.text)) not in seen:
            seen.add((p.kind, _plain(p.text)))
            kept.append(p)
    return kept[:12]


def _from_words(said: str, answer: str) -> list[Proposed]:
    """Words a comment quotes: wanted or unwanted by how it speaks of them.

    Words that the answer has and that the comment neither praises nor rejects propose
    nothing: they may be quoted for any reason.
    """
    found = []
    for m in _QUOTED.finditer(said):
        words = (m.group(1) or m.group(2)).strip()
        around = _part_around(said, m.start(), m.end())
        praised = bool(_WANTED.search(around)) and not _NO_PRAISE.search(around)
        if not praised and _UNWANTED.search(around):
            found.append(Proposed(MUST_NOT_SAY, words, "the comment rejects it"))
        elif _plain(words) not in _plain(answer):
            found.append(Proposed(MUST_SAY, words, "the comment quotes it"))
    return found


def _part_around(said: str, start: int, end: int) -> str:
    """The part of the sentence that words stand in, without the words."""
    before = max((b.end() for b in _PART.finditer(said, 0, start)), default=0)
    after = next((b.start() for b in _PART.finditer(said, end)), len(said))
    return f"{said[before:start]} {said[end:after]}"


def _only_in(text: str, other: str) -> list[str]:
    """Stretches of words that one text has and the other has not, the longest first."""
    a, b = other.split(), text.split()
    matcher = difflib.SequenceMatcher(
        None, [w.casefold() for w in a], [w.casefold() for w in b], autojunk=False
    )
    parts = []
    for op, _, _, start, end in matcher.get_opcodes():
        if op in ("insert", "replace") and 0 < end - start <= 12:
            part = " ".join(b[start:end]).strip(" ,;:.{}[]\"'“”‘’«»„‚")
            if part and _plain(part) not in _plain(other):
                parts.append(part)
    return sorted(parts, key=len, reverse=True)[:3]


_LEVELS = ["no, or it cannot be told", "yes"]


def _judge(model: str, text: str) -> Rubric:
    return Rubric(model=model, criteria=[{"name": CRITERION, "asks": text, "levels": _LEVELS}])


def question_criteria(text: str) -> tuple[Criterion, ...]:
    """What a judge is asked of a precedent, as the one criterion of a rubric."""
    return (Criterion(CRITERION, text, tuple(_LEVELS)),)


def question_request(model: str, text: str, answer: Answer) -> JudgeRequest:
    """What a judge is asked about one answer; nothing here calls a model."""
    return _judge(model, text).requests(answer)[0]


def read_ruling(model: str, text: str, reply: JudgeReply) -> tuple[bool | None, str]:
    """Whether the judge says the question holds, None where its reply cannot be read, and why."""
    try:
        (judged,) = read_judgement(_judge(model, text).criteria, reply)
    except JudgementError as error:
        return None, f"the judge's reply cannot be read: {error}"
    return judged.level == 2, judged.reason
