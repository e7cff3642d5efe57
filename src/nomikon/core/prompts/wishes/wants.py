"""A wish in words, read as what the prompt shall ask for; no model is asked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import regex

from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.tenor import Tenor, read_tenor
from nomikon.core.prompts.tenor.label_ways import QUOTED
from nomikon.core.prompts.tenor.lexicon import BULLETS, LEXICONS
from nomikon.core.prompts.tenor.read import language_named
from nomikon.core.prompts.tenor.shape import BULLETS as BULLET_LIST
from nomikon.core.prompts.tenor.shape import JSON, LABEL, TABLE, Limit
from nomikon.core.prompts.tenor.text import tags_of
from nomikon.core.prompts.wishes.sayings import SAYINGS

LONGEST_WISH, MOST_WISHES = 500, 20
_SIGNS = " \t\"'“”„«»`.,;:!()"
# The prompt as such: to translate or shorten it takes more than a rule.
_ITSELF = regex.compile(r"\b(?:the|this|den|diesen|le|ce|el|este) prompt\b", regex.IGNORECASE)
_LATER = regex.compile(
    r"^\s*(?:as|to|among|from|in|at|and|which|that|als|zu|aus|en|à|a|de|des|aux|las?|los?|categories|list)\b",
    regex.IGNORECASE,
)


# Words of a wish that says no more than that an input is to be used.
USES = 1
_USES = (
    r"^\W*(?:(?:please|it|we|also|bitte|auch) )*(?:use|add|include|needs?|take|verwende|nutze|füge|braucht|utilise|"
    r"ajoute|usa|añade|necesita)\b(?!.*\b(?:in|for|to|as|by|for|für|als|pour|como)\s+\w+\s+\w)"
)
# A wish may be read in a language that is not its own: what is ruled out in any is ruled out.
_NO = "|".join(x.negation for x in LEXICONS.values())


@dataclass(frozen=True)
class Want:
    """What a wish asks for; what is empty it does not speak of.

    language: the wish's own. adds: a label with its definition. rule: the wish itself where it is a
    sentence that a prompt may say as it stands. goes: `limit`, `examples` or `rule` where one is to be
    struck.
    """

    text: str
    language: str
    limits: tuple[Limit, ...] = ()
    labels: tuple[str, ...] = ()
    adds: tuple[str, str] = ("", "")
    drops: tuple[str, ...] = ()
    keys: tuple[str, ...] = ()
    form: str = ""
    columns: tuple[str, ...] = ()
    answer_language: str = ""
    tone: str = ""
    inputs: tuple[str, ...] = ()
    rule: str = ""
    goes: str = ""

    @property
    def is_told(self) -> bool:
        """Whether a rule can tell what is meant."""
        parts = (
            self.limits, self.labels, self.adds[0], self.drops, self.keys, self.form,
            self.columns, self.answer_language, self.tone, self.inputs, self.rule, self.goes,
        )  # fmt: skip
        return any(parts)


@lru_cache(maxsize=128)
def _made(pattern: str) -> regex.Pattern[str]:
    return regex.compile(pattern, regex.IGNORECASE)


def want_of(wish: str, tenor: Tenor) -> Want:
    """The wish as it is best read: in the language of the prompt, else in another that is known.

    tenor: of the prompt that is to be changed.
    """
    own = tenor.language or "en"
    told = read_tenor([Message("user", wish)]).language
    order = dict.fromkeys(x for x in (told, own, *SAYINGS) if x)
    read = [_read(wish, tenor, language) for language in order]
    return next((w for w in read if w.is_told), read[0])


def _read(wish: str, tenor: Tenor, language: str) -> Want:
    words, sayings = LEXICONS[language], SAYINGS[language]
    said = _made(rf"^(?:\s*(?:{sayings.asks})\b[\s,]*)+|\s*\b(?:please|bitte|por favor)\b\s*$").sub(
        "", wish.strip()
    )
    if _ITSELF.search(said):
        return Want(wish, language)
    own = read_tenor([Message("user", said)], language=language)
    goes = _going(said, own.limits, language)
    if goes:
        return Want(wish, language, goes=goes)
    # More than the use of an input ("greet {{guest}} by name") is a rule that brings it in itself.
    bare = regex.sub(r"\{\{.*?\}\}", " ", said)
    names = dict.fromkeys(name for _, _, name in tags_of(said))
    inputs = tuple(names) if len(bare.split()) <= USES or _made(_USES).search(bare) else ()
    drops = _dropped(said, tenor, language)
    adds = ("", "") if drops else _added(said, tenor, language)
    labels = tuple(x.label for x in own.output.labels)
    changes_list = bool(adds[0] or drops)
    form = "" if changes_list or own.output.form == LABEL else own.output.form
    if form == BULLET_LIST and any(x.what == BULLETS for x in own.limits):
        form = ""
    keys = tuple(k.name for k in own.output.keys) if form == JSON else ()
    if not keys and not changes_list and (form == JSON or tenor.output.form == JSON):
        keys = _named_with(said) or _one_key(said, language)
        form = JSON if keys else form
    if _made(rf"(?<!\w)(?:{_NO})\s+JSON\b").search(said):
        # What is to stand in its place is for a person to say.
        return Want(wish, language)
    answer_language = language_named(said, language)
    tone = _tone(said, language)
    want = Want(
        wish, language,
        limits=() if changes_list else own.limits,
        labels=() if changes_list or len(labels) < 2 else labels,
        adds=adds, drops=drops, keys=keys, form=form,
        columns=own.output.columns if form == TABLE else (),
        answer_language=answer_language, tone=tone, inputs=inputs,
    )  # fmt: skip
    if want.is_told:
        return want
    if _made(rf"^\W*(?:{sayings.adds}|{sayings.drops})\b").search(said):
        return want
    starts = _made(
        rf"^\W*(?:{words.reply}|{words.writing}|{words.never_start}|{words.must}|{sayings.orders})\b"
    )
    conditional = _made(r"^\W*(?:if|when|where|wenn|falls|si|cuando|quand|lorsque)\b.+,")
    if len(said.split()) > 1 and (starts.search(said) or conditional.search(said) or own.signs):
        return Want(wish, language, rule=_sentence(said))
    return want


def _going(said: str, limits: Sequence[Limit], language: str) -> str:
    """What a wish would have struck: a limit, the examples, a rule; "" for none of them."""
    sayings, words = SAYINGS[language], LEXICONS[language]
    away = rf"(?<!\w)(?:{sayings.drops}|{words.negation})\s+(?:\p{{L}}+\s+){{0,2}}?"
    if not limits and _made(rf"{away}(?:{sayings.limits})\s*$").search(said):
        return "limit"
    if _made(rf"{away}(?:{sayings.examples})\b").search(said):
        return "examples"
    if _made(rf"(?<!\w)(?:{sayings.drops})\b.*?\b(?:{sayings.rules})\b").search(said):
        return "rule"
    return ""


def _one_key(said: str, language: str) -> tuple[str, ...]:
    """A key that is to come in: another key currency, add total_tax to the keys."""
    sayings, keys = SAYINGS[language], LEXICONS[language].keys
    name = r"[\"“`']?(?P<name>[\p{L}_][\w-]*)[\"”`']?"
    if not _made(rf"(?<!\w)(?:{sayings.adds})\b").search(said):
        return ()
    for pattern in (
        rf"(?<!\w)(?:{keys})\s+(?:(?:{sayings.called})\s+)?{name}",
        rf"^\W*(?:{sayings.adds})\s+{name}\s+.*\b(?:{keys}|JSON)\b",
    ):
        found = _made(pattern).search(said)
        if found and not _LATER.match(found["name"]):
            return (found["name"],)
    return ()


def _sentence(said: str) -> str:
    text = " ".join(said.split())
    text = text[:1].upper() + text[1:]
    return text if text.endswith((".", "!", "?", ":", '."', ".”")) else text + "."


def _dropped(said: str, tenor: Tenor, language: str) -> tuple[str, ...]:
    """Labels of the prompt that a wish takes out of the list."""
    if not _made(rf"(?<!\w)(?:{SAYINGS[language].drops})\b").search(said):
        return ()
    return tuple(
        x.label
        for x in tenor.output.labels
        if _made(rf"(?<!\w){regex.escape(x.label)}(?!\w)").search(said)
    )


def _added(said: str, tenor: Tenor, language: str) -> tuple[str, str]:
    """One more label, with what it means, where the wish gives it."""
    sayings, words = SAYINGS[language], LEXICONS[language]
    if not tenor.output.labels:
        return "", ""
    if not _made(rf"(?<!\w)(?:{sayings.adds})\b").search(said):
        return "", ""
    quoted = [m.group().strip(_SIGNS) for m in QUOTED.finditer(said)]
    named = _made(
        rf"(?<!\w)(?:{words.labels})\s+(?:(?:{sayings.called})\s+)?(?P<name>[^\n:]{{1,60}})(?::\s*(?P<told>.+))?$"
    ).search(said)
    if not named and not quoted:
        return "", ""
    told = (named["told"] or "").strip() if named else ""
    name = quoted[0] if quoted else _without_verbs(named["name"] if named else "", language)
    if not name or len(name.split()) > 4 or _LATER.match(name):
        return "", ""
    return name, told


def _without_verbs(said: str, language: str) -> str:
    text = _made(rf"\s*(?<!\w)(?:{SAYINGS[language].adds})\b\s*").sub(" ", said)
    return str(text).strip(_SIGNS)


def _named_with(said: str) -> tuple[str, ...]:
    """Keys named after *with* in a wish: a JSON object with invoice_number and total."""
    found = _made(r"\bJSON\b.*?\b(?:with|containing|mit|avec|con)\b\s+(?P<list>.+)$").search(said)
    if not found:
        return ()
    names = [
        n.strip(_SIGNS)
        for n in _made(r"\s*,\s*|\s+(?:and|und|et|y)\s+").split(found["list"])
        if n.strip(_SIGNS)
    ]
    return tuple(names) if all(regex.fullmatch(r"[\p{L}_][\w-]{0,40}", n) for n in names) else ()


def _tone(said: str, language: str) -> str:
    """The manner asked for, as a word of the wish's language; "" where less of one is wanted."""
    sayings = SAYINGS[language]
    if _made(rf"(?<!\w)(?:{sayings.less})\b").search(said):
        return ""
    return next((t for t in sayings.tones if _made(_form_of(t)).search(said)), "")


def _form_of(tone: str) -> str:
    """A word of tone in its forms; plain text and plain English are no tone."""
    stem = rf"{tone[:-1]}(?:y|ie[rs]t?)" if tone.endswith("y") else rf"{tone}\w{{0,4}}"
    return rf"(?<!\w){stem}\b(?!\s+(?:text|English))"


def said_tones(text: str, language: str) -> Sequence[tuple[int, int]]:
    """Where words of tone stand in a text, as start and end."""
    tones = "|".join(_form_of(t) for t in SAYINGS[language].tones)
    return [m.span() for m in _made(tones).finditer(text)]
