"""Reading the form a prompt asks for: keys, formats, limits, tone, language, inclusions."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, field
from typing import Any

from nomikon_standin.labels import LabelSet, split_list
from nomikon_standin.words import sentences

_NUMBERS = {
    w: i
    for i, w in enumerate(
        [
            "zero",
            "one",
            "two",
            "three",
            "four",
            "five",
            "six",
            "seven",
            "eight",
            "nine",
            "ten",
            "eleven",
            "twelve",
        ]
    )
}
_NUMBERS |= {"fifteen": 15, "twenty": 20, "thirty": 30, "forty": 40, "fifty": 50, "hundred": 100}
_N = r"(\d{1,5}|" + "|".join(_NUMBERS) + r")"
_UNIT = (
    r"(characters?|chars|words?|sentences?|lines?|paragraphs?|bullets?(?: points?)?|items?|"
    r"points?|steps?)"
)


@dataclass
class Key:
    """One key of a JSON answer: what it should hold, as far as the prompt says."""

    name: str
    about: str = ""
    kind: str = ""
    choices: list[str] = field(default_factory=list)
    nullable: bool = False


@dataclass
class Limit:
    """A limit in one unit; least and greatest, either may be open; each: for every item."""

    unit: str
    least: int | None = None
    most: int | None = None
    each: bool = False


def number(text: str) -> int:
    """A number in digits or in words."""
    return int(text) if text.isdigit() else _NUMBERS[text.lower()]


# --- JSON ------------------------------------------------------------------


def read_keys(rules: str) -> list[Key]:
    """Keys of the JSON object a prompt asks for, from a list, a template or a schema."""
    for block in _objects(rules):
        try:
            value = json.loads(block)
        except ValueError:
            value = None
        if isinstance(value, dict) and isinstance(value.get("properties"), dict):
            return [
                _schema_key(n, p if isinstance(p, dict) else {})
                for n, p in value["properties"].items()
            ]
        if isinstance(value, dict) and value:
            return [_template_key(n, v) for n, v in value.items()]
        if keys := _loose_template(block):
            return keys
    return _listed_keys(rules)


def _loose_template(block: str) -> list[Key]:
    """Keys of a template that is no JSON: what stands between one key and the next is its value."""
    heads = list(re.finditer(r"[\"“'`]?\b([A-Za-z_][\w-]*)[\"”'`]?\s*:(?!//)\s*", block))
    keys = []
    for place, head in enumerate(heads):
        stop = heads[place + 1].start() if place + 1 < len(heads) else len(block) - 1
        keys.append(_template_key(head.group(1), block[head.end() : stop].strip(" ,\n")))
    return keys


def without_templates(rules: str) -> str:
    """The rules less the JSON templates and schemas in them."""
    for block in _objects(rules):
        rules = rules.replace(block, " ")
    return rules


def _objects(text: str) -> list[str]:
    """Balanced {...} stretches that hold a colon."""
    found = []
    depth, start = 0, 0
    for place, mark in enumerate(text):
        if mark == "{":
            if depth == 0:
                start = place
            depth += 1
        elif mark == "}" and depth:
            depth -= 1
            if depth == 0 and ":" in text[start:place]:
                found.append(text[start : place + 1])
    return found


def _schema_key(name: str, schema: dict[str, Any]) -> Key:
    kinds = schema.get("type", "")
    kinds = kinds if isinstance(kinds, list) else [kinds]
    choices = [c for c in schema.get("enum", []) if isinstance(c, str)]
    nullable = "null" in kinds or None in schema.get("enum", [])
    kind = next((k for k in kinds if k != "null"), "")
    return Key(name, str(schema.get("description", "")), str(kind), choices, nullable)


def _template_key(name: str, value: Any) -> Key:
    if isinstance(value, bool):
        return Key(name, kind="boolean")
    if isinstance(value, (int, float)):
        return Key(name, kind="number")
    if isinstance(value, list):
        return Key(name, kind="array")
    if value is None:
        return Key(name, nullable=True)
    text = re.sub(r"^(?:one of|either):?\s*", "", str(value).strip(" <>…[]"))
    text = text if re.search(r"[\"”'],", text) else text.strip("\"'“” <>…")
    text = re.sub(r"^one of:?\s*", "", text)
    choices = split_list(text) if re.search(r"[|/]|, | or ", text) else []
    nullable = bool(re.search(r"\bnull\b", text))
    kind = next(
        (
            k
            for k, p in (
                ("boolean", r"true|bool"),
                ("number", r"number|integer|int\b"),
                ("array", r"\blist\b|array"),
            )
            if re.search(p, text, re.I)
        ),
        "",
    )
    choices = [c for c in choices if c != "null"]
    return Key(name, text, kind, [] if kind or len(choices) < 2 else choices, nullable)


def _listed_keys(rules: str) -> list[Key]:
    match = re.search(
        r"\b(?:keys?|fields?|properties)\b(?:\s+(?:named|called|are|must be|exactly|these|are:))*"
        r"[\s:–-]+(?P<list>[^\n]+)",
        rules,
        re.I,
    )
    # "keys" among other things may be what opens a door.
    bare = re.sub(r"\([^()\n]*\)", " ", rules)
    json_wanted = re.search(r"\bjson\b|\bkeys?\b", bare, re.I)
    if match and json_wanted:
        text = re.split(r"\.(?:\s|$)|;|\band nothing else\b|\band no\b", match.group("list"))[0]
        plain = re.sub(r"\([^)]*\)", "", text)
        names = [
            re.sub(r"^(?:and|the)\s+", "", n).strip(" `\"'“”*:.")
            for n in re.split(r",\s*|\s+and\s+", plain)
        ]
        names = [n for n in names if re.fullmatch(r"[A-Za-z_][\w-]*(?: [\w-]+)?", n)]
        if len(names) >= 2 or (names and re.search(r"\bkey\b", match.group(0))):
            return [_described(Key(n), rules) for n in names]
    asked = re.search(
        r"\b(?:extract|pull out|return|give|collect|find)\b[^.\n:]{0,60}:\s*"
        r"(?P<list>[^\n]+?)(?:\.\s|\.?$)",
        rules,
        re.I | re.M,
    )
    if asked and re.search(r"\bjson\b", rules, re.I):
        parts = re.split(r",\s*(?![^()]*\))|\s+and\s+(?![^()]*\))", asked.group("list"))
        rows = [re.fullmatch(r"\W*([A-Za-z_][\w-]*)\W*(?:\(([^)]*)\))?\W*", p) for p in parts]
        if len(rows) >= 2 and all(rows):
            return [_template_key(m.group(1), m.group(2) or "") for m in rows if m]
    block = re.search(
        r"(?:keys?|fields?|properties|json)[^\n]*:?[ \t]*\n(?P<rows>(?:[ \t]*(?:[-*•+]|\d+[.)])[ \t]+[^\n]+\n?)+)",
        rules,
        re.I,
    )
    if not block:
        # The same without marks: indented, or with a type behind each name.
        block = re.search(
            r"(?:keys?|fields?|properties|json|record)[^\n]*:[ \t]*\n"
            r"(?P<rows>(?:[ \t]*[`\"“*]*[A-Za-z_][\w-]*[`\"”*]*[ \t]*(?:\([^)\n]*\)|:|[–—=-])[^\n]*\n?){2,})",
            rules,
            re.I,
        )
    if block and json_wanted:
        keys = []
        for row in re.findall(
            r"^[ \t]*(?:(?:[-*•+]|\d+[.)])[ \t]+)?([^\n]+)", block.group("rows"), re.M
        ):
            m = re.match(
                r"[`\"“*]*([A-Za-z_][\w-]*)[`\"”*]*\s*(?:\(([^)]*)\))?\s*(?:[:–—=-]\s*(.*))?$", row
            )
            if not m:
                return []
            about = " ".join(p for p in (m.group(2), m.group(3)) if p)
            keys.append(_described(_template_key(m.group(1), about), rules))
        return keys
    return []


def _described(key: Key, rules: str) -> Key:
    """Add what the rules say about a key elsewhere: its type, its null rule, its meaning."""
    name = re.escape(key.name)
    for sentence in sentences(rules):
        if re.search(rf"(?<!\w)[`\"“]?{name}[`\"”]?(?!\w)", sentence) and re.search(
            rf"^[-*• ]*[`\"“]?{name}[`\"”]?(?:\s+(?:is|must|should|holds|means|gives|says|:)|\s*[:(–=-])|"
            rf"\bfor [`\"“]?{name}",
            sentence,
        ):
            key.about = (key.about + " " + sentence).strip()
    if not key.kind and re.search(
        r"\b(?:true or false|boolean|true if|true when)\b", key.about, re.I
    ):
        key.kind = "boolean"
    if not key.kind and re.search(
        r"\b(?:a (?:whole )?number|integer|as a number)\b", key.about, re.I
    ):
        key.kind = "number"
    key.nullable = key.nullable or "null" in key.about
    return key


def null_rule(rules: str) -> bool:
    """Whether the prompt says to use null for what is not said."""
    return bool(re.search(r"\bnull\b", rules))


# --- the rest of the form ----------------------------------------------------


def read_limits(rules: str) -> list[Limit]:
    """Limits in characters, words, sentences, lines, paragraphs and items."""
    limits: list[Limit] = []
    for m in re.finditer(
        rf"(?P<how>at most|no more than|max(?:imum)?(?: of)?|up to|under|below|fewer than|less than|"
        rf"within|not (?:exceed|more than)|limit(?:ed)? (?:of|to|it to)|at least|no fewer than|"
        rf"min(?:imum)?(?: of)?|exactly|in|of|write|give|list|use|about|around|only)?[ ]*{_N}[ -]"
        rf"(?:(?:short|brief|plain|clear|numbered|simple|key|main|bullet|to {_N}) )*{_UNIT}\b",
        rules,
        re.I,
    ):
        unit, n = m.group(4).lower().split()[0], number(m.group(2))
        unit = {"char": "character", "bullet": "item", "point": "item"}.get(
            unit.removesuffix("s"), unit.removesuffix("s")
        )
        how = (m.group("how") or "").lower()
        after = rules[m.end() : m.end() + 25].lower()
        around = rules[max(0, m.start() - 30) : m.start()].lower()
        if re.search(r"\b(?:each|every|per)\b[^.\n]*$", around) or re.match(
            r"\s*(?:each|per|long each)\b", after
        ):
            limits.append(Limit(unit, most=n, each=True))
            continue
        span = re.match(rf"{_N}\s*(?:to|-|–|and)\s*{_N}", rules[max(0, m.start(2) - 12) : m.end()])
        if how.startswith(("at least", "no fewer", "min")):
            limits.append(Limit(unit, least=n))
        elif how in ("under", "below", "fewer than", "less than"):
            limits.append(Limit(unit, most=n - 1))
        elif (
            how in ("exactly", "in", "of", "write", "give", "list", "use", "only", "")
            and not span
            and "most" not in after
            and "or fewer" not in after
            and "or less" not in after
        ):
            limits.append(Limit(unit, least=n, most=n))
        else:
            limits.append(Limit(unit, most=n))
    if re.search(r"\b(?:one|a single|single)[- ]sentence\b(?! each| per)", rules, re.I):
        limits.append(Limit("sentence", 1, 1))
    if re.search(r"\b(?:one|a single|single)[- ]word\b", rules, re.I):
        limits.append(Limit("word", 1, 1))
    return limits


def read_layout(rules: str) -> str:
    """bullets, numbered, table, json, or '' for plain text; the later one named wins."""
    marks = {
        "json": r"\bjson\b",
        "numbered": r"\bnumbered (?:list|steps)|\bnumber (?:each|the) (?:step|item)",
        "bullets": r"\bbullet(?:s|ed)?\b|\bbullet points?\b",
        "table": r"\b(?:markdown )?table\b(?! below)",
    }
    found = []
    for name, pattern in marks.items():
        for m in re.finditer(pattern, rules, re.I):
            before = rules[max(0, m.start() - 24) : m.start()].lower()
            if not re.search(r"\b(?:no|not|without|never|avoid|don['’]t use)\s(?:\w+ )?$", before):
                found.append((m.start(), name))
    return max(found)[1] if found else ""


def read_columns(rules: str) -> list[str]:
    """Column names of the table a prompt asks for."""
    m = re.search(r"\bcolumns?\b[^:\n]{0,20}?[:\s]\s*([^\n.]+)", rules, re.I)
    return split_list(re.split(r"\s+(?:from|for|of|in)\s+", m.group(1))[0]) if m else []


_TONES = {
    "formal": r"\bformal\b|\bprofessional\b|\bbusinesslike\b",
    "friendly": r"\bfriendly\b|\bwarm(?:ly)?\b|\bkind(?:ly)?\b|\bcheerful\b|\bcasual\b",
    "apologetic": r"\bapolog\w+|\bsorry\b",
    "plain": r"\bplain (?:words|language|english|wording)\b|\bsimple (?:words|language)\b|\bplain(?:ly)?\b",
    "neutral": r"\bneutral\b|\bfactual\b|\bobjective\b",
}


def read_tones(rules: str) -> list[str]:
    """Tones the prompt asks for."""
    return [name for name, pattern in _TONES.items() if re.search(pattern, rules, re.I)]


def read_language(rules: str) -> str:
    """Language of the reply: en, de, fr or es."""
    for code, name in (
        ("de", "german|deutsch"),
        ("fr", "french|français"),
        ("es", "spanish|español"),
        ("en", "english"),
    ):
        if re.search(
            rf"\b(?:in|into|to|is|be)\s+(?:plain |simple |clear |british )?(?:{name})\b",
            rules,
            re.I,
        ):
            return code
    return "en"


def read_quoted(rules: str, verbs: str) -> list[str]:
    """Quoted phrases right after one of the verbs."""
    found = []
    for m in re.finditer(
        rf"\b(?:{verbs})\b[^.\n\"“”]{{0,40}}((?:[\"“][^\"”]+[\"”](?:,? (?:and|or) |, )?)+)",
        rules,
        re.I,
    ):
        found += re.findall(r"[\"“]([^\"”]+)[\"”]", m.group(1))
    return found


def nothing_else(rules: str) -> bool:
    """Whether the prompt forbids words around the answer."""
    return bool(
        re.search(
            r"nothing else|nothing more|nothing but|(?:without|no) (?:any )?(?:other|further|more) (?:words?|text)|"
            r"no prose|exactly as (?:written|given|named|spelled)|^only the|\bonly the \w+\b|exactly one of|one of these words|no other (?:text|words)|only (?:the|with|one|a|json)|just the|"
            r"no explanation|without (?:any )?(?:explanation|comment|preamble)|no (?:preamble|comment)|"
            r"(?:reply|answer|respond|return|output)[^.\n]{0,30}\bonly\b|no code (?:block|fence)",
            rules,
            re.I,
        )
    )


def attach(keys: list[Key], sets: list[LabelSet]) -> list[LabelSet]:
    """Give every key its label set; what belongs to no key is the whole answer's."""
    for key in keys:
        if key.choices and not any(s.key == key.name for s in sets):
            sets.append(LabelSet(key.name, dict.fromkeys(key.choices, "")))
    if keys:
        for one in sets:
            if one.key is None:
                free = [k for k in keys if not any(s.key == k.name for s in sets)]
                likely = [
                    k
                    for k in free
                    if re.search(
                        r"categor|label|class|type|topic|kind|intent|sentiment", k.name, re.I
                    )
                ]
                if likely:
                    one.key = likely[0].name
    return sets
