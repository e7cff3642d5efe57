"""Writing: summaries, notices and replies made from the text and from what was asked."""

from __future__ import annotations

import re

from nomikon_standin import forms
from nomikon_standin.extract import TIME
from nomikon_standin.forms import Limit
from nomikon_standin.models import Persona
from nomikon_standin.sampling import Dice
from nomikon_standin.words import associated, sentences, stems

_PHRASES: dict[str, dict[str, str]] = {
    "en": {
        "dear": "Dear {name},",
        "hello": "Hello {name},",
        "customer": "customer",
        "sorry": "We are sorry about what happened.",
        "sorry_that": "We are sorry that {what}.",
        "thanks": "Thank you for writing to us.",
        "told": "You tell us that {what}.",
        "passed": "We have passed your message to the team concerned and will look into it.",
        "money": "As a gesture of goodwill we will refund your fare.",
        "close": "Kind regards,",
        "close_warm": "With warm wishes,",
        "contact": "Please write to us again if anything is still open.",
    },
    "de": {
        "dear": "Guten Tag {name},",
        "hello": "Hallo {name},",
        "customer": "",
        "sorry": "Es tut uns leid, was geschehen ist.",
        "sorry_that": "Es tut uns leid: {what}.",
        "thanks": "Vielen Dank für Ihre Nachricht.",
        "told": "Sie schreiben: {what}.",
        "passed": "Wir haben Ihre Nachricht weitergegeben und prüfen sie.",
        "money": "Als Geste erstatten wir Ihnen den Fahrpreis.",
        "close": "Mit freundlichen Grüßen",
        "close_warm": "Herzliche Grüße",
        "contact": "Bitte schreiben Sie uns, wenn etwas offen bleibt.",
    },
    "fr": {
        "dear": "Bonjour {name},",
        "hello": "Bonjour {name},",
        "customer": "",
        "sorry": "Nous sommes désolés de ce qui s’est passé.",
        "sorry_that": "Nous sommes désolés : {what}.",
        "thanks": "Merci de nous avoir écrit.",
        "told": "Vous nous dites : {what}.",
        "passed": "Nous avons transmis votre message et nous l’examinons.",
        "money": "Nous vous rembourserons votre billet.",
        "close": "Cordialement,",
        "close_warm": "Bien à vous,",
        "contact": "N’hésitez pas à nous écrire de nouveau.",
    },
    "es": {
        "dear": "Estimado cliente:",
        "hello": "Hola:",
        "customer": "",
        "sorry": "Sentimos lo ocurrido.",
        "sorry_that": "Sentimos lo ocurrido: {what}.",
        "thanks": "Gracias por escribirnos.",
        "told": "Nos dice: {what}.",
        "passed": "Hemos trasladado su mensaje y lo estudiaremos.",
        "money": "Le devolveremos el importe de su billete.",
        "close": "Un saludo cordial,",
        "close_warm": "Con afecto,",
        "contact": "Escríbanos de nuevo si queda algo pendiente.",
    },
}
_SWAPS = {
    "i": "you",
    "me": "you",
    "my": "your",
    "mine": "yours",
    "we": "you",
    "us": "you",
    "our": "your",
    "i’m": "you are",
    "i'm": "you are",
    "i've": "you have",
    "am": "are",
    "your": "our",
    "you": "we",
    "i’ve": "you have",
    "was": "was",
}
_INCLUDE = re.compile(
    r"\b(?:include|mention|state|say|name|give|tell(?: \w+)?|contain|cover|with|add|explain|"
    r"must have|needs?)\b:?\s+(?P<parts>[^.\n]+)",
    re.I,
)
_NO_MONEY = re.compile(
    r"\b(?:no|not|never|without|don['’]t|avoid)\b[^.\n]{0,40}\b(?:money|refund\w*|compensat\w+|"
    r"voucher|discount|pay\w*|reimburse\w*)",
    re.I,
)
_SIGN_OFF = re.compile(
    r"(?:(?:kind|best|warm) )?(?:regards|wishes|thanks|yours\b|sincerely|best,)[^.!?]{0,40}$", re.I
)
_ACTION = re.compile(
    r"\b(?:please|use|take|go to|board|call|ask|wait|check|next|instead|contact|"
    r"should|transfer|report to|switch|press|return)\b",
    re.I,
)


def is_reply(rules: str) -> bool:
    """Whether a letter or reply to a person is wanted."""
    return bool(
        re.search(
            r"\b(?:reply|respond|answer)\b[^.\n]{0,40}\b(?:to|the)\b[^.\n]{0,30}"
            r"(?:complain\w*|customer|passenger|guest|client|message|e-?mail|letter|"
            r"writer|person|patient|parent)|\bapolog\w+|\bletter\b|"
            r"\bwrite (?:back|a reply|an answer|a response)",
            rules,
            re.I,
        )
    )


def asked_parts(rules: str) -> list[str]:
    """What the answer must cover, in the order asked."""
    sequence = re.search(
        r"\bfirst,?\s+(?:\w+\s+)?(.+?)[,;.]\s*(?:and )?then,?\s+(.+?)"
        r"(?:[,;.]\s*(?:and )?(?:finally|last(?:ly)?|then),?\s+(.+?))?(?:[.\n]|$)",
        rules,
        re.I | re.S,
    )
    if sequence:
        return [p for p in sequence.groups() if p]
    parts: list[str] = []
    for sentence in sentences(rules):
        if re.search(r"\b(?:not|never|no|don['’]t|avoid|without)\b", sentence, re.I):
            continue
        for m in _INCLUDE.finditer(sentence):
            found = re.split(r",\s*(?:and\s+)?|\s+and\s+", m.group("parts"))
            parts += [f.strip(" \"“”'") for f in found if 0 < len(f.split()) <= 8]
    return [
        p for p in dict.fromkeys(parts) if stems(p) or re.search(r"what to do|why|when", p, re.I)
    ]


def write(subject: str, rules: str, persona: Persona, dice: Dice) -> list[str]:
    """Sentences of the answer, paragraphs parted by an empty one."""
    language = forms.read_language(rules)
    tones = forms.read_tones(rules)
    if is_reply(rules):
        return _reply(subject, rules, language, tones, persona, dice)
    return _digest(subject, rules, tones, persona, dice)


def _digest(subject: str, rules: str, tones: list[str], persona: Persona, dice: Dice) -> list[str]:
    source = [_clean(s, tones) for s in sentences(subject)]
    if not source:
        return ["There is no text to work on."]
    parts = asked_parts(rules)
    chosen: list[str] = []
    for part in parts:
        best = max(source, key=lambda s: _fits(part, s, persona))
        if _fits(part, best, persona) > 0 and best not in chosen:
            chosen.append(best)
    if not chosen:
        wanted = 1 if persona.chatter < 0.1 else 2 + round(3 * persona.chatter)
        ranked = sorted(range(len(source)), key=lambda i: -_weight(source[i], i))[:wanted]
        chosen = [source[i] for i in sorted(ranked)]
    if persona.chatter > 0.6 and not forms.nothing_else(rules) and "plain" not in tones:
        chosen.append("Thank you for your patience and understanding.")
    return [s if s[-1:] in ".!?" else s + "." for s in chosen]


def _reply(
    subject: str, rules: str, language: str, tones: list[str], persona: Persona, dice: Dice
) -> list[str]:
    p = _PHRASES[language]
    said = [s for s in sentences(subject) if not _SIGN_OFF.match(s)]
    what = _turned(max(said, key=lambda s: _weight(s, 0), default=""))
    named = re.search(
        r"(?:regards|sincerely|yours|best|thanks),?\s*\n?\s*([A-Z]\w+(?: [A-Z]\w+)?)\s*$", subject
    )
    opening = p["hello" if "friendly" in tones else "dear"].format(
        name=named.group(1) if named else p["customer"]
    )
    first = [opening.replace(" ,", ",")]
    if re.search(r"no (?:greeting|salutation)|without (?:a )?greeting", rules, re.I):
        first = []
    sorry = "apologetic" in tones or re.search(r"complain|apolog|sorry", rules, re.I)
    first += [
        p["sorry_that"].format(what=what)
        if what and sorry and persona.knowledge > 0.5
        else p["sorry"]
        if sorry
        else p["thanks"]
    ]
    if persona.chatter > 0.3 and sorry:
        first.append(p["thanks"])
    middle = [p["passed"]]
    for part in asked_parts(rules):
        best = max(sentences(subject), key=lambda s: _fits(part, s, persona), default="")
        if (
            best
            and _fits(part, best, persona) > 0
            and p["told"].format(what=_turned(best)) not in middle
        ):
            middle.insert(0, p["told"].format(what=_turned(best)))
    offers = persona.chatter + 0.1 > dice.roll("money")
    if offers and not _NO_MONEY.search(rules):
        middle.append(p["money"])
    last = [p["contact"]] if persona.chatter > 0.1 or "friendly" in tones else []
    last.append(p["close_warm" if "friendly" in tones else "close"])
    signed = re.search(
        r"\bsign(?:ed)?(?: it| off)?(?: as| with| by| from)?:?\s+[\"“]?([A-Z][\w ’']+?)[\"”]?(?:[.,\n]|$)",
        rules,
    )
    if signed:
        last.append(signed.group(1))
    return [*first, "", *middle, "", *last]


def _turned(sentence: str) -> str:
    """A sentence of the writer's turned to face them: I becomes you."""
    text = re.sub(r"\b[\w’']+\b", lambda m: _SWAPS.get(m.group(0).lower(), m.group(0)), sentence)
    text = re.sub(r"\byou was\b", "you were", text.strip().rstrip(".!?… "))
    return text[:1].lower() + text[1:] if text[1:2].islower() or text[:2] in ("I ", "A ") else text


def _clean(sentence: str, tones: list[str]) -> str:
    text = re.sub(r"^\s*(?:[-*•]\s*|\d{1,2}[.)]\s+)", "", sentence).strip()
    if "plain" in tones:
        for hard, plain in (
            ("approximately", "about"),
            ("commence", "start"),
            ("due to", "because of"),
            ("pax", "passengers"),
            ("utilise", "use"),
            ("assistance", "help"),
        ):
            text = re.sub(rf"\b{hard}\b", plain, text, flags=re.I)
    if "formal" in tones:
        text = (
            re.sub(r"\bcan't\b", "cannot", re.sub(r"n't\b", " not", text))
            if "can't" not in text
            else text.replace("can't", "cannot")
        )
    return text[:1].upper() + text[1:]


def _weight(sentence: str, place: int) -> float:
    facts = len(re.findall(r"\d+", sentence)) + len(re.findall(r"(?<!^)\b[A-Z][a-z]+", sentence))
    return 0.5 * facts + 0.15 * len(stems(sentence)) - 0.2 * place


def _fits(part: str, sentence: str, persona: Persona) -> float:
    wanted, have = set(stems(part)), set(stems(sentence))
    points = 1.5 * len(wanted & have)
    for word in wanted:
        points += 0.4 * len(associated(word, persona.name, persona.knowledge) & have)
    if re.search(r"\btime|\bwhen|hour|depart|next", part, re.I) and TIME.search(sentence):
        points += 1.5
    if re.search(
        r"what to do|advice|next step|action|instead|option", part, re.I
    ) and _ACTION.search(sentence):
        points += 1.5
    if re.search(r"vessel|ship|name|who|where|place|product", part, re.I) and re.search(
        r"(?<!^)\b[A-Z][a-z]+", sentence
    ):
        points += 0.8
    return points


def within(parts: list[str], limits: list[Limit], persona: Persona, dice: Dice) -> list[str]:
    """The sentences cut down to the limits, as well as this model counts."""
    parts = list(parts)
    for limit in limits:
        if limit.most is None:
            continue
        most = limit.most
        if limit.each:
            if limit.unit in ("word", "character"):
                parts = [_shortened([p], most, limit.unit)[0] if p else p for p in parts]
            continue
        if dice.roll("miscount", limit.unit, most) < persona.miscounts:
            most = round(most * (1.05 + 0.3 * dice.roll("by", limit.unit)))
        if limit.unit in ("sentence", "item", "line", "step"):
            kept, n = [], 0
            for s in parts:
                n += bool(s)
                if n <= most or not s:
                    kept.append(s)
            parts = kept
        elif limit.unit == "paragraph":
            blocks = "\0".join(parts).split("\0\0")
            parts = "\0\0".join(blocks[:most]).split("\0")
        else:
            parts = _shortened(parts, most, limit.unit)
    return parts


def _shortened(parts: list[str], most: int, unit: str) -> list[str]:
    def size(items: list[str]) -> int:
        text = " ".join(i for i in items if i)
        return len(text.split()) if unit == "word" else len(text)

    parts = list(parts)
    while sum(1 for p in parts if p) > 1 and size(parts) > most:
        last = max(i for i, p in enumerate(parts) if p)
        parts.pop(last)
    if size(parts) > most:
        only = next(p for p in parts if p)
        cut = only.split()[:most] if unit == "word" else only[: max(1, most - 1)].split(" ")[:-1]
        parts = [(" ".join(cut)).rstrip(",;:-. ") + "."]
        if unit != "word" and len(parts[0]) > most:
            parts = [parts[0][:most]]
    return parts
