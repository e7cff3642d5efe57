"""Reading which labels a prompt allows, and how it defines them."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import lru_cache

from nomikon_standin.words import sentences, stem

_TRIGGER = re.compile(
    r"\b(?:one of|either|any of|categor\w*|labels?|class(?:es|ify|ified)?|options?|choose|pick|"
    r"sort\w*|tag(?:ged|s)?\b|into|among|between|types?|topics?|intents?|sentiments?|urgency|"
    r"priority|severity|grades?|ratings?|departments?|queues?|possible|allowed|values?)\b",
    re.I,
)
_KEYS = re.compile(r"\b(?:keys?|fields?|properties|columns?)\b", re.I)
_BULLET = re.compile(r"^[ \t]*(?:[-*•+]|\d{1,2}[.)])[ \t]+(.*)$")
_HEAD = re.compile(
    r"^[`\"“*_]*(?P<name>[\w][\w /&’'-]{0,40}?)[`\"”*_]*[ \t]*(?::|[ ][-–—][ ]|[ ]=[ ])[`\"”*_]*"
    r"[ \t]*(?P<text>\S.*)$"
)
_QUOTES = " \t`\"'“”‘’*_.()[]{}<>"
OTHERWISE = re.compile(
    r"\b(?:anything else|everything else|otherwise|none of (?:these|the above)|"
    r"all the rest|the rest|all others?|no other|nothing else fits|else)\b",
    re.I,
)


@dataclass
class LabelSet:
    """Labels one answer, or one key of it, may take, each with its definition or ''.

    key: the key it belongs to, or None for the answer as a whole.
    """

    key: str | None
    labels: dict[str, str] = field(default_factory=dict)


def split_list(text: str) -> list[str]:
    """Items of a running list: `a, b, c or d`, `a / b / c`, `a|b|c`; [] when it is none."""
    text = re.split(r"(?<=[\w\"'`”)])[.;:](?:\s|$)|\n", text.strip())[0]
    text = re.sub(r"\([^)]*\)", "", text)
    if "|" in text:
        parts = text.split("|")
    elif re.search(r"\s/\s", text) or (text.count("/") and "," not in text):
        parts = text.split("/")
    else:
        parts = re.split(r",\s*(?:and|or)\s+|,\s*|\s+(?:and|or)\s+", text)
    items = [p.strip(_QUOTES) for p in parts]
    items = [re.sub(r"^(?:either|a|an|the)\s+", "", i, flags=re.I).strip(_QUOTES) for i in items]
    items = [i for i in items if i]
    if len(items) < 2 or any(len(i.split()) > 4 or len(i) > 40 for i in items):
        return []
    return items


def read_labels(rules: str, keys: list[str]) -> list[LabelSet]:
    """All label sets a prompt's rules speak of."""
    sets: list[LabelSet] = []
    lines = rules.split("\n")
    _from_blocks(lines, keys, sets)
    _from_lines(lines, keys, sets)
    for sentence in sentences(rules):
        _from_sentence(sentence, keys, sets)
    if not any(s.key is None for s in sets):
        _after_colons(rules, keys, sets)
    for sentence in sentences(rules):
        _from_clauses(sentence, sets)
    for sentence in sentences(rules):
        _conditional(sentence, keys, sets)
    _definitions(rules, sets)
    merged: list[LabelSet] = []
    for one in sets:
        same = next(
            (
                m
                for m in merged
                if m.key == one.key and (set(m.labels) & set(one.labels) or one.key)
            ),
            None,
        )
        if same:
            for label, text in one.labels.items():
                same.labels[label] = same.labels.get(label) or text
        elif len(one.labels) >= 2:
            merged.append(one)
    return merged


def _key_in(text: str, keys: list[str]) -> str | None:
    """The key a stretch of text is about: named at its start, or last before its end."""
    clean = text.replace("`", "").replace('"', "").lower()
    found = [
        (m.start(), k)
        for k in keys
        for m in re.finditer(rf"(?<![\w]){re.escape(k.lower())}(?![\w])", clean)
    ]
    return min(found)[1] if found else None


def _from_sentence(sentence: str, keys: list[str], sets: list[LabelSet]) -> None:
    text = _BULLET.sub(r"\1", sentence)
    # urgency (low, normal or high)
    for match in re.finditer(r"([\w -]{2,30}?)\s*\(([^()]{3,120})\)", text):
        items = split_list(match.group(2))
        key = _key_in(match.group(1), keys)
        if (
            len(items) >= 2
            and (key or _TRIGGER.search(match.group(1)))
            and not re.match(r"(?:e\.?g|for example|such as|like)\b", match.group(2), re.I)
        ):
            sets.append(LabelSet(key, dict.fromkeys(items, "")))
    if _offered(text, keys, sets):
        return
    for pattern in (
        r"\b(?:one of|either|any of|among|between|from)\b(?: the)?(?: (?:following|these))?"
        r"(?: [\w-]+){0,2}?\s*:?\s+(.*)",
        r":\s*(.*)",
        r"\b(?:into|as)\s+(?:one of\s+)?(.*)",
        r"\b(?:is|are|be)\s+(.*)",
    ):
        offer = re.search(pattern, text, re.I | re.S)
        if offer is None:
            continue
        head = text[: offer.start(1)]
        key = _key_in(head, keys)
        if _KEYS.search(head) and not key:
            continue
        items = split_list(offer.group(1))
        # "is late or cancelled" lists values only where the sentence is about the key itself.
        named = (
            key is not None
            and re.fullmatch(
                rf"\W*(?:the |field |key |value of )*\W?{re.escape(key)}\W*(?:is|are|must be|should be|"
                r"may be|can be|:)?(?: one of| either)?\W*",
                head.strip(),
                re.I,
            )
            is not None
        )
        if pattern.startswith(r"\b(?:is|are") and not named:
            continue
        if len(items) >= 2 and (_TRIGGER.search(head) or named):
            if (
                len(items) == 2
                and not re.search(
                    r"one of|either|categor|label|class|sort|choose|"
                    r"into|sentiment",
                    head,
                    re.I,
                )
                and not key
            ):
                continue
            sets.append(LabelSet(key, dict.fromkeys(items, "")))
            return


def _offered(text: str, keys: list[str], sets: list[LabelSet]) -> bool:
    """`Is this review positive, negative or mixed?` and `Answer yes or no`."""
    choices = r"((?:[\w-]+, )*[\w-]+,? or [\w-]+)"
    match = re.search(rf"\b(?:is|was|are|does)\b[^?.:]*?\b{choices}\s*\?", text, re.I) or re.search(
        rf"^(?:please )?(?:answer|reply|say)\b[^?.:]*?\b{choices}\b\s*(?:$|\.|only)", text, re.I
    )
    if not match or _key_in(text, keys) or _KEYS.search(text):
        return False
    items = split_list(match.group(1))
    if len(items) < 3 and {i.lower() for i in items} not in ({"yes", "no"}, {"true", "false"}):
        return False
    sets.append(LabelSet(None, dict.fromkeys(items, "")))
    return True


def _from_blocks(lines: list[str], keys: list[str], sets: list[LabelSet]) -> None:
    """Bullets `- label: definition`, bare bullets after a fitting line, and tables."""
    index = 0
    while index < len(lines):
        row = _BULLET.match(lines[index]) or _table_row(lines[index])
        if row is None:
            index += 1
            continue
        first = index
        items: list[tuple[str, str]] = []
        while index < len(lines) and lines[index].strip():
            item = _item(lines[index])
            if item is None:
                break
            items.append(item)
            index += 1
        intro = next((ln for ln in reversed(lines[:first]) if ln.strip()), "")
        items = [(n, t) for n, t in items if n and not re.fullmatch(r"[-:| ]+", n)]
        if lines[first].lstrip().startswith("|") and items:
            intro += " " + " ".join(items[0])
            items = items[1:]
        short = [n for n, _ in items if len(n.split()) <= 4]
        about_keys = sum(1 for n, _ in items if n in keys)
        if (
            len(items) >= 2
            and len(short) == len(items)
            and about_keys < 2
            and (_TRIGGER.search(intro) or all(t for _, t in items))
            and not re.search(r"\bkeys?\b|\bfields?\b", intro, re.I)
        ):
            sets.append(LabelSet(_key_in(_subject_of(intro), keys), dict(items)))
        index = max(index, first + 1)


def _from_lines(lines: list[str], keys: list[str], sets: list[LabelSet]) -> None:
    """Lines `label: definition` or `label - definition` one under the other, without bullets."""
    run: list[tuple[str, str]] = []
    for line in [*lines, ""]:
        head = None if _BULLET.match(line) else _HEAD.match(line.strip())
        name = head.group("name").strip(_QUOTES) if head else ""
        fits = bool(head) and len(name.split()) <= 3 and name not in keys and not _LEADS.match(name)
        if head and fits and not split_list(head.group("text")):
            run.append((name, head.group("text").strip()))
            continue
        # Two might be an input with its heading; three in a row name labels.
        if len(run) >= 3:
            sets.append(LabelSet(None, dict(run)))
        run = []


# Heads of lines that name a part of the prompt, not a label.
_LEADS = re.compile(
    r"(?:note|input|text|message|example|answer|output|format|rules?|task|job|role|context|steps?|"
    r"important|limits?|fields?|keys?)\b",
    re.I,
)


def _after_colons(rules: str, keys: list[str], sets: list[LabelSet]) -> None:
    """A list of three or more short names after any colon: `The desks: a, b, c`."""
    for sentence in sentences(rules):
        head, colon, rest = _BULLET.sub(r"\1", sentence).partition(":")
        if not colon or _KEYS.search(head) or _key_in(head, keys) or len(head.split()) > 14:
            continue
        items = split_list(rest)
        names = {i.lower() for i in items} & {k.lower() for k in keys}
        if len(items) >= 3 and not names and all(len(i.split()) <= 3 for i in items):
            sets.append(LabelSet(None, dict.fromkeys(items, "")))
            return


def _from_clauses(sentence: str, sets: list[LabelSet]) -> None:
    """Definitions of known labels parted by semicolons: `a, when …; b, if …; c for …`."""
    parts = [p.strip(" .") for p in re.split(r";", sentence)]
    if len(parts) < 2:
        return
    for one in sets:
        for part in parts:
            for label in one.labels:
                found = _clause_pattern(label).match(part)
                if found and found.group(1) not in one.labels[label]:
                    one.labels[label] = f"{one.labels[label]} {found.group(1)}".strip()


def _subject_of(line: str) -> str:
    """The first words of a line, where it says what it is about."""
    return " ".join(line.split()[:4])


def _table_row(line: str) -> re.Match[str] | None:
    return re.match(r"^[ \t]*\|(.*)\|[ \t]*$", line)


def _item(line: str) -> tuple[str, str] | None:
    if table := _table_row(line):
        cells = [c.strip(_QUOTES) for c in table.group(1).split("|")]
        return (cells[0], " ".join(cells[1:])) if cells else None
    bullet = _BULLET.match(line)
    if not bullet:
        return None
    text = bullet.group(1).strip()
    head = _HEAD.match(text)
    if head:
        return head.group("name").strip(_QUOTES), head.group("text").strip()
    return text.strip(_QUOTES), ""


def _conditional(sentence: str, keys: list[str], sets: list[LabelSet]) -> None:
    """`urgency is high when …, else normal` and `mark it high if …, otherwise low`."""
    match = re.search(
        r"^(?P<head>.*?)\b(?P<a>[\w-]+)\b[`\"”]*\s+(?:when|if|for)\s+(?P<cond>.+?)[,;]\s*"
        r"(?:and\s+)?(?:else|otherwise|in all other cases|if not)[,]?\s+(?:it is\s+|use\s+)?"
        r"[`\"“]*(?P<b>[\w-]+)",
        sentence,
        re.I | re.S,
    )
    if not match:
        return
    key = _key_in(match.group("head"), keys)
    labels = {match.group("a"): match.group("cond"), match.group("b"): "otherwise"}
    known = next((s for s in sets if s.key == key and key is not None), None) or next(
        (s for s in sets if {match.group("a"), match.group("b")} <= set(s.labels)), None
    )
    if known:
        for label, text in labels.items():
            known.labels[label] = (known.labels.get(label, "") + " " + text).strip()
    elif key:
        sets.append(LabelSet(key, labels))


# Python keeps few patterns compiled, and labels come again with every request of a trial.
@lru_cache(maxsize=4096)
def _definition_patterns(label: str) -> tuple[re.Pattern[str], ...]:
    """How running text defines a label, the surest way first."""
    name = rf"[`\"“*]*{re.escape(label)}[`\"”*]*"
    return tuple(
        re.compile(pattern, re.I | re.S)
        for pattern in (
            rf"^{name}\s*(?::|[-–—=])\s*(.+)$",
            rf"(?:^|[:;,]|\bor|\band)\s*{name}\s*\(([^()]+)\)",
            rf"(?:^|[;,] )\s*(?:and )?{name}\s+(?:means|is when|is for|covers|includes|"
            rf"applies to|refers to|when|if)\s+(.+?)(?:;|$)",
            rf"\b(?:use|choose|pick|answer|say|write|reply|give|assign|label it|mark it)"
            rf"\s+(?:as )?{name}\s+(?:when|for|if|where|only)\s+(.+)$",
            rf"^(?:if|when)\s+(.+?),\s*(?:then\s+)?(?:it is|use|choose|answer|say|label it|"
            rf"the \w+ is)\s+(?:an? )?{name}",
        )
    )


@lru_cache(maxsize=4096)
def _clause_pattern(label: str) -> re.Pattern[str]:
    return re.compile(
        rf"(?:and |or )?[`\"“*]*{re.escape(label)}[`\"”*]*\s*(?:,|:|[-–—=]|\(|when|if|for|means|is)"
        r"\s*(.+)$",
        re.I | re.S,
    )


def _definitions(rules: str, sets: list[LabelSet]) -> None:
    """Definitions of known labels in running text."""
    texts = [_BULLET.sub(r"\1", sentence) for sentence in sentences(rules)]
    for one in sets:
        for label in one.labels:
            # A text without the label defines nothing of it.
            held = [t for t in texts if label.lower() in t.lower()]
            for text in held:
                for place, pattern in enumerate(_definition_patterns(label)):
                    found = pattern.search(text)
                    if (
                        found
                        # "category: a, b, c" lists labels, it defines none.
                        and not (place == 0 and split_list(found.group(1)))
                        and found.group(1) not in one.labels[label]
                    ):
                        one.labels[label] = (one.labels[label] + " " + found.group(1)).strip()
                        break


def as_label(text: str, labels: list[str]) -> str | None:
    """The label that a worked example's answer names, if any."""
    clean = text.strip().strip(_QUOTES).lower()
    for label in labels:
        if clean == label.lower():
            return label
    tail = [
        lb
        for lb in labels
        if {stem(w) for w in lb.lower().split()} <= {stem(w) for w in clean.split()}
    ]
    return tail[0] if len(tail) == 1 else None
