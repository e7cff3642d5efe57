"""Rules about worked examples: their labels, their form, their balance."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterator

from nomikon.core.measures.length import UNITS
from nomikon.core.prompts.findings.base import NOTE, WARNING, Finding, Subject, rule
from nomikon.core.prompts.tenor.conflicts import in_words
from nomikon.core.prompts.tenor.labels import MOST_WORDS, is_listed
from nomikon.core.prompts.tenor.lexicon import CHARACTERS, SENTENCES, WORDS
from nomikon.core.prompts.tenor.shape import BULLETS, JSON, LABEL, TABLE

ENOUGH_FOR_BALANCE = 4
ONE_SIDED = 0.75


@rule("example-label-unlisted")
def _example_label_unlisted(subject: Subject) -> Iterator[Finding]:
    output = subject.tenor.output
    if output.form != LABEL:
        return
    told = ", ".join(x.label for x in output.labels)
    for example in subject.tenor.examples:
        answer = example.output
        short = len(answer.split()) <= MOST_WORDS and answer[:1] not in "{["
        if short and not is_listed(answer, output.labels):
            yield Finding(
                "example-label-unlisted",
                WARNING,
                f"“{answer}” is not on the list of labels ({told}): models follow the example",
                **subject.words(example.answer),
            )


@rule("label-unlisted")
def _label_unlisted(subject: Subject) -> Iterator[Finding]:
    """A clause tells the model to answer what the list of labels has not."""
    output = subject.tenor.output
    if output.form != LABEL:
        return
    told = ", ".join(x.label for x in output.labels)
    for words in subject.tenor.beside_the_list:
        yield Finding(
            "label-unlisted",
            WARNING if output.closed else NOTE,
            f"{words.text} is wanted here, but the list of labels ({told}) does not have it: add it to "
            "the list, or answer with one of them",
            **subject.words(words),
        )


@rule("example-breaks-format")
def _example_breaks_format(subject: Subject) -> Iterator[Finding]:
    output = subject.tenor.output
    for example in subject.tenor.examples:
        bare = re.sub(r"^```\w*\n|\n```$", "", example.output)
        if "{{" in bare or "…" in bare or "..." in bare:
            continue
        why = ""
        if output.form == JSON:
            why = _no_json(bare, {k.name for k in output.keys})
        elif output.form == TABLE and "|" not in bare and "\t" not in bare and "\n" not in bare:
            why = "a table is asked for, and this example is none"
        elif output.form == BULLETS and not re.search(r"(?m)^[ \t]*(?:[-*•–+]|\d+[.)])[ \t]", bare):
            why = "bullets are asked for, and this example has none"
        if why:
            yield Finding(
                "example-breaks-format",
                WARNING,
                f"{why}: models follow the example",
                **subject.words(example.answer),
            )


def _no_json(text: str, keys: set[str]) -> str:
    try:
        read = json.loads(text)
    except (ValueError, RecursionError):
        # Of an example over several lines only the first was read.
        return "" if text[:1] in "{[" else "JSON is asked for, and this example is none"
    if isinstance(read, dict) and keys and (other := [k for k in read if k not in keys]):
        return f"this example has the key “{other[0]}”, which is not among those asked for"
    return ""


@rule("example-over-limit")
def _example_over_limit(subject: Subject) -> Iterator[Finding]:
    """An example longer than the answers may be."""
    for limit in subject.tenor.limits:
        count = UNITS.get(limit.what) if limit.what in (CHARACTERS, WORDS, SENTENCES) else None
        if limit.per or count is None or limit.high is None:
            continue
        for example in subject.tenor.examples:
            n = count(example.output)
            if n > limit.high:
                yield Finding(
                    "example-over-limit",
                    WARNING,
                    f"this example has {n} {limit.what} where {in_words(limit)} are asked for: models follow the "
                    "example",
                    **subject.words(example.answer),
                )
                return


@rule("example-duplicated")
def _example_duplicated(subject: Subject) -> Iterator[Finding]:
    seen: dict[str, int] = {}
    for before, turn in subject.example_pairs:
        asked = " ".join(before.text.lower().split()) if before else ""
        if asked and asked in seen:
            yield Finding(
                "example-duplicated",
                WARNING,
                f"this example stands at § {seen[asked]} already",
                **subject.at(turn),
            )
        elif asked:
            seen[asked] = turn.number


@rule("examples-one-sided")
def _examples_one_sided(subject: Subject) -> Iterator[Finding]:
    examples = subject.tenor.examples
    answers = [e.output.lower() for e in examples if len(e.output.split()) <= MOST_WORDS]
    labelled = subject.task == "classify" or subject.tenor.output.form == LABEL
    if not labelled or len(answers) < ENOUGH_FOR_BALANCE:
        return
    label, count = Counter(answers).most_common(1)[0]
    if count / len(answers) >= ONE_SIDED:
        yield Finding(
            "examples-one-sided",
            # All alike, they show one answer and none of the others.
            WARNING if count == len(answers) else NOTE,
            f"{count} of {len(answers)} examples are “{label}”: models lean to what they see often",
            **subject.words(examples[-1].answer),
        )
