"""Rules about the form of the answer: format, limits that clash, the closing cue."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator

import regex

from nomikon.core.prompts.clauses import Clause
from nomikon.core.prompts.findings.base import NOTE, WARNING, Finding, Fix, Subject, rule
from nomikon.core.prompts.tenor.conflicts import conflicts_of
from nomikon.core.prompts.tenor.lexicon import LEXICONS
from nomikon.core.prompts.tenor.shape import BULLETS, JSON, LABEL, PROSE, TABLE

_FORMAT = re.compile(
    r"\b(?:json|xml|yaml|csv|markdown|table|list|bullets?|bullet points?|one word|single word|"
    r"label|category|only with|nothing else|key|keys|field|fields|format|columns?|yes or no|"
    r"one of|number only|as a number|line)\b",
    re.IGNORECASE,
)
# A list has no keys.
_JSON = re.compile(r"\bjson\b(?!\s+(?:arrays?|lists?|liste|lista))", re.IGNORECASE)
_KEYS = re.compile(
    r"\b(?:keys?|fields?|propert(?:y|ies)|schema)\b|[{\[][^{}]{0,400}\"\w+\"\s*:|\"\w+\"",
    re.IGNORECASE,
)
_BRIEF = re.compile(r"\b(?:brief(?:ly)?|short|concise(?:ly)?|terse(?:ly)?|succinct(?:ly)?)\b", re.I)
_DETAILED = re.compile(
    r"\b(?:detailed|in detail|in depth|in-depth|comprehensive|thorough(?:ly)?|exhaustive|elaborate)\b",
    re.IGNORECASE,
)
# What holds in some cases only, or is thought and not written, does not meet what holds in all.
_ON_A_CONDITION = regex.compile(
    r"(?<!\w)(?:if|when|unless|first|before|silently|wenn|falls|zuerst|si|quand|d[’']abord|cuando|primero|antes)\b",
    regex.IGNORECASE,
)
_NEGATED = re.compile(r"\b(?:not|no|never|without|don't|avoid)\s+(?:\w+\s+){0,2}$", re.IGNORECASE)
_CUE = re.compile(r"(?:^|\n)[ \t]*([A-Za-z][\w /-]{0,30}):[ \t]*$")
_LABELLED = re.compile(r"^[ \t]*([A-Z][\w /-]{0,30}):[ \t]*\S", re.MULTILINE)


@rule("no-format")
def _no_format(subject: Subject) -> Iterator[Finding]:
    told = _FORMAT.search(subject.wording) or subject.example_pairs or "?" in subject.wording
    if subject.task in ("classify", "extract") and not told:
        yield Finding(
            "no-format",
            WARNING,
            "nothing says in what form the answer shall come: a label alone, JSON with named "
            "keys, a list …",
        )


@rule("format-without-keys")
def _format_without_keys(subject: Subject) -> Iterator[Finding]:
    if _KEYS.search(subject.wording) or subject.example_pairs or subject.tenor.output.keys:
        return
    if "response_schema" in subject.settings:
        return
    for clause in subject.instructions:
        match = _JSON.search(clause.text)
        if match and not _NEGATED.search(clause.text[: match.start()]):
            yield Finding(
                "format-without-keys",
                WARNING,
                "JSON is asked for, but neither keys nor an example nor a schema say which",
                **subject.at(clause, match),
            )
            return


@rule("two-lengths")
def _two_lengths(subject: Subject) -> Iterator[Finding]:
    """Intervals that do not meet, parts against the whole."""
    for found in conflicts_of(subject.tenor.limits):
        earlier = found.earlier.words.clause
        where = f" (§ {earlier})" if earlier and earlier != found.later.words.clause else ""
        yield Finding(
            "two-lengths", WARNING, f"{found.why}{where}", **subject.words(found.later.words)
        )


@rule("brief-and-detailed")
def _brief_and_detailed(subject: Subject) -> Iterator[Finding]:
    def first(pattern: re.Pattern[str]) -> tuple[Clause, re.Match[str]] | None:
        for clause in subject.instructions:
            for match in pattern.finditer(clause.text):
                if not _NEGATED.search(clause.text[: match.start()]):
                    return clause, match
        return None

    brief, detailed = first(_BRIEF), first(_DETAILED)
    if brief and detailed:
        yield Finding(
            "brief-and-detailed",
            NOTE,
            f"“{brief[1].group()}” and “{detailed[1].group()}” pull in two directions",
            **subject.at(*max(brief, detailed, key=lambda x: x[0].number)),
        )


@rule("json-and-prose")
def _json_and_prose(subject: Subject) -> Iterator[Finding]:
    for words in subject.tenor.prose:
        yield Finding(
            "json-and-prose",
            WARNING,
            f"“{words.text}” asks for flowing text, and JSON is asked for as well: the answer cannot be "
            "both, and what reads it will stumble",
            **subject.words(words),
        )
        return


@rule("only-and-more")
def _only_and_more(subject: Subject) -> Iterator[Finding]:
    """One thing alone is asked for in one clause, and reasons for it in another."""
    words = LEXICONS.get(subject.tenor.language)
    if words is None or subject.tenor.output.form == JSON:
        return
    only = regex.compile(
        rf"(?<!\w)(?:{words.reply})\b[^.\n]*(?<!\w)(?:{words.only}|alone|allein|seul|solo)\b",
        regex.I,
    )
    more = regex.compile(rf"(?<!\w)(?:{words.explaining})\b", regex.I)
    negated = regex.compile(rf"(?<!\w)(?:{words.negation})\s+(?:\S+\s+){{0,2}}$", regex.I)
    alone = next((c for c in subject.instructions if only.search(c.text)), None)
    if alone is None or more.search(alone.text):
        return
    for clause in subject.instructions:
        found = more.search(clause.text)
        if clause is alone or found is None or negated.search(clause.text[: found.start()]):
            continue
        if _ON_A_CONDITION.search(clause.text):
            continue
        yield Finding(
            "only-and-more",
            WARNING,
            f"§ {alone.number} wants one thing and nothing else, and here reasons are asked for: the answer "
            "cannot be both",
            **subject.at(clause, found),
        )
        return


@rule("limit-unmeasured")
def _limit_unmeasured(subject: Subject) -> Iterator[Finding]:
    if subject.measures is None or {"length", "each-length"} & set(subject.measures):
        return
    for limit in subject.tenor.limits[:1]:
        yield Finding(
            "limit-unmeasured",
            NOTE,
            "no measure of the scorecard checks this limit, so breaking it costs nothing",
            **subject.words(limit.words),
        )


_CUES = {
    JSON: r"json",
    TABLE: r"table|tabelle|tableau|tabla",
    PROSE: r"(?:\w+ )?(?:summary|zusammenfassung|résumé|resumen|essay|letter|brief|lettre|carta)",
    LABEL: r"label|category|class|kategorie|klasse|catégorie|étiquette|categoría|etiqueta",
    BULLETS: r"bullets|bullet points|stichpunkte|puces|viñetas",
}


@rule("cue-against-output")
def _cue_against_output(subject: Subject) -> Iterator[Finding]:
    """The last word before the answer names another form than the one asked for."""
    cue, asked = subject.tenor.cue, subject.tenor.output.form
    if cue is None or not asked:
        return
    named = next(
        (f for f, words in _CUES.items() if re.fullmatch(words, cue.text.strip(), re.IGNORECASE)),
        None,
    )
    if named is not None and named != asked:
        yield Finding(
            "cue-against-output",
            WARNING,
            f"“{cue.text.strip()}” calls for another answer than the {asked} asked for: the last word "
            "before the answer decides much of it",
            **subject.words(cue),
        )


@rule("two-languages")
def _two_languages(subject: Subject) -> Iterator[Finding]:
    first, *others = subject.tenor.answer_languages or ((),)
    for code, words in others:
        if first and code != first[0]:
            yield Finding(
                "two-languages",
                WARNING,
                f"§ {first[1].clause} asks for an answer in another language",
                **subject.words(words),
            )


@rule("closing-cue")
def _closing_cue(subject: Subject) -> Iterator[Finding]:
    """The last word before the answer decides what kind of answer comes."""
    last = subject.messages[-1]
    if last.role != "user":
        return
    cue = _CUE.search(last.content)
    if cue is None:
        return
    name = cue.group(1).strip()
    place = {"message": len(subject.messages) - 1, "start": cue.start(1), "end": cue.end(1)}
    number = next(
        (c.number for c in reversed(subject.clauses) if c.message == place["message"]), None
    )
    # In examples within one text, the line before the next example names the answer.
    labels = [m.group(1).strip() for m in _LABELLED.finditer(last.content[: cue.start(1)])]
    answers = {b for a, b in itertools.pairwise(labels) if labels.count(b) >= 2}
    if len(labels) >= 4 and answers and name not in labels:
        expected = labels[1]
        yield Finding(
            "closing-cue",
            WARNING,
            f"the examples end with “{expected}:”, the input with “{name}:”",
            clause=number,
            fix=Fix(cue.start(1), cue.end(1), expected),
            **place,
        )
    elif subject.task == "classify" and name.lower() in ("answer", "response", "output", "reply"):
        wants = re.search(r"\b(category|label|class|topic|sentiment)\b", subject.wording)
        if wants:
            word = wants.group(1).capitalize()
            yield Finding(
                "closing-cue",
                WARNING,
                f"“{name}:” invites a sentence where a {wants.group(1)} is wanted",
                clause=number,
                fix=Fix(cue.start(1), cue.end(1), word),
                **place,
            )
