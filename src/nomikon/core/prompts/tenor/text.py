"""A prompt's text as it is read: clauses, examples told apart, words found in what is left."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import regex

from nomikon.core.prompts.blocks import pairs_of
from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.placeholders import find_tags
from nomikon.core.prompts.tenor.lexicon import LEXICONS, Lexicon
from nomikon.core.prompts.tenor.shape import Example, Words
from nomikon.core.texts.language import FLOOR, told_language

# JSON beside the word example.
_SHOWN = regex.compile(
    r"^[ \t]*(?:for )?(?:example|e\.g\.|beispiel|z\. ?b\.|exemple|ejemplo)[^:\n{\[]{0,30}:?[ \t]*(?P<said>\{(?!\{).*\}|\[\{.*\}\])[ \t]*$",
    regex.IGNORECASE,
)
LONGEST_READ = 200_000
# So much tells the language.
LONGEST_TOLD = 4_000


@dataclass(frozen=True)
class Line:
    """A line of a message, its end not in it."""

    message: int
    start: int
    end: int
    text: str


class PromptText:
    """Messages with their clauses; `bare` is what is left where examples and inputs are blanked."""

    def __init__(self, messages: Sequence[Message], language: str = "") -> None:
        self.messages = tuple(messages)
        self._told = language
        self.contents = [m.content[:LONGEST_READ] for m in messages]

    @cached_property
    def clauses(self) -> list[Clause]:
        """The prompt's clauses."""
        return clauses_of(self.messages)

    @cached_property
    def lines(self) -> list[Line]:
        """Every line of every message."""
        return [
            Line(i, m.start(), m.end(), m.group())
            for i, text in enumerate(self.contents)
            for m in regex.finditer(r"[^\n]+", text)
        ]

    def words(self, message: int, start: int, end: int) -> Words:
        """Words of a message with the clause that they stand in."""
        starts, own = self._by_message[message]
        place = max(0, bisect_right(starts, start) - 1)
        clause = next(
            (c.number for c in own[place : place + 2] if c.start < end and c.end > start), None
        )
        return Words(message, start, end, self.contents[message][start:end], clause)

    @cached_property
    def _by_message(self) -> list[tuple[list[int], list[Clause]]]:
        """The clauses of each message with their starts, in order."""
        own: list[list[Clause]] = [[] for _ in self.messages]
        for clause in self.clauses:
            own[clause.message].append(clause)
        return [([c.start for c in some], some) for some in own]

    @cached_property
    def language(self) -> str:
        """Of the instructions: one of LEXICONS, or "" where it is another, or cannot be told."""
        if self._told:
            return self._told
        text = "\n".join(self.bare)[:LONGEST_TOLD]
        plain = regex.sub(r"\{\{.*?\}\}|[<>{}\[\]\"]|\bJSON\b|\bMarkdown\b", " ", text)
        told = told_language(plain)
        if told is None:
            return ""
        if told[0] in LEXICONS and told[1] >= FLOOR:
            return told[0]
        # A short prompt is told with less certainty: then only those that are read are asked.
        among = told_language(plain, tuple(sorted(LEXICONS)))
        if among and among[1] >= FLOOR and told[1] < FLOOR:
            return among[0]
        return _by_first_word(plain) if told[1] < FLOOR else ""

    @cached_property
    def lexicon(self) -> Lexicon | None:
        """The words of the prompt's language."""
        return LEXICONS.get(self.language)

    @cached_property
    def examples(self) -> list[Example]:
        """Worked examples: turns, pairs of lines under the same two keys, arrows."""
        return [*self._turns(), *self._pairs(), *self._shown()]

    @cached_property
    def bare(self) -> list[str]:
        """The contents with examples blanked, every character in its place."""
        made = list(self.contents)
        for example in self.examples:
            w = example.words
            text = made[w.message]
            made[w.message] = text[: w.start] + _blank(text[w.start : w.end]) + text[w.end :]
            a = example.answer
            text = made[a.message]
            made[a.message] = text[: a.start] + _blank(text[a.start : a.end]) + text[a.end :]
        return made

    def bare_clauses(self) -> Iterator[tuple[Clause, str]]:
        """Clauses that instruct, with their texts; what is only example or fence is left out."""
        for clause in self.clauses:
            text = self.bare[clause.message][clause.start : clause.end]
            if clause.kind not in ("example", "fenced") and text.strip():
                yield clause, text

    def find(self, pattern: regex.Pattern[str], *, group: str | int = 0) -> Iterator[Words]:
        """Where a pattern stands in the clauses that instruct."""
        for clause, text in self.bare_clauses():
            for match in pattern.finditer(text):
                start, end = match.span(group)
                yield Words(
                    clause.message, clause.start + start, clause.start + end, match.group(group),
                    clause.number,
                )  # fmt: skip

    def _turns(self) -> Iterator[Example]:
        for i, message in enumerate(self.messages):
            if message.role != "assistant":
                continue
            before = self.contents[i - 1] if i and self.messages[i - 1].role == "user" else ""
            words = self.words(i, 0, len(self.contents[i]))
            yield Example(before.strip(), self.contents[i].strip(), words, words)

    def _pairs(self) -> Iterator[Example]:
        """Worked pairs within a message; one that waits for its answer is no example."""
        for index, content in enumerate(self.contents):
            for pair in pairs_of(content):
                answer = content[pair.answer_start : pair.answer_end]
                if answer.strip() and "{{" not in pair.given + answer:
                    yield Example(
                        pair.given,
                        answer.strip(),
                        self.words(index, pair.start, pair.end),
                        self.words(index, pair.answer_start, pair.answer_end),
                    )

    def _shown(self) -> Iterator[Example]:
        """JSON after the word example, on one line: Example: {"name": "Ann"}."""
        for line in self.lines:
            if match := _SHOWN.match(line.text):
                start = line.start + match.start("said")
                yield Example(
                    "",
                    match["said"].strip(),
                    self.words(line.message, line.start, line.end),
                    self.words(line.message, start, start + len(match["said"].rstrip())),
                )


_NO_BREAK = regex.compile(r"[^\n]")


def _by_first_word(text: str) -> str:
    """The language whose verb of asking a text begins with, where only one has it: "Answer in German."."""
    found = [
        code
        for code, words in LEXICONS.items()
        if regex.match(rf"\W*(?:{words.reply}|{words.writing})\b", text, regex.IGNORECASE)
    ]
    return found[0] if len(found) == 1 else ""


def _blank(text: str) -> str:
    return str(_NO_BREAK.sub(" ", text))


def tags_of(text: str) -> list[tuple[int, int, str]]:
    """Placeholders of a text: start, end, name."""
    return [(t.start, t.end, t.name) for t in find_tags(text) if t.kind == "variable"]
