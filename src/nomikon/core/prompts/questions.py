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
from nomikon.core.prompts.placeholders import placeholder_names
from nomikon.core.prompts.proposals import ADD, Proposal
from nomikon.core.replies import Found, ReplyError, pick, rows_of, text_of

ANSWER = "{answer}"
MOST = 20
LONGEST_ANSWER = 1_000
CHECKED = "check"


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


@dataclass(frozen=True)
class _Check:
    question: Question
    said: re.Pattern[str]
    tasks: tuple[str, ...] = ()


def _check(
    key: str, text: str, why: str, answers: str, clause: str, said: str, tasks: str = ""
) -> _Check:
    question = Question(key, text, why, tuple(a.strip() for a in answers.split("|")), clause)
    return _Check(question, re.compile(said, re.I), tuple(tasks.split()))


# What people most often leave open. `said` tells that the job or the prompt settles it already.
_CHECKS = (
    _check(
        "audience", "Who reads the answer?", "Nothing says for whom it is written.",
        "people who know the subject|people who do not know it|colleagues who are in a hurry|a program",
        "Write for {answer}.",
        r"\b(?:audience|reader\w*|written for|write for|(?:for|to) (?:the |our |a |an )?(?:staff|passengers?|"
        r"customers?|public|colleagues|experts|children|beginners|team|clients?|desk)\b|JSON)",
        "summarise rewrite write converse other",
    ),
    _check(
        "length", "How long may the answer be?", "Nothing limits its length.",
        "one sentence|at most 50 words|at most 150 words|as long as it needs to be",
        "Keep the answer to this length: {answer}.",
        r"\b(?:\d+|one|two|three|four|five|six|single|few)[\s-]+(?:short\s+)?(?:characters?|words?|"
        r"sentences?|lines?|paragraphs?|bullets?|points?|tokens?)\b|\bat most\b|\bJSON\b|\bone of\b|"
        r"\bnothing else\b|\bonly the (?:label|category|value|number|name)\b",
    ),
    _check(
        "tone", "In what tone?", "Nothing says how it shall sound.",
        "plain and factual|friendly|formal|warm but brief", "Keep the tone {answer}.",
        r"\b(?:tone|friendly|formal|polite\w*|plain|warm|neutral|house style|sober|casual)\b",
        "rewrite write converse",
    ),
    _check(
        "format", "In which form shall the answer come?", "Nothing names a form.",
        "plain text|a JSON object|a list, one point a line|a table", "Give the answer as {answer}.",
        r"\b(?:JSON|XML|YAML|CSV|table|bullet\w*|list of|one of|plain text|markdown|paragraphs?|"
        r"sentences?|only the|nothing else|form of)\b",
    ),
    _check(
        "language", "In which language?", "Inputs may come in another language than is wanted.",
        "the language of the input|English|always the same, whatever comes in",
        "Answer in {answer}.",
        r"\b(?:English|German|French|Spanish|Italian|language of|same language|JSON|translat\w*)\b",
        "summarise rewrite write converse",
    ),
    _check(
        "unknown", "What if the input does not say what is wanted?",
        "Without a rule a model fills the gap by guessing.",
        "say that it is not known|leave it empty|use null|ask back",
        "Where the input does not say it: {answer}.",
        r"\b(?:null|unknown|not (?:said|known|stated|given|named|mentioned)|missing|if (?:nothing|none|"
        r"it does not)|leave (?:it |them )?(?:out|empty)|n/a|does not say|when in doubt)\b",
        "extract classify summarise other",
    ),
    _check(
        "several", "What if more than one fits?", "An input may hold two matters at once.",
        "the more urgent one|the one named first|the one it is mostly about|all of them",
        "If more than one fits, give {answer}.",
        r"\b(?:more than one|both|several|mixed|mostly|main (?:matter|topic|concern)|main one|two (?:matters|"
        r"labels)|all that apply|priority|first one)\b",
        "classify extract",
    ),
    _check(
        "forbidden", "What must never be in the answer?", "Nothing is ruled out.",
        "promises of money|names of people|guesses|anything that is not in the input",
        "Never put this in the answer: {answer}.",
        r"\b(?:never|do not|don['’]t|must not|no promises?|without|forbidden|avoid|nothing else)\b",
        "rewrite write converse summarise other",
    ),
    _check(
        "off-topic", "What if the input is something else altogether?",
        "Sooner or later one comes that is none of this job's business.",
        "say in one sentence that it is not your job|give the label other|answer as well as you can",
        "If the input is about something else: {answer}.",
        r"\b(?:other\b|something else|off[- ]topic|not (?:about|a|an) |unrelated|irrelevant|empty)",
        "classify converse write other",
    ),
)  # fmt: skip


def open_questions(job: str, task: str, messages: Sequence[Message]) -> list[Question]:
    """What neither the job nor the prompt settles, in a fixed order; no model is asked.

    task: the brief's kind; a question that does not arise for it is not asked.
    """
    if not job.strip() and not any(m.content.strip() for m in messages):
        return []
    told = "\n".join([job, *(m.content for m in messages)])
    return [
        c.question for c in _CHECKS if (not c.tasks or task in c.tasks) and not c.said.search(told)
    ]


def clause_of(question: Question, answer: str) -> str:
    """The clause that says an answer. Raises PromptError for an answer that is none."""
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
    body = text.rstrip(".")
    made = question.clause.replace(ANSWER, body)
    return made if made.endswith((".", "!", "?", ":")) else made + "."


def place_for(messages: Sequence[Message]) -> int:
    """After which clause a new rule stands best: the last one before the first input.

    0 is before all. A heading or label right before the input stays with it.
    """
    last = 0
    for clause in clauses_of(messages):
        if placeholder_names([Message("user", clause.text)]):
            return last
        if messages[clause.message].role == "system" or not clause.text.rstrip().endswith(":"):
            last = clause.number
    return last


def proposed_for(question: Question, answer: str, messages: Sequence[Message]) -> Proposal:
    """The amendment an answer asks for: one clause added where rules stand."""
    text = clause_of(question, answer)
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


def read_questions(reply: str, asked_by: str, known: Sequence[str] = ()) -> ReadQuestions:
    """Questions from a model's reply. known: texts that were asked before and are not taken again.

    A numbered list of questions in words is read, too. Raises PromptError where the whole cannot
    be read.
    """
    try:
        rows = rows_of(reply, "questions", ("open_questions", "items"), (_ASKED,))
    except ReplyError as error:
        listed = _in_words(reply) if error.kind in ("prose", "no list") else []
        if not listed:
            raise PromptError(str(error), field="text") from error
        rows = Found(listed, ("read from a list in words",))
    seen = {_plain(text) for text in known}
    found: list[Question] = []
    refused: list[tuple[int, str]] = []
    for place, row in enumerate(rows.value, 1):
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
    return ReadQuestions(found, refused, list(rows.repaired), list(rows.passed_over))


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
