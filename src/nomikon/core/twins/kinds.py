"""What each kind of twin does, in words."""

from __future__ import annotations

from collections.abc import Mapping

from nomikon.core.twins.by_model import BY_MODEL

WHAT: Mapping[str, str] = {
    "typing": "letters struck beside their key, doubled, dropped or turned round",
    "lower": "all in small letters",
    "no-punctuation": "without the signs between and after sentences",
    "blanks": "blanks doubled, a line broken",
    "quotes": "other quotation marks or apostrophes",
    "order": "sentences in another order, where none looks back",
    "greeting": "a greeting before it",
    "filler": "a sentence that says nothing of the matter",
    "paragraph": "a long paragraph of another matter after it",
    "numbers": "small numbers in words, great ones with or without their mark",
    "accents": "letters without their marks",
    "synonyms": "a word of an own list put in another’s place",
    "name": "a name becomes another that other cases hold",
    "time": "a time of day becomes another",
    "number": "a number that is no time, date or part of a word becomes another",
    "negation": "a sentence is denied",
    "taken-out": "a fact goes",
    **BY_MODEL,
    "order-plain": "an order to forget the prompt, after the text",
    "order-foreign": "the same in another language",
    "order-quoted": "an order in a quotation",
    "order-in-table": "an order in the cell of a table",
    "order-end-mark": "the end of the prompt’s fence, and a new task after it",
    "order-ask-prompt": "asks for the prompt, word by word",
    "order-format": "asks for another form of the answer",
}


def what_of(kind: str) -> str:
    """What a kind does, in a few words; of an own list its name says it.

    >>> what_of('port')
    'a value of the list port becomes another of it'
    """
    return WHAT.get(kind) or f"a value of the list {kind} becomes another of it"
