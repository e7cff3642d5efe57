"""Rules about what goes in: placeholders, columns, and telling input from instruction."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterator

from nomikon.core.prompts.findings.base import ERROR, NOTE, WARNING, Finding, Fix, Subject, rule
from nomikon.core.prompts.placeholders import find_tags, fit_columns

# Names under which whole texts come in, as against a word or two.
_TEXTS = frozenset(
    "article body comment complaint content conversation description document email feedback "
    "input letter log mail message note notes paragraph passage post report review story text "
    "ticket transcript question query request answer complaint feedback nachricht anfrage frage antwort "
    "meldung brief mail bericht beschreibung texte courriel avis commentaire demande réponse article "
    "mensaje texto correo consulta pregunta comentario noticia reseña respuesta".split()
)
LONG_VALUE = 200
# What marks off an input: it stands alone, after a label, or between marks.
_LABEL = re.compile(r"[:<„“«>\])}»”\"'`|*#=-][ \t]*$")


# So many unread columns are called by their names.
MOST_NAMED = 8


@rule("placeholder-without-column")
def _placeholder_without_column(subject: Subject) -> Iterator[Finding]:
    if subject.columns is None:
        return
    unfilled = fit_columns(subject.messages, subject.columns).unfilled
    for index, message in enumerate(subject.messages):
        for tag in find_tags(message.content):
            if tag.kind != "variable" or tag.name not in unfilled:
                continue
            close = difflib.get_close_matches(tag.name, subject.columns, 1, 0.6)
            yield Finding(
                "placeholder-without-column",
                ERROR,
                f"no column of the cases is called {tag.name}, so nothing would fill it",
                index,
                None,
                tag.start,
                tag.end,
                Fix(tag.start, tag.end, "{{" + close[0] + "}}") if close else None,
            )


@rule("column-unused")
def _column_unused(subject: Subject) -> Iterator[Finding]:
    if subject.columns is None or not subject.names:
        return
    unused = fit_columns(subject.messages, subject.columns).unused
    if len(unused) == 1:
        text = f"the cases have a column {unused[0]} that the prompt never reads"
        yield Finding("column-unused", NOTE, text)
    elif unused:
        # One note for all of them: a sheet of twenty columns is no twenty faults.
        names = ", ".join(unused[:MOST_NAMED])
        more = f" and {len(unused) - MOST_NAMED} more" if len(unused) > MOST_NAMED else ""
        text = f"the cases have {len(unused)} columns that the prompt never reads: {names}{more}"
        yield Finding("column-unused", NOTE, text)


@rule("no-placeholder")
def _no_placeholder(subject: Subject) -> Iterator[Finding]:
    if subject.columns and not subject.names:
        yield Finding(
            "no-placeholder",
            WARNING,
            "there are cases, but no placeholder takes anything from them: every call would be "
            f"the same; write {{{{{subject.columns[0]}}}}} where the input belongs",
        )


def _is_text(subject: Subject, name: str) -> bool:
    if name in subject.longest:
        return subject.longest[name] > LONG_VALUE
    return name.lower().split(".")[-1].split("_")[-1] in _TEXTS


@rule("input-not-fenced")
def _input_not_fenced(subject: Subject) -> Iterator[Finding]:
    for clause in subject.clauses:
        if clause.kind not in ("sentence", "list-item"):
            continue
        content = subject.messages[clause.message].content
        for tag in find_tags(clause.text):
            if tag.kind != "variable" or not _is_text(subject, tag.name):
                continue
            start, end = clause.start + tag.start, clause.start + tag.end
            before = content[:start].rsplit("\n", 1)[-1]
            after = content[end:].split("\n", 1)[0]
            marked_off = not before.strip() or _LABEL.search(before)
            if marked_off and not re.match(r"[ \t]*\w", after):
                continue
            yield Finding(
                "input-not-fenced",
                WARNING,
                f"{tag.name} runs on in the middle of an instruction: a text that holds an "
                "instruction of its own could be obeyed; put it on a line of its own after a "
                "label, or between marks",
                clause.message,
                clause.number,
                start,
                end,
            )


@rule("instructions-after-input")
def _instructions_after_input(subject: Subject) -> Iterator[Finding]:
    """Only where nothing before the input says what is to be done with it."""
    seen_instruction = False
    instructing = {c.number for c in subject.instructions}
    for clause in subject.clauses:
        tags = [t for t in find_tags(clause.text) if t.kind == "variable"]
        long_input = any(_is_text(subject, t.name) for t in tags)
        if clause.number in instructing and not long_input:
            seen_instruction = True
        if long_input and not seen_instruction:
            later = [c for c in subject.instructions if c.number > clause.number]
            if later:
                yield Finding(
                    "instructions-after-input",
                    WARNING,
                    "the input comes first and the instruction after it: with a long input it is "
                    "easily lost; say first what is to be done",
                    **subject.at(later[0]),
                )
            return


@rule("task-in-system")
def _task_in_system(subject: Subject) -> Iterator[Finding]:
    if not any(m.role == "user" for m in subject.messages):
        return
    for clause in subject.clauses:
        if subject.messages[clause.message].role != "system":
            continue
        for tag in find_tags(clause.text):
            if tag.kind == "variable" and _is_text(subject, tag.name):
                yield Finding(
                    "task-in-system",
                    NOTE,
                    f"{tag.name} stands in the system message: what changes from case to case "
                    "belongs in a user message, the standing rules stay here",
                    clause.message,
                    clause.number,
                    clause.start + tag.start,
                    clause.start + tag.end,
                )


# Words for the one text that comes in, as far as a prompt may call it several names.
_CALLED = re.compile(
    r"\b(?:the|this|following|given|each|every)\s+(?:\w+\s+)?"
    r"(message|text|comment|e-?mail|review|note|post|article|ticket|letter|passage|document)\b",
    re.IGNORECASE,
)


@rule("several-names")
def _several_names(subject: Subject) -> Iterator[Finding]:
    if len(subject.names) != 1:
        return
    first: str | None = None
    for clause in subject.instructions:
        for match in _CALLED.finditer(clause.text):
            word = match.group(1).lower().replace("-", "")
            if first is None:
                first = word
            elif word != first:
                start, end = match.span(1)
                yield Finding(
                    "several-names",
                    NOTE,
                    f"the input is called {first} before and {word} here: one thing, one name",
                    clause.message,
                    clause.number,
                    clause.start + start,
                    clause.start + end,
                    Fix(clause.start + start, clause.start + end, first),
                )
                return
