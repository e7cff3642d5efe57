"""From a request to an answer: read, forget a little, decide, write."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from typing import Any

from nomikon_standin import forms, prose
from nomikon_standin.amending import amended, asks_for_amendments
from nomikon_standin.assessing import asks_about_parts, asks_for_judgement, judged, ruled
from nomikon_standin.drafting import (
    asks_for_a_prompt,
    asks_for_clauses,
    drafted,
    drafted_clauses,
)
from nomikon_standin.extract import table_rows, value_for
from nomikon_standin.forms import Key
from nomikon_standin.interviewing import asks_for_questions, interviewed
from nomikon_standin.inventing import asks_for_a_list, invented
from nomikon_standin.judging import choose_label, is_true, label_evidence
from nomikon_standin.labels import LabelSet, read_labels
from nomikon_standin.models import Persona
from nomikon_standin.obeying import follows
from nomikon_standin.perusing import asks_to_read, perused
from nomikon_standin.sampling import Dice
from nomikon_standin.subject import Split, split_request
from nomikon_standin.talking import asks_for_a_user, spoken
from nomikon_standin.trimming import asks_for_shorter, shortened
from nomikon_standin.twinning import asks_for_twins, twinned
from nomikon_standin.words import GROUPS, associated, chance, sentences, stems, words

_SENSITIVE = re.compile(
    r"\b(?:injur\w+|bleed\w*|blood|hurt|wound\w*|suicid\w*|kill\w*|weapon\w*|drug\w*|overdose|"
    r"lawyer\w*|sue|suing|lawsuit|police|assault\w*|abuse\w*|medical|ambulance|fracture\w*)\b",
    re.I,
)
_DO_NOT_DECLINE = re.compile(
    r"\b(?:never|do not|don['’]t)\s+(?:refuse|decline)|\balways (?:answer|reply|respond|sort|"
    r"classify)|\bevery (?:message|text|case|input) (?:must|gets)",
    re.I,
)
_STRONG = re.compile(r"\b(?:must|never|always|strictly|under no|important|only|exactly)\b", re.I)


_NEGATED = re.compile(r"\b(?:never|not|no|without|avoid|don['’]t)\b", re.I)


@dataclass(frozen=True)
class Sampling:
    """The sampling parameters of one request."""

    temperature: float = 0.7
    top_p: float = 1.0
    top_k: int | None = None
    seed: int = 0


def answer(messages: list[dict[str, str]], persona: Persona, sampling: Sampling) -> str:
    """The whole text of one answer, before the output limit and stop sequences."""
    if asks_to_read(messages):
        return perused(messages, persona)
    if asks_for_questions(messages):
        return interviewed(messages, persona)
    if asks_for_shorter(messages):
        return shortened(messages, persona)
    if asks_for_clauses(messages):
        return drafted_clauses(messages, persona)
    if asks_for_a_prompt(messages):
        return drafted(messages, persona)
    if asks_for_a_user(messages):
        return spoken(messages, persona)
    if asks_for_amendments(messages):
        return amended(messages, persona)
    if asks_for_twins(messages):
        return twinned(messages, persona, _dice(sampling, f"{persona.name}:{messages}"))
    if asks_for_a_list(messages):
        return invented(messages, persona, _dice(sampling, f"{persona.name}:{messages}"))
    if asks_about_parts(messages):
        asked = messages[-1]["content"]
        return ruled(messages, persona, _dice(sampling, f"{persona.name}:{asked}"))
    if asks_for_judgement(messages):
        asked = "\n".join(m["content"] for m in messages)
        return judged(messages, persona, _dice(sampling, f"{persona.name}:{asked}"))
    split = split_request(messages)
    dice = _dice(sampling, f"{persona.name}:{split.subject}")
    if ordered := follows(split, messages, persona, dice):
        return ordered
    if declines(split, persona, dice):
        return "I'm sorry, but I can't help with that."
    rules = remembered(split.rules, split.subject, persona, dice)
    example_json = [(given, _json_object(text)) for given, text in split.examples]
    keys = forms.read_keys(rules) or _keys_of_examples([v for _, v in example_json if v])
    sets = forms.attach(keys, read_labels(forms.without_templates(rules), [k.name for k in keys]))
    layout = _layout(rules, persona)
    if keys and (layout in ("json", "") or len(keys) > 1):
        return _json_answer(split, rules, keys, sets, example_json, persona, dice)
    if scale := _SCALE.search(rules):
        return _rating(split, rules, scale, persona, dice)
    whole = next((s for s in sets if s.key is None), None) or _labels_of_examples(split)
    if whole and {n.lower() for n in whole.labels} == {"yes", "no"}:
        return _yes_or_no(split, rules, whole, persona, dice)
    bare = whole is not None and len(whole.labels) >= 3 and forms.nothing_else(rules)
    if whole and layout != "json" and (bare or not _wants_prose(rules)):
        return _label_answer(split, rules, whole, persona, dice)
    if layout == "json":
        return _loose_json(split, whole, persona, dice)
    if re.search(
        r"\b(?:sort|classif\w+|categor\w+|triage|label|route|what kind)\b", rules, re.I
    ) and not _wants_prose(rules):
        return _free_label(split, rules, persona)
    return _written(split, rules, layout, persona, dice)


def _dice(sampling: Sampling, salt: str) -> Dice:
    return Dice(
        temperature=sampling.temperature,
        top_p=sampling.top_p,
        top_k=sampling.top_k,
        seed=sampling.seed,
        salt=salt,
    )


_SCALE = re.compile(
    r"\b(?:rate|rating|score|grade)\b.*?\b(?:from|scale of|between)\s+(\d{1,2})\s*"
    r"(?:to|-|–|and)\s*(\d{1,3})\b",
    re.I | re.S,
)


def _rating(split: Split, rules: str, scale: re.Match[str], persona: Persona, dice: Dice) -> str:
    """A number on a scale: the higher the more of what is rated stands in the text."""
    low, high = sorted((int(scale.group(1)), int(scale.group(2))))
    near = set(stems(scale.group(0)))
    for word in list(near):
        near |= associated(word, persona.name, persona.knowledge)
    found = len(near & set(stems(split.subject))) + split.subject.count("!")
    steps = list(range(low, high + 1))
    share = min(1.0, found / 3)
    points = [
        -4 * abs((n - low) / max(1, high - low) - share)
        + persona.blur * (chance("rate", persona.name, split.subject, n) - 0.5)
        for n in steps
    ]
    number = dice.pick(steps, points, salt="rating")
    bare = forms.nothing_else(rules) or split.cue or persona.chatter < 0.3
    return str(number) if bare else f"I would rate this {number} out of {high}."


_KINDS = {
    "date": r"\b\d{1,2} (?:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)|\d{4}-\d{2}|day\b",
    "time": r"\b\d{1,2}[:.]\d{2}\b|\bnoon\b|\bo.clock",
    "number": r"\d",
    "price": r"\d",
    "name": r"(?<!^)\b[A-Z][a-z]+",
    "question": r"\?",
}


def _yes_or_no(split: Split, rules: str, labels: LabelSet, persona: Persona, dice: Dice) -> str:
    """Whether what the question asks for stands in the text."""
    asked = " ".join(s for s in sentences(rules) if "?" in s) or rules
    kind = next((k for k in _KINDS if re.search(rf"\b{k}s?\b", asked, re.I)), None)
    if kind and re.search(r"\b(?:mention|contain|name|give|include|have|hold)", asked, re.I):
        holds = bool(re.search(_KINDS[kind], split.subject, re.I))
    else:
        holds = is_true(split.subject, asked, persona, dice)
    wanted = "yes" if holds else "no"
    return next(n for n in labels.labels if n.lower() == wanted)


def declines(split: Split, persona: Persona, dice: Dice) -> bool:
    """An over-cautious model declines sensitive matters unless told never to."""
    hits = len({m.group(0).lower() for m in _SENSITIVE.finditer(split.subject)})
    if not hits or _DO_NOT_DECLINE.search(split.rules):
        return False
    return chance("declines", persona.name, split.subject) < persona.caution * min(1, 0.45 * hits)


def remembered(rules: str, subject: str, persona: Persona, dice: Dice) -> str:
    """The rules less those this model drops: the more and the later, the likelier."""
    units = re.split(r"(?<=[.!?])(\s+)(?=[A-Z`\"“])|(\n+)", rules)
    units = [u for u in units if u is not None]
    count = sum(1 for u in units if u.strip())
    load = min(1.0, count / 14)
    kept: list[str] = []
    seen, dropped = 0, False
    for unit in units:
        if not unit.strip():
            # What parted a dropped rule from the next goes with it.
            if not dropped:
                kept.append(unit)
            dropped = False
            continue
        place = seen / max(1, count - 1)
        seen += 1
        risk = persona.forgets * load + persona.forgets_later * place * max(0.0, load - 0.25)
        if seen <= 2 or _STRONG.search(unit):
            risk *= 0.35
        dropped = dice.roll("forgets", persona.name, unit) < risk
        if not dropped:
            kept.append(unit)
    return "".join(kept)


def _layout(rules: str, persona: Persona) -> str:
    """The layout asked for; of two that conflict the later or the stronger one."""
    if persona.later_wins:
        return forms.read_layout(rules)
    strong = [s for s in sentences(rules) if _STRONG.search(s) and forms.read_layout(s)]
    named = [s for s in sentences(rules) if forms.read_layout(s)]
    chosen = (strong or named or [""])[0]
    return forms.read_layout(chosen)


def _wants_prose(rules: str) -> bool:
    return bool(
        re.search(
            r"\b(?:write|draft|compose|summar\w+|rewrite|rephrase|reply to|respond to|"
            r"translate|condense|shorten|headline|announce\w*)\b",
            rules,
            re.I,
        )
    ) and not re.search(r"\b(?:classif\w+|categor\w+|sort)\b", rules, re.I)


def _json_object(text: str) -> dict[str, Any] | None:
    match = re.search(r"\{.*\}", text, re.S)
    try:
        value = json.loads(match.group(0)) if match else None
    except ValueError:
        return None
    return value if isinstance(value, dict) else None


def _keys_of_examples(objects: list[dict[str, Any]]) -> list[Key]:
    names = dict.fromkeys(k for o in objects for k in o)
    keys = []
    for name in names:
        values = [o[name] for o in objects if name in o]
        texts = [v for v in values if isinstance(v, str)]
        kind = (
            "boolean"
            if any(isinstance(v, bool) for v in values)
            else ("number" if any(isinstance(v, (int, float)) for v in values) else "")
        )
        repeated = len(set(texts)) < len(texts) or all(t.islower() for t in texts)
        choices = list(dict.fromkeys(texts)) if texts and repeated and not kind else []
        keys.append(
            Key(
                name,
                kind=kind,
                choices=choices if len(choices) > 1 else [],
                nullable=None in values,
            )
        )
    return keys


def _labels_of_examples(split: Split) -> LabelSet | None:
    answers = [text for _, text in split.examples]
    if len(answers) >= 2 and all(len(a.split()) <= 4 for a in answers) and len(set(answers)) > 1:
        return LabelSet(None, dict.fromkeys(answers, ""))
    return None


def _json_answer(
    split: Split,
    rules: str,
    keys: list[Key],
    sets: list[LabelSet],
    examples: list[tuple[str, dict[str, Any] | None]],
    persona: Persona,
    dice: Dice,
) -> str:
    values: dict[str, Any] = {}
    null_known = forms.null_rule(rules) or any(
        v is None for _, o in examples if o for v in o.values()
    )
    for key in keys:
        labels = next((s for s in sets if s.key == key.name), None)
        shown = [(given, o[key.name]) for given, o in examples if o and key.name in o]
        values[key.name] = value_for(
            key, labels, split.subject, shown, rules, persona, dice, null_known=null_known
        )
    return _wrapped_json(values, bool(split.examples), rules, persona, dice)


def _wrapped_json(
    values: dict[str, Any], had_examples: bool, rules: str, persona: Persona, dice: Dice
) -> str:
    wordy = persona.chatter > 0.6
    bare = forms.nothing_else(rules) or had_examples
    text = json.dumps(values, ensure_ascii=False, indent=2 if wordy and not bare else None)
    if persona.knowledge < 0.6 and not had_examples and dice.roll("brace") < 0.06:
        text = text.rstrip("}")
    if bare or persona.chatter < dice.roll("wrap"):
        return text
    if wordy:
        return f"Here is the JSON you asked for:\n\n```json\n{text}\n```\n\nLet me know if you need more."
    return f"```json\n{text}\n```"


def _loose_json(split: Split, whole: LabelSet | None, persona: Persona, dice: Dice) -> str:
    """JSON was asked for without naming keys: the model makes some up."""
    kind = (
        choose_label(split.subject, whole.labels, split.examples, persona, dice)
        if whole
        else _guess(split.subject, persona)
    )
    name = dice.pick(["type", "category", "label"], [1.0, 1.2, 0.8], salt="keyname")
    gist = max(sentences(split.subject), key=len, default="")[:80]
    return _wrapped_json({name: kind, "summary": gist}, False, split.rules, persona, dice)


def _label_answer(split: Split, rules: str, labels: LabelSet, persona: Persona, dice: Dice) -> str:
    label = choose_label(split.subject, labels.labels, split.examples, persona, dice)
    short = (
        forms.nothing_else(rules)
        or split.examples
        or split.cue
        or any(x.unit == "word" and x.most and x.most <= 4 for x in forms.read_limits(rules))
    )
    if short or persona.chatter < 0.1:
        return label
    if persona.chatter > 0.6:
        points = label_evidence(split.subject, labels.labels, split.examples, persona)
        second = sorted(points, key=lambda k: -points[k])[1]
        return (
            f"Based on the text, this is best described as **{label}**. It could also be seen "
            f"as {second}, but {label} fits better."
        )
    return f"Category: {label}"


def _guess(subject: str, persona: Persona) -> str:
    """A label out of general knowledge, where the prompt names none."""
    have = set(stems(subject))
    order = sorted(range(len(GROUPS)), key=lambda i: (-len(GROUPS[i] & have), i))
    shared = GROUPS[order[0]] & have
    if not shared:
        return "general"
    named = [w for w in words(subject) if set(stems(w)) & shared]
    return named[0]


def _free_label(split: Split, rules: str, persona: Persona) -> str:
    guess = _guess(split.subject, persona)
    if persona.chatter > 0.6:
        gist = max(sentences(split.subject), key=len, default=split.subject)[:120]
        return (
            f"This message is about {guess}. The writer says: “{gist}” I would pass it on to "
            f"the team that deals with {guess}."
        )
    if persona.chatter > 0.2:
        return f"This is a message about {guess}."
    return guess


BEYOND = (
    "Simulated model: I sort, extract, shorten and fill forms by rule; this request is beyond me."
)
# What it does with a text by rule; other requests would only get their own words back.
_DONE_BY_RULE = re.compile(
    r"\b(?:writ\w+|draft\w*|compos\w+|summar\w+|rewrit\w+|rephras\w+|repl(?:y|ies)|respond\w*|"
    r"translat\w+|condens\w+|shorten\w*|headlin\w+|title|subject line|announc\w+|notice|extract\w*|"
    r"list|bullet\w*|table|steps|sort\w*|classif\w+|categor\w+|label\w*|name|find|pick|copy|quote|"
    r"return|output|answer|turn \w+ into|convert|key points|in short|sentence|words|letter|message|"
    r"note|report|minutes|abstract|gist|state|plain text|first)\b",
    re.I,
)


def beyond(split: Split, rules: str, layout: str) -> bool:
    """Whether nothing of a request is of the kinds that are done by rule."""
    if split.examples or layout or forms.read_limits(rules):
        return False
    # Nothing to work on: a question or a wish alone.
    alone = not split.rules.strip() or split.subject.strip() == split.rules.strip()
    if alone and re.search(r"\?\s*$", split.subject) and len(split.subject.split()) < 60:
        return True
    return not _DONE_BY_RULE.search(rules)


def _written(split: Split, rules: str, layout: str, persona: Persona, dice: Dice) -> str:
    if beyond(split, split.rules, layout):
        return BEYOND
    limits = _settled(forms.read_limits(rules), rules, persona)
    parts = prose.write(split.subject, rules, persona, dice)
    for banned in forms.read_quoted(rules, r"(?:never|not|don['’]t|avoid|without)(?: \w+){0,4}"):
        parts = [p for p in parts if banned.lower() not in p.lower()]
    wanted = " ".join(s for s in sentences(rules) if not _NEGATED.search(s))
    for phrase in forms.read_quoted(wanted, r"(?:include|mention|contain)\w*"):
        if not any(phrase.lower() in p.lower() for p in parts):
            parts.append(phrase if phrase[-1:] in ".!?" else phrase + ".")
    begin = forms.read_quoted(rules, "begin|start|open")
    end = forms.read_quoted(rules, "end|finish|close")
    room = sum(len(x) + 1 for x in begin + end)
    limits = [
        forms.Limit(x.unit, x.least, max(1, x.most - room))
        if x.unit == "character" and x.most
        else x
        for x in limits
    ]
    parts = prose.within(parts, limits, persona, dice)
    text = _laid_out(parts, layout, rules, split, persona, dice)
    if begin and not text.startswith(begin[0]):
        text = f"{begin[0]} {text}"
    if end and not text.rstrip().endswith(end[0]):
        text = f"{text.rstrip()} {end[0]}"
    if (
        persona.chatter > 0.6
        and not forms.nothing_else(rules)
        and not limits
        and not split.examples
    ):
        text = f"Sure, here is a version for you:\n\n{text}"
    return text


def _settled(limits: list[forms.Limit], rules: str, persona: Persona) -> list[forms.Limit]:
    """Of two limits in one unit, the later or the stronger counts, by model."""
    chosen: dict[str, forms.Limit] = {}
    for limit in limits if persona.later_wins else reversed(limits):
        chosen[limit.unit] = limit
    return list(chosen.values())


def _laid_out(
    parts: list[str], layout: str, rules: str, split: Split, persona: Persona, dice: Dice
) -> str:
    lines = [p for p in parts if p]
    if layout == "bullets":
        return "\n".join(f"- {p}" for p in lines)
    if layout == "numbered":
        return "\n".join(f"{i}. {p}" for i, p in enumerate(lines, 1))
    if layout == "table" and (columns := forms.read_columns(rules)):
        rows = table_rows(columns, split.subject, rules, persona, dice)
        body = "\n".join(f"| {' | '.join(r)} |" for r in rows)
        return f"| {' | '.join(columns)} |\n|{'---|' * len(columns)}\n{body}"
    blocks: list[list[str]] = [[]]
    for part in parts:
        if part:
            blocks[-1].append(part)
        elif blocks[-1]:
            blocks.append([])
    return "\n\n".join(" ".join(b) for b in blocks if b)


__all__ = ["Sampling", "answer", "declines", "remembered"]
