"""Reading a prompt: its tenor, by rule."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from typing import Any

import regex

from nomikon.core.prompts.clauses import Clause
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.tenor.facts import Fact, with_facts
from nomikon.core.prompts.tenor.lexicon import Lexicon
from nomikon.core.prompts.tenor.limits import limits_of
from nomikon.core.prompts.tenor.output import output_of
from nomikon.core.prompts.tenor.shape import MUST, MUST_NOT, Input, Output, Said, Tenor, Words
from nomikon.core.prompts.tenor.signs import signs_of
from nomikon.core.prompts.tenor.text import PromptText, tags_of

_CUE = regex.compile(r"(?:^|\n)[ \t]*(?P<cue>[\p{L}][\p{L}\p{N} /()_-]{0,40})(?::|->|→|=>)[ \t]*$")
_EDITING = regex.compile(
    r"\b(?:TODO|FIXME|TBD|TBC|XXX|WIP)\b|\bnote to self\b|\binternal note\b|\binterne notiz\b|\bnote interne\b|\bnota interna\b|\bremove before\b|\blorem ipsum\b|\?\?\?|(?<!\w)(?:version|option|variant|variante) [AB12]:",
    regex.IGNORECASE,
)
_BRACKETED = r"(?:\[[^\]\n]{{0,60}}\b(?:{0})\b[^\]\n]{{0,60}}\]|<(?:{0})\b[^>\n]{{0,60}}>)"
_PENDING = regex.compile(
    r"^[ \t]*(?:pendiente|à faire|noch offen|offen|to do|open question|unresolved)\b[ \t]*:[^\n]*",
    regex.IGNORECASE | regex.MULTILINE,
)
_MARK_BEFORE = regex.compile(
    r"(?P<mark>\"\"\"|'''|```\w*|<<<+|\[\[|««?|###+|\*\*\*+|---+|===+|~~~+|<[\p{L}][\w-]*>|[\"“„«`|])\s*$"
)
_MARK_AFTER = regex.compile(
    r"^\s*(?P<mark>\"\"\"|'''|```|>>>+|\]\]|»»?|###+|\*\*\*+|---+|===+|~~~+|</[\p{L}][\w-]*>|[\"”“»`|])"
)
_TAG = regex.compile(r"<(?P<shut>/?)(?P<name>[\p{L}][\w-]*)>")
# An item that names something and says what it is: a key, a class.
_NAMED = regex.compile(r"^\W*[\"“`]?[\p{L}_][\w ]{0,30}[\"”`]?[ \t]*(?:[:=(]|[–—-][ \t])")
_CONDITION = regex.compile(
    r"(?<!\w)(?:if|when|wenn|falls|si|cuando|from|aus|de l[’'])\b", regex.IGNORECASE
)
_ALIKE = ('"""', "'''")
_ANSWER_IN = {
    "en": (r"(?:in|into|to) (?:\w+ )?(?P<l>English|German|French|Spanish)", {"english": "en", "german": "de", "french": "fr", "spanish": "es"}),
    "de": (r"(?:auf|ins|in) (?P<l>Englisch\w*|Deutsch\w*|Französisch\w*|Spanisch\w*)", {"englisch": "en", "deutsch": "de", "französisch": "fr", "spanisch": "es"}),
    "fr": (r"en (?P<l>anglais|allemand|français|espagnol)", {"anglais": "en", "allemand": "de", "français": "fr", "espagnol": "es"}),
    "es": (r"(?:en|al) (?P<l>inglés|alemán|francés|español)", {"inglés": "en", "alemán": "de", "francés": "fr", "español": "es"}),
}  # fmt: skip


def read_tenor(
    messages: Sequence[Message],
    settings: Mapping[str, Any] | None = None,
    kind: str = "other",
    language: str = "",
    facts: Sequence[Fact] = (),
) -> Tenor:
    """What a prompt asks for, as far as rules can tell; linear in its length.

    kind: of the task, as its brief says. language: one of LEXICONS where it is known; a short text
    does not tell it. facts: what a person put right. Raises PlaceholderSyntaxError for text that is no valid
    Mustache.

    >>> read_tenor([Message('user', 'Sum the letter up in at most 40 words.')]).limits[0].high
    40
    """
    text = PromptText(messages, language)
    schema = (settings or {}).get("response_schema")
    output, beside, prose = output_of(text, schema)
    words = text.lexicon
    languages = _answer_languages(text)
    read = Tenor(
        language=text.language,
        kind=kind,
        task=_task(text),
        role=_whole_clause(text, _one(text, words.role if words else None)),
        audience=_one(text, words.audience if words else None),
        tone=_one(text, words.tone if words else None),
        answer_language=languages[0][0] if languages else "",
        answer_languages=tuple(languages),
        inputs=tuple(_inputs(text)),
        output=output,
        limits=tuple(limits_of(text)),
        rules=tuple(_rules(text, words, output)) if words else (),
        signs=tuple(signs_of(text)),
        examples=tuple(text.examples),
        cue=_cue(text),
        left_overs=tuple(_left_overs(text)),
        beside_the_list=tuple(beside),
        prose=tuple(prose),
        unclosed=tuple(_unclosed(text)),
    )
    return with_facts(read, facts, text) if facts else read


def _compiled(pattern: str) -> regex.Pattern[str]:
    return regex.compile(rf"(?<!\w)(?:{pattern})\b", regex.IGNORECASE)


def _one(text: PromptText, pattern: str | None) -> Words | None:
    return next(text.find(_compiled(pattern)), None) if pattern else None


def _whole_clause(text: PromptText, found: Words | None) -> Words | None:
    """A role is all that its clause says of it."""
    clause = next((c for c in text.clauses if found and c.number == found.clause), None)
    if clause is None:
        return None
    return Words(clause.message, clause.start, clause.end, clause.text, clause.number)


def _task(text: PromptText) -> Words | None:
    """The first clause that instructs and is neither a role nor a heading."""
    role = _compiled(text.lexicon.role) if text.lexicon else None
    first = None
    for clause, said in text.bare_clauses():
        plain = regex.sub(r"\{\{.*?\}\}|[#*_>\"]", "", said).strip()
        if clause.kind == "heading" or len(plain.split()) < 2:
            continue
        words = Words(clause.message, clause.start, clause.end, clause.text, clause.number)
        if role is None or not role.match(plain):
            return words
        first = first or words
    return first


def _rules(text: PromptText, words: Lexicon, output: Output) -> Iterator[Said]:
    """Clauses that forbid, and those that say something must be."""
    forbids = regex.compile(rf"^\W*(?:\d+[.)]\s*)?(?:{words.never_start})", regex.IGNORECASE)
    demands = _compiled(f"{words.must}|{words.only}")
    # What a list defines, labels or keys, is no rule of its own.
    defined = {x.words.clause for x in output.labels}
    clauses = list(text.bare_clauses())
    for number, (clause, said) in enumerate(clauses):
        if clause.kind not in ("sentence", "list-item") or clause.number in defined:
            continue
        place = Words(clause.message, clause.start, clause.end, clause.text, clause.number)
        if forbids.search(said):
            yield Said(MUST_NOT, place, _instead(clauses[number : number + 2], words))
        elif demands.search(said) or (clause.kind == "list-item" and not _NAMED.match(said)):
            yield Said(MUST, place)


def _instead(clauses: Sequence[tuple[Clause, str]], words: Lexicon) -> Words | None:
    """What stands in the place of what a clause forbids: in the same clause, or as the next one's word.

    clauses: the one that forbids and the one after it.
    """
    own, text = clauses[0]
    then = rf"(?:{words.instead})\b"
    # "…; say null instead", "…, but rather say null", "…, sondern null".
    after = rf"[;,:–—]\s*(?:\p{{L}}{{1,4}}\s+)?{then}[\s,]*(?P<after>[^;]+?)"
    before = rf"[;,:–—]\s*(?P<before>[^;,:]+?)\s+{then}"
    within = rf"[;,:–—]\s*(?P<within>[^;,:]+?\s+{then}\s+[^;]+?)"
    found = _whole(rf"(?:{after}|{before}|{within})\s*[.!]?\s*$").search(text)
    if found:
        return _part(own, found)
    if len(clauses) < 2 or clauses[1][0].message != own.message:
        return None
    # The next sentence has the word somewhere: all of it is what to do.
    following, text = clauses[1]
    found = _whole(rf"^\s*(?:[-*•]\s*)?(?P<after>(?=.*(?<!\w){then}).+?)\s*[.!]?\s*$").search(text)
    return _part(following, found) if found else None


@lru_cache(maxsize=16)
def _whole(pattern: str) -> regex.Pattern[str]:
    return regex.compile(pattern, regex.IGNORECASE)


def _part(clause: Clause, found: regex.Match[str]) -> Words:
    group = next(name for name, said in found.groupdict().items() if said)
    start, end = found.span(group)
    return Words(
        clause.message, clause.start + start, clause.start + end, found[group], clause.number
    )


def _inputs(text: PromptText) -> Iterator[Input]:
    seen = set()
    for index, content in enumerate(text.contents):
        for start, end, name in tags_of(content):
            if name in seen:
                continue
            seen.add(name)
            before, after = (
                _MARK_BEFORE.search(content[:start][-60:]),
                _MARK_AFTER.match(content[end:]),
            )
            marks = (before["mark"], after["mark"]) if before and after else ("", "")
            yield Input(name, marks, text.words(index, start, end))


def _cue(text: PromptText) -> Words | None:
    """The last word before the answer, where it names what comes."""
    if not text.messages or text.messages[-1].role != "user":
        return None
    index = len(text.messages) - 1
    found = _CUE.search(text.contents[index].rstrip())
    return found and text.words(index, *found.span("cue"))


def _answer_languages(text: PromptText) -> list[tuple[str, Words]]:
    """Languages that clauses about the answer name; what is translated, or asked for on a condition, apart."""
    if text.lexicon is None or text.language not in _ANSWER_IN:
        return []
    pattern, codes = _ANSWER_IN[text.language]
    reply = _compiled(
        f"{text.lexicon.reply}|{text.lexicon.writing}|translate|übersetze|traduis|traduce"
    )
    found = []
    for words in text.find(regex.compile(rf"(?<!\w){pattern}\b", regex.IGNORECASE), group="l"):
        clause = next(c for c in text.clauses if c.number == words.clause)
        if not reply.search(clause.text) or _CONDITION.search(clause.text):
            continue
        said = words.text.casefold()
        found.append((next(code for name, code in codes.items() if said.startswith(name)), words))
    return found


def language_named(said: str, language: str) -> str:
    """The language that words in a language name as that of an answer; "" for none."""
    pattern, codes = _ANSWER_IN[language]
    found = regex.search(rf"(?<!\w){pattern}\b", said, regex.IGNORECASE)
    named = found["l"].casefold() if found else ""
    return next((code for name, code in codes.items() if named.startswith(name)), "")


def _left_overs(text: PromptText) -> Iterator[Words]:
    """Marks of editing, in the words of the prompt's language and of English."""
    told = "|".join(dict.fromkeys([text.lexicon.left_over] if text.lexicon else []))
    patterns = [_EDITING, _PENDING]
    if told:
        patterns.append(regex.compile(_BRACKETED.format(told), regex.IGNORECASE))
    for clause in text.clauses:
        if clause.kind == "example":
            continue
        for pattern in patterns:
            for match in pattern.finditer(clause.text):
                start, end = match.span()
                yield Words(
                    clause.message,
                    clause.start + start,
                    clause.start + end,
                    match.group(),
                    clause.number,
                )


def _unclosed(text: PromptText) -> Iterator[Words]:
    """Marks around an input that open and never close; the rest is read all the same."""
    for index, content in enumerate(text.contents):
        for mark in _ALIKE:
            places = [m.start() for m in regex.finditer(regex.escape(mark), content)]
            if len(places) % 2:
                yield text.words(index, places[-1], places[-1] + len(mark))
        opened = list(regex.finditer(r"<<<+", content))
        closed = len(list(regex.finditer(r">>>+", content)))
        if len(opened) > closed:
            yield text.words(index, *opened[-1].span())
        yield from _open_tags(text, index, content)


def _open_tags(text: PromptText, index: int, content: str) -> Iterator[Words]:
    tags = list(_TAG.finditer(content))
    shut = {m["name"] for m in tags if m["shut"]}
    for match in tags:
        if match["shut"] or match["name"] in shut:
            continue
        # A tag on a line of its own with an input under it opens something; others may be a blank to fill.
        line = content[: match.start()].rsplit("\n", 1)[-1]
        after = content[match.end() :].split("\n", 1)
        alone = not line.strip() and not after[0].strip()
        if alone and len(after) > 1 and "{{" in after[1][:200]:
            yield text.words(index, *match.span())
