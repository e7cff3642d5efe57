"""What a wish changes in a prompt, part by part: words of a clause, or one clause more."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import regex

from nomikon.core.errors import PromptError
from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.messages import Message
from nomikon.core.prompts.tenor import Tenor
from nomikon.core.prompts.tenor.conflicts import conflicts_of
from nomikon.core.prompts.tenor.lexicon import BULLETS, ITEMS, LEXICONS, LINES
from nomikon.core.prompts.tenor.shape import BULLETS as BULLET_LIST
from nomikon.core.prompts.tenor.shape import JSON, TABLE, Limit
from nomikon.core.prompts.wishes.listing import Place, one_less, one_more
from nomikon.core.prompts.wishes.sayings import SAYINGS, Sayings, listed, sayings_of
from nomikon.core.prompts.wishes.wants import Want, said_tones

NO_LIST = "the prompt lists no labels that one could be added to"
OTHER_FORM = "the prompt asks for another form in words that hold more than that: change it by hand"
# Words that stand before a limit and name what it holds for.
NEAR = 60


@dataclass(frozen=True)
class Edit:
    """Words of a message that give way to others; start and end as its code points.

    strikes: the whole clause goes.
    """

    message: int
    clause: int
    start: int
    end: int
    text: str
    strikes: bool | None = None


@dataclass(frozen=True)
class Addition:
    """A clause more. after: the number of the clause it follows; None for where rules stand."""

    text: str
    after: int | None = None


Change = Edit | Addition


def limit_changes(want: Want, messages: Sequence[Message], tenor: Tenor) -> Iterator[Change]:
    """Limits that change where they stand, or come in."""
    say = sayings_of(tenor.language)
    for limit in want.limits:
        old = _old_limit(limit, want, messages, tenor)
        if old is None:
            against = [x for x in tenor.limits if not x.per and conflicts_of([x, limit])]
            old = against[0] if against and not limit.per else None
        if old is not None:
            if (old.what, old.low, old.high) != (limit.what, limit.low, limit.high):
                yield _other_limit(old, limit, messages, tenor, say)
            continue
        part = _part(limit, want, tenor, say)
        if limit.per and not part:
            raise PromptError("which part of the answer it is to hold for is not told")
        yield Addition(say.limit_clause(limit.what, limit.low, limit.high, part))


def _part(limit: Limit, want: Want, tenor: Tenor, say: Sayings) -> str:
    if not limit.per:
        return ""
    what = limit.per
    if what == ITEMS:
        # "each at most 12 words": of what there are several of.
        counts = [x.what for x in (*want.limits, *tenor.limits) if not x.per]
        what = next((x for x in counts if x in (BULLETS, LINES)), ITEMS)
        if tenor.output.form == BULLET_LIST:
            what = BULLETS
    if what in say.units:
        return say.units[what][0]
    return limit.per if want.language == (tenor.language or want.language) else ""


def _old_limit(limit: Limit, want: Want, messages: Sequence[Message], tenor: Tenor) -> Limit | None:
    """The limit of the prompt that the wished one takes the place of."""
    alike = [x for x in tenor.limits if x.what == limit.what and _same_noun(x, limit)]
    named = [x for x in alike if _named(x, want, messages, tenor)]
    if len(named) == 1:
        return named[0]
    per = [x for x in alike if x.per == limit.per or {x.per, limit.per} <= {ITEMS, BULLETS, LINES}]
    return per[0] if per else None


def _same_noun(a: Limit, b: Limit) -> bool:
    if a.what != ITEMS:
        return True
    first, second = (_noun(x.words.text) for x in (a, b))
    return first == second


def _noun(said: str) -> str:
    found = regex.findall(r"\p{L}+", said.casefold())
    return found[-1].rstrip("sn") if found else ""


def _named(old: Limit, want: Want, messages: Sequence[Message], tenor: Tenor) -> bool:
    """Whether a word of the wish stands right before the limit: the *summary* of at most 80 words."""
    content = messages[old.words.message].content
    ends = [x.words.end for x in tenor.limits if x.words.message == old.words.message]
    begin = max([e for e in ends if e <= old.words.start], default=0)
    before = content[max(begin, old.words.start - NEAR) : old.words.start]
    before = regex.split(r"\n\s*\n|[.!?]\s", before)[-1]
    own = set(regex.findall(r"\p{L}{4,}", before.casefold()))
    said = set(regex.findall(r"\p{L}{4,}", want.text.casefold()))
    idle = {"most", "least", "than", "more", "words", "with", "write", "give", "make", "text",
            "answer", "reply", "maximal", "höchstens", "wörter", "mots", "plus", "palabras",
            "máximo", "maximum", "sentences", "should", "each", "characters"}  # fmt: skip
    return bool((own & said) - idle)


def _other_limit(
    old: Limit, new: Limit, messages: Sequence[Message], tenor: Tenor, say: Sayings
) -> Edit:
    """The old limit's words with the new figures; said anew where the kind of bound is another."""
    words = old.words
    clause = words.clause or 0
    same_ends = (old.low is None, old.high is None) == (new.low is None, new.high is None)
    single = new.low is None or new.high is None or new.low == new.high
    was_single = old.low is None or old.high is None or old.low == old.high
    lexicon = LEXICONS.get(tenor.language)
    if old.what == new.what and same_ends and single and was_single and lexicon:
        value = new.high if new.high is not None else new.low
        had = old.high if old.high is not None else old.low
        number = regex.compile(rf"(?<!\w)(?:{lexicon.number})(?!\w)", regex.IGNORECASE)
        # "Fewer than 5" is 4 at most: the number that is said keeps its distance. An article may be a
        # number, too ("un máximo de 30"): the one that was read is meant.
        told = [(m, lexicon.value(m.group()) - (had or 0)) for m in number.finditer(words.text)]
        meant = next(((m, off) for m, off in reversed(told) if off in (0, 1)), None)
        if meant and value is not None and 1 not in (value, had):
            start, end = (words.start + place for place in meant[0].span())
            return Edit(words.message, clause, start, end, str(value + meant[1]))
    content = messages[words.message].content
    start, end = words.start, words.end
    if lexicon:
        after = regex.match(
            rf"[\s,]*(?:{lexicon.after_most}|{lexicon.after_least})",
            content[end:],
            regex.IGNORECASE,
        )
        end += after.end() if after else 0
    text = say.limited(new.what, new.low, new.high)
    if words.text[:1].isupper():
        text = text[:1].upper() + text[1:]
    return Edit(words.message, clause, start, end, text)


def label_changes(want: Want, messages: Sequence[Message], tenor: Tenor) -> Iterator[Change]:
    """Labels that come into the list or go from it; a whole list where there was none."""
    labels = tenor.output.labels
    places = [
        Place(x.words.message, x.words.clause or 0, x.words.start, x.words.end) for x in labels
    ]
    clauses = clauses_of(messages)
    known = {x.label.casefold() for x in labels}
    if want.adds[0] and want.adds[0].casefold() not in known:
        name, told = want.adds
        for number, start, end, text in one_more(places, clauses, messages, name, told):
            if start is None:
                yield Addition(text, number)
            else:
                yield Edit(places[-1].message, number, start, end or start, text)
    for label in want.drops:
        at = next(i for i, x in enumerate(labels) if x.label == label)
        if len(labels) < 3:
            raise PromptError(f"without {label} no choice would be left")
        for number, start, end, text in one_less(places, clauses, messages, at):
            if start is None:
                yield Edit(places[at].message, number, places[at].start, places[at].end, "", True)
            else:
                yield Edit(places[at].message, number, start, end or start, text)
    if want.labels:
        if not labels:
            yield Addition(sayings_of(tenor.language).labels.format(labels=listed(want.labels)))
        elif {x.casefold() for x in want.labels} != {x.label.casefold() for x in labels}:
            missing = [
                x for x in want.labels if x.casefold() not in {y.label.casefold() for y in labels}
            ]
            if len(missing) != 1:
                raise PromptError(
                    "the prompt has another list already: say which label comes or goes"
                )
            yield from label_changes(
                Want(want.text, want.language, adds=(missing[0], "")), messages, tenor
            )


def form_changes(want: Want, messages: Sequence[Message], tenor: Tenor) -> Iterator[Change]:
    """A form that comes in, keys that one has beside those it had, or another form."""
    if not want.form:
        return
    say, had = sayings_of(tenor.language), tenor.output
    if had.form == want.form == JSON:
        new = [k for k in want.keys if k not in {x.name for x in had.keys}]
        if new:
            yield Addition(
                say.json_also.format(keys=listed(new)), had.words.clause if had.words else None
            )
        return
    if had.form == want.form:
        return
    text = _form_said(want, say)
    if not text:
        raise PromptError("which form is meant is not told")
    if not had.form or had.words is None:
        yield Addition(text)
        return
    clause = next(c for c in clauses_of(messages) if c.number == had.words.clause)
    placed = [
        *(x.words for x in tenor.limits),
        *(x.words for x in tenor.inputs),
        *(x.words for x in had.labels),
    ]
    if any(w.clause == clause.number for w in placed):
        raise PromptError(OTHER_FORM)
    yield Edit(clause.message, clause.number, clause.start, clause.end, text)


def _form_said(want: Want, say: Sayings) -> str:
    if want.form == JSON:
        return say.json.format(keys=listed(want.keys)) if want.keys else say.valid_json
    if want.form == TABLE and want.columns:
        return say.table.format(columns=listed(want.columns))
    if want.form == BULLET_LIST and not any(x.what == BULLETS for x in want.limits):
        return say.bullets
    return "" if want.form != BULLET_LIST else say.bullets


def language_changes(want: Want, tenor: Tenor) -> Iterator[Change]:
    """The language of the answer, in each clause that names one."""
    if not want.answer_language:
        return
    say = sayings_of(tenor.language)
    name = say.languages[want.answer_language]
    if not tenor.answer_languages:
        yield Addition(say.language.format(language=name))
    for code, words in tenor.answer_languages:
        if code != want.answer_language:
            yield Edit(words.message, words.clause or 0, words.start, words.end, name)


def tone_changes(want: Want, messages: Sequence[Message], tenor: Tenor) -> Iterator[Change]:
    """The manner, in place of the one that is named."""
    if not want.tone:
        return
    say = sayings_of(tenor.language)
    tone = say.tones[SAYINGS[want.language].tones.index(want.tone)]
    clause = next(
        (c for c in clauses_of(messages) if tenor.tone and c.number == tenor.tone.clause), None
    )
    if clause is None:
        yield Addition(say.tone.format(tone=tone))
        return
    places = said_tones(clause.text, tenor.language or "en")
    if not places:
        yield Addition(say.tone.format(tone=tone), clause.number)
        return
    start, end = places[0]
    if clause.text[start:end].casefold() != tone:
        yield Edit(clause.message, clause.number, clause.start + start, clause.start + end, tone)


def going_changes(want: Want, messages: Sequence[Message], tenor: Tenor) -> Iterator[Change]:
    """Clauses that go whole: a limit that stands alone, the worked examples, the rule that is named."""
    clauses = {c.number: c for c in clauses_of(messages)}
    if want.goes == "examples":
        numbers = {x.words.clause for x in tenor.examples if x.words.clause}
        numbers |= {n for n, c in clauses.items() if c.kind in ("example", "pair")}
        if not numbers:
            raise PromptError("the prompt shows no example")
    elif want.goes == "limit":
        numbers = {x.words.clause for x in tenor.limits if not x.per and x.words.clause}
        if len(numbers) != 1:
            raise PromptError(f"the prompt has {len(numbers)} limits: say which one goes")
        if held := _says_more(clauses[min(numbers)], tenor):
            raise PromptError(f"the limit stands within “{held}”: change that clause by hand")
    elif want.goes == "rule":
        numbers = _spoken_of(want, [clauses[n] for x in tenor.rules if (n := x.words.clause)])
        if len(numbers) != 1:
            raise PromptError(f"{len(numbers) or 'no'} rules of the prompt speak of that")
    else:
        return
    for number in sorted(numbers):
        c = clauses[number]
        yield Edit(c.message, number, c.start, c.end, "", True)


def _says_more(clause: Clause, tenor: Tenor) -> str:
    """The clause, shortened, where it says more than its limit; "" else."""
    own = [x.words for x in tenor.limits if x.words.clause == clause.number]
    rest = clause.text
    for words in own:
        rest = rest.replace(words.text, "", 1)
    return clause.text[:60] if len(regex.findall(r"\p{L}+", rest)) > 3 else ""


def _spoken_of(want: Want, rules: Sequence[Clause]) -> set[int]:
    """Rules that hold a word of the wish, by its first letters: refunds, refund."""
    stems = {w[:5] for w in regex.findall(r"\p{L}{4,}", want.text.casefold())}
    stems -= {"rule", "rules", "claus", "remov", "drop", "delet", "about", "regel", "strei", "satz"}
    return {
        c.number
        for c in rules
        if stems & {w[:5] for w in regex.findall(r"\p{L}{4,}", c.text.casefold())}
    }


def input_changes(want: Want, messages: Sequence[Message], tenor: Tenor) -> Iterator[Change]:
    """Holes that the prompt has not yet, in marks as the others have them."""
    last = tenor.inputs[-1] if tenor.inputs else None
    had = {x.name for x in tenor.inputs}
    for name in (n for n in want.inputs if n not in had):
        hole = "{{" + name + "}}"
        if (
            last
            and last.marks[0].startswith("<")
            and last.marks[0].endswith(">")
            and "<<" not in last.marks[0]
        ):
            tag = regex.sub(r"[^\w-]", "_", name)
            text = f"<{tag}>\n{hole}\n</{tag}>"
        else:
            label = name.replace("_", " ").replace(".", " ").strip()
            text = f"{label[:1].upper()}{label[1:]}: {hole}"
        yield Addition(f"\n{text}", last.words.clause if last else None)
