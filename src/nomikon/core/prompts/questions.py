"""Open questions: what a brief leaves open, told by rule, and the request that has a model ask.

An answer becomes a fact of the brief and a clause that says it. Nothing here
calls a model.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from nomikon.core.errors import DomainError, PromptError
from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.open_points import OPEN_POINTS, TYPED, clause_for
from nomikon.core.prompts.placeholders import placeholder_names
from nomikon.core.prompts.proposals import ADD, Proposal
from nomikon.core.prompts.tenor import Tenor, read_tenor
from nomikon.core.prompts.tenor.facts import Fact
from nomikon.core.prompts.tenor.lexicon import CHARACTERS, WORDS
from nomikon.core.prompts.tenor.shape import JSON, LABEL, MUST_NOT, TABLE
from nomikon.core.replies import Found, ReplyError, pick, rows_of, text_of

ANSWER = "{answer}"
MOST = 20
LONGEST_ANSWER = 1_000
CHECKED = "check"


def _words(pattern: str) -> re.Pattern[str]:
    return re.compile(rf"(?<!\w)(?:{pattern})(?!\w)", re.I)


@dataclass(frozen=True)
class Question:
    """key: stable, tells it from every other. answers: quick ones. clause: how a prompt says it,
    with {answer} in it. asked_by: `check` or the model's name."""

    key: str
    text: str
    why: str
    answers: tuple[str, ...]
    clause: str
    asked_by: str = CHECKED


# A fallback is a clause with a condition, whatever it says then.
_CONDITION = _words(
    r"if|when|where|unless|in case|wenn|falls|sofern|wo|si|quand|lorsque|cuando|sans|ohne|without"
)
_NOT_SAID = _words(
    r"null|n/a|unknown|missing|empty|not|no|nothing|none|unbekannt|fehl\w*|leer|nicht|kein\w*|nichts|inconnu\w*|vide"
    r"|absent\w*|manqu\w*|pas|aucun\w*|rien|desconocid\w*|vac[ií]\w*|falt\w*|no|ningun\w*|nada|in doubt|unsure|zweifel"
    r"|doute|duda"
)
_UNKNOWN = _words(
    r"null|n/a|unknown|unbekannt|inconnu\w*|desconocid\w*|not (?:given|stated|known|said)"
)
_SEVERAL = _words(
    r"more than one|both|several|mixed|mostly|mainly|main (?:\w+)|primary|two (?:\w+)|all that apply|priority|first one"
    r"|dominant|mehrere\w*|beide\w*|hauptsächlich|vor allem|überwiegend|wichtigste\w*|plusieurs|les deux|surtout"
    r"|principal\w*|varias?|varios|ambas?|ambos|sobre todo|prioridad"
)
_ELSE = _words(
    r"something else|anything else|off[- ]topic|unrelated|irrelevant|not (?:about|an?)|none of|does not fit|other"
    r"|etwas anderes|sonst\w*|themenfremd\w*|andere\w*|autres?|hors sujet|otr[ao]s?|ajen[ao]|fuera de tema"
)
_SAME_LANGUAGE = _words(
    r"same language|language of|in der Sprache|gleichen Sprache|même langue|langue d[eu]|mismo idioma|idioma de"
)
_READERS = _words(
    r"for (?:the |our |a |an )?(?:staff|public|team|desk|crew|colleagues|press)|to (?:the |our )?(?:customers?|guests?)"
)
_NO_READER = (JSON, LABEL, TABLE)


def open_questions(
    job: str, task: str, messages: Sequence[Message], facts: Sequence[Fact] = ()
) -> list[Question]:
    """What neither the job nor the prompt settles, in a fixed order; no model is asked.

    Read are their tenors. facts: what a person put right of the prompt's. task: the brief's kind; a question that does not arise for it is not asked.
    """
    if not job.strip() and not any(m.content.strip() for m in messages):
        return []
    told = [_Told(messages, facts), *([_Told([Message("user", job)])] if job.strip() else [])]
    return [
        Question(p.key, p.text, p.why, p.answers, p.clauses[TYPED][0])
        for p in OPEN_POINTS
        if (not p.tasks or task in p.tasks) and not any(_settles(t, p.key) for t in told)
    ]


class _Told:
    """A text with its tenor and its clauses."""

    def __init__(self, messages: Sequence[Message], facts: Sequence[Fact] = ()) -> None:
        self.tenor: Tenor = read_tenor(messages, facts=facts)
        self.clauses = [c.text for c in clauses_of(messages) if c.kind not in ("example", "pair")]

    def has(self, *patterns: re.Pattern[str]) -> bool:
        """Whether one clause holds all of these."""
        return any(all(p.search(c) for p in patterns) for c in self.clauses)


def _settles(told: _Told, key: str) -> bool:
    """Whether a text says what a question asks for."""
    tenor = told.tenor
    form = tenor.output.form
    by_key = {
        "audience": tenor.audience or form in _NO_READER or told.has(_READERS),
        "length": any(not x.per for x in tenor.limits) or form in (JSON, LABEL),
        "tone": tenor.tone,
        "format": form or tenor.prose or _counts_form(tenor) or told.has(_PLAIN),
        "language": tenor.answer_languages or form in _NO_READER or told.has(_SAME_LANGUAGE),
        "unknown": told.has(_UNKNOWN) or told.has(_CONDITION, _NOT_SAID),
        "several": told.has(_SEVERAL),
        "forbidden": any(r.polarity == MUST_NOT for r in tenor.rules),
        "off-topic": told.has(_ELSE),
    }
    return bool(by_key[key])


def _counts_form(tenor: Tenor) -> bool:
    """Limits that are a form at once: so many lines, bullets, sentences."""
    return any(x.what not in (WORDS, CHARACTERS) for x in tenor.limits)


_PLAIN = _words(
    r"plain text|markdown|einfache\w* Text|Fließtext|texte (?:simple|brut)|texto (?:sencillo|plano)"
)


def clause_of(question: Question, answer: str, language: str = "") -> str:
    """The clause that says an answer, in the prompt's language where the question is one of ours.

    Raises PromptError for an answer that is none.
    """
    text = " ".join(answer.split())
    if not text:
        raise PromptError("there is no answer", field="answer")
    if len(text) > LONGEST_ANSWER:
        raise PromptError(
            f"the answer has {len(text):,} characters; at most {LONGEST_ANSWER:,} are taken",
            field="answer",
        )
    if "{{" in text:
        raise PromptError(
            "an answer holds for every case, so it takes no placeholder", field="answer"
        )
    if question.asked_by == CHECKED and (own := clause_for(question.key, text, language)):
        return own
    body = text.rstrip(".")
    made = question.clause.replace(ANSWER, body)
    return made if made.endswith((".", "!", "?", ":")) else made + "."


def place_for(messages: Sequence[Message]) -> int:
    """After which clause a new rule stands best: the last one before the first input.

    0 is before all. A heading or label right before the input stays with it, and so does one before
    worked examples: what stood between them and the input would be read as part of the last one.
    """
    last = 0
    for clause in clauses_of(messages):
        if placeholder_names([Message("user", clause.text)]):
            return last
        if clause.kind in ("heading", "pair", "example", "fenced") and last:
            continue
        if messages[clause.message].role == "system" or not clause.text.rstrip().endswith(":"):
            last = clause.number
    return last


def proposed_for(question: Question, answer: str, messages: Sequence[Message]) -> Proposal:
    """The amendment an answer asks for: one clause added where rules stand."""
    text = clause_of(question, answer, read_tenor(messages).language)
    reason = f"It was left open: {question.text} Answer: {' '.join(answer.split())}"
    return Proposal(f"q-{question.key}", ADD, place_for(messages), text, reason)


def facts_in_words(answered: Sequence[tuple[str, str]]) -> str:
    """Questions and their answers as they are told to a model, a line each."""
    return "\n".join(f"- {text} {' '.join(answer.split())}" for text, answer in answered)


INSTRUCTION = """\
You prepare a prompt together with its author. Below are the job, what is settled already, and \
the prompt as it stands. Ask what is still open and would change the answers: who reads them, \
length, tone, form, odd or empty inputs, several matters at once, what must never be said, and \
whatever is special to this job. Ask nothing that is settled, nothing twice, and at most six \
questions, the most important first."""

FORM = """\
Reply with one JSON object and nothing else: its key "questions" holds a list of objects with \
the keys "question" (one sentence), "why" (what goes wrong while it is open), "answers" (a list \
of two to four short answers to choose from) and "clause" (the sentence the prompt shall say \
once it is answered, with {answer} where the answer goes)."""

TAIL = """\
Job:
{{job}}

Settled:
{{facts}}

Prompt:
{{prompt}}"""


def question_inputs(
    job: str, answered: Sequence[tuple[str, str]], messages: Sequence[Message]
) -> dict[str, str]:
    """What fills the request."""
    return {
        "job": job.strip() or "(not stated)",
        "facts": facts_in_words(answered) or "- nothing yet",
        "prompt": "\n\n".join(m.content for m in messages) or "(not written yet)",
    }


@dataclass(frozen=True)
class ReadQuestions:
    """What a reply held. refused: by place from 1, what is wrong with it."""

    questions: list[Question]
    refused: list[tuple[int, str]] = field(default_factory=list)
    repaired: list[str] = field(default_factory=list)
    passed_over: list[str] = field(default_factory=list)


_ASKED = ("question", "asks", "ask", "text")
# By these keys a row of a reply is told to be a question.
ASKED = (_ASKED,)


def read_questions(reply: str, asked_by: str, known: Sequence[str] = ()) -> ReadQuestions:
    """Questions from a model's reply. known: texts that were asked before and are not taken again.

    A numbered list of questions in words is read, too. Raises PromptError where the whole cannot
    be read.
    """
    try:
        rows = rows_of(reply, "questions", ("open_questions", "items"), ASKED)
    except ReplyError as error:
        listed = _in_words(reply) if error.kind in ("prose", "no list") else []
        if not listed:
            raise PromptError(str(error), field="text") from error
        rows = Found(listed, ("read from a list in words",))
    found, refused = read_rows(rows.value, asked_by, known)
    return ReadQuestions(found, refused, list(rows.repaired), list(rows.passed_over))


def read_rows(
    rows: Sequence[Any], asked_by: str, known: Sequence[str] = ()
) -> tuple[list[Question], list[tuple[int, str]]]:
    """The questions that rows of a reply ask, and by place from 1 why one is refused."""
    seen = {_plain(text) for text in known}
    found: list[Question] = []
    refused: list[tuple[int, str]] = []
    for place, row in enumerate(rows, 1):
        try:
            if len(found) >= MOST:
                raise PromptError(f"more than {MOST} questions; the rest is left")
            question = _one(row, asked_by)
            if _plain(question.text) in seen:
                raise PromptError("it was asked before")
        except DomainError as error:
            refused.append((place, error.message))
        else:
            seen.add(_plain(question.text))
            found.append(question)
    return found, refused


def _in_words(reply: str) -> list[str]:
    """The items of a list in words, where each is a question and there are at least two."""
    items = re.findall(r"^[ \t]*(?:\d{1,2}[.)]|[-*•])[ \t]+(.+)$", reply, re.M)
    asked = [re.sub(r"\*\*", "", i).strip() for i in items]
    return asked if len(asked) >= 2 and all("?" in i for i in asked) else []


def _plain(text: str) -> str:
    return " ".join(re.findall(r"\w+", text.casefold()))


def _one(row: Any, asked_by: str) -> Question:
    if isinstance(row, str) and row.rstrip().endswith("?"):
        row = {"question": row}
    if not isinstance(row, dict):
        raise PromptError("not an object")
    text = text_of(pick(row, *_ASKED))
    if not text.strip():
        raise PromptError("it asks nothing")
    answers = pick(row, "answers", "options", "choices", "suggestions")
    if isinstance(answers, str):
        answers = re.split(r"\s*[;|/]\s*|\n+[-*]?\s*", answers)
    taken = answers if isinstance(answers, list) else []
    short = (text_of(a) for a in taken)
    quick = tuple(dict.fromkeys(" ".join(a.split())[:120] for a in short if a.strip()))
    clause = text_of(pick(row, "clause", "sentence", "wording"))
    # One brace too many or too few on a side is still the hole that was asked for.
    clause = re.sub(r"\{+\s*answer\s*\}+", ANSWER, clause)
    worded = clause if ANSWER in clause and "{{" not in clause else ""
    asked = " ".join(text.split())[:300]
    # Without words of its own the clause says the question's subject and the answer.
    said = " ".join(worded.split())[:400] or f"{asked.rstrip('?.!')}: {ANSWER}."
    reason = " ".join(text_of(pick(row, "why", "reason", "because")).split())[:300]
    return Question(_key(asked), asked, reason, quick[:6], said, asked_by)


def _key(text: str) -> str:
    return "asked-" + "-".join(_plain(text).split())[:70]
