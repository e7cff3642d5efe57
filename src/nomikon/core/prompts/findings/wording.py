"""Rules about the wording: repeated clauses, only prohibitions, vague quantities."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

from nomikon.core.prompts.findings.base import NOTE, WARNING, Finding, Fix, Subject, rule
from nomikon.core.prompts.tenor.conflicts import in_words
from nomikon.core.prompts.tenor.shape import MUST_NOT

_PROHIBITION = re.compile(
    r"^\W*(?:please\s+)?(?:do not|don't|don’t|never|avoid|no\b|must not|refrain)", re.IGNORECASE
)
# Words that add nothing to what is asked.
_EMPTY = frozenset(
    "always please must should shall make sure that this with from your never only also immer bitte "
    "stets auch dass muss toujours doit aussi siempre debe también pour avec para".split()
)
# Of their words so many are the same in clauses that say the same.
ALIKE = 0.75
# Each is held against each.
MOST_COMPARED = 300
_VAGUE = re.compile(
    r"\b(a few|several|some|a couple of|a number of|various|a handful of)\s+"
    r"((?:\w+\s+)?(?:bullets?|bullet points|points|sentences|words|lines|paragraphs|examples|ideas|"
    r"items|options|suggestions|titles|slogans|questions|tips|reasons))\b",
    re.IGNORECASE,
)


@rule("duplicate-clause")
def _duplicate_clause(subject: Subject) -> Iterator[Finding]:
    seen: dict[str, int] = {}
    told: set[int] = set()
    for clause in subject.instructions:
        plain = " ".join(re.sub(r"[^\w\s{}]", " ", clause.text.lower()).split())
        plain = re.sub(r"^\d+\s+", "", plain)
        if len(plain) < 12:
            continue
        if plain in seen:
            told.add(clause.number)
            content = subject.messages[clause.message].content
            end = clause.end
            while end < len(content) and content[end] in " \t":
                end += 1
            end += content[end : end + 1] == "\n"
            yield Finding(
                "duplicate-clause",
                WARNING,
                f"this says once more what § {seen[plain]} says",
                fix=Fix(clause.start, end, ""),
                **subject.at(clause),
            )
        else:
            seen[plain] = clause.number
    yield from _nearly_said(subject, told)


def _nearly_said(subject: Subject, told: set[int]) -> Iterator[Finding]:
    """Clauses that say in other order what one before them says. told: those told already."""
    forbid = {r.words.clause for r in subject.tenor.rules if r.polarity == MUST_NOT}
    before: list[tuple[frozenset[str], bool, int]] = []
    # By word the places of those that say it: only what shares words is held against each other.
    saying: dict[str, list[int]] = {}
    for clause in subject.instructions[:MOST_COMPARED]:
        words = frozenset(
            w
            for w in re.findall(r"\w+", clause.text.lower())
            if (len(w) > 3 and w not in _EMPTY) or w.isdigit()
        )
        no = clause.number in forbid
        shared = Counter(place for w in words for place in saying.get(w, ()))
        same = min(
            (
                before[place][2]
                for place, n in shared.items()
                if n >= 3
                and before[place][1] == no
                and n / (len(words) + len(before[place][0]) - n) >= ALIKE
            ),
            default=None,
        )
        for w in words:
            saying.setdefault(w, []).append(len(before))
        if same is not None and clause.number not in told:
            yield Finding(
                "duplicate-clause",
                WARNING,
                f"this says in other words what § {same} says: say it once",
                **subject.at(clause),
            )
        before.append((words, no, clause.number))


@rule("limit-repeated")
def _limit_repeated(subject: Subject) -> Iterator[Finding]:
    """The same limit in two clauses: one of them will be changed and the other forgotten."""
    seen: dict[tuple[str, str, int | None, int | None], int | None] = {}
    for limit in subject.tenor.limits:
        key = (limit.what, limit.per, limit.low, limit.high)
        clause = limit.words.clause
        if key in seen and seen[key] != clause and (limit.high or 0) > 1:
            yield Finding(
                "limit-repeated",
                WARNING,
                f"§ {seen[key]} says {in_words(limit)} already: say it once",
                **subject.words(limit.words),
            )
        seen.setdefault(key, clause)


@rule("only-prohibitions")
def _only_prohibitions(subject: Subject) -> Iterator[Finding]:
    forbid = {r.words.clause for r in subject.tenor.rules if r.polarity == MUST_NOT}
    no = [c for c in subject.instructions if c.number in forbid or _PROHIBITION.search(c.text)]
    if any(r.instead for r in subject.tenor.rules):
        return
    # The one sentence that names the task does not yet say how to do it.
    if len(no) >= 3 and len(no) >= len(subject.instructions) - 1:
        yield Finding(
            "only-prohibitions",
            WARNING,
            f"{len(no)} clauses say what not to do and hardly one says what to do instead",
            **subject.at(no[0]),
        )


@rule("vague-quantity")
def _vague_quantity(subject: Subject) -> Iterator[Finding]:
    for clause in subject.instructions:
        for match in _VAGUE.finditer(clause.text):
            yield Finding(
                "vague-quantity",
                NOTE,
                f"“{match.group(1)} {match.group(2)}” can be two or ten: give a number",
                **subject.at(clause, match),
            )
