"""A small expression language: text to a tree. Nothing of it is ever run as code.

expression  = conjunction, { "or", conjunction } ;
conjunction = negation, { "and", negation } ;
negation    = "not", negation | comparison ;
comparison  = sum, [ ( "<" | "<=" | ">" | ">=" | "==" | "!=" | "in" ), sum ] ;
sum         = product, { ( "+" | "-" ), product } ;
product     = sign, { ( "*" | "/" ), sign } ;
sign        = "-", sign | atom ;
atom        = number | string | "true" | "false" | "null" | name, { ".", name | "[", string, "]" }
            | name, "(", [ expression, { ",", expression } ], ")" | "(", expression, ")" ;
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, NoReturn

from nomikon.core.errors import MeasureError

LONGEST, DEEPEST = 2_000, 40
# Operations in one expression: each stands on those before it, and is worked out within them.
MOST_OPERATIONS = 150

_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:\.\d+)?)|(?P<string>\"(?:[^\"\\]|\\.)*\"|'(?:[^'\\]|\\.)*')|"
    r"(?P<name>[^\W\d]\w*)|(?P<mark><=|>=|==|!=|[<>+\-*/(),.\[\]])|(?P<end>$))"
)
_WORDS = {"and", "or", "not", "in", "true", "false", "null"}
_OPERATIONS = {"+", "-", "*", "/", "and", "or", "not"}
COMPARISONS = ("<", "<=", ">", ">=", "==", "!=", "in")


@dataclass(frozen=True)
class Node:
    """kind: value, path, call, not, minus or an operator; at: its position, from 1."""

    kind: str
    at: int
    value: Any = None
    parts: tuple[Node, ...] = ()


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str
    at: int


def parse_expression(text: str) -> Node:
    """The tree of an expression. Raises MeasureError with the position of the mistake."""
    if len(text) > LONGEST:
        raise MeasureError(
            f"the expression has {len(text)} characters; at most {LONGEST} are read", field="is"
        )
    tokens = _tokens(text)
    operations = [t for t in tokens if t.text in _OPERATIONS and t.kind != "string"]
    if len(operations) > MOST_OPERATIONS:
        _fail(
            f"the expression has {len(operations)} operations; at most {MOST_OPERATIONS} are taken",
            operations[MOST_OPERATIONS].at,
        )
    return _Parser(tokens).whole()


def _fail(what: str, at: int) -> NoReturn:
    raise MeasureError(f"position {at}: {what}", field="is")


def _tokens(text: str) -> list[_Token]:
    found, place = [], 0
    while True:
        match = _TOKEN.match(text, place)
        if match is None:
            rest = text[place:].lstrip()
            at = len(text) - len(rest) + 1
            what = (
                "a text is not closed" if rest[:1] in "\"'" else f"{rest[:1]!r} is not understood"
            )
            _fail(what, at)
        kind = str(match.lastgroup)
        found.append(_Token(kind, match.group(kind), match.start(kind) + 1))
        if kind == "end":
            return found
        place = match.end()


class _Parser:
    def __init__(self, tokens: list[_Token]) -> None:
        self._tokens = tokens
        self._next = 0
        self._depth = 0

    def whole(self) -> Node:
        node = self._or()
        if self._here.kind != "end":
            _fail(f"{self._here.text!r} is not expected here", self._here.at)
        return node

    @property
    def _here(self) -> _Token:
        return self._tokens[self._next]

    def _take(self) -> _Token:
        token = self._here
        self._next += 1
        return token

    def _is(self, *texts: str) -> bool:
        return self._here.kind in ("mark", "name") and self._here.text in texts

    def _expect(self, text: str) -> None:
        if not self._is(text):
            shown = self._here.text or "the end"
            _fail(f"{text!r} is expected, not {shown!r}", self._here.at)
        self._take()

    def _left(self, below: Any, *operators: str) -> Node:
        node: Node = below()
        while self._is(*operators):
            token = self._take()
            node = Node(token.text, token.at, None, (node, below()))
        return node

    def _or(self) -> Node:
        self._depth += 1
        if self._depth > DEEPEST:
            _fail(f"nested more than {DEEPEST} deep", self._here.at)
        node = self._left(self._and, "or")
        self._depth -= 1
        return node

    def _and(self) -> Node:
        return self._left(self._not, "and")

    def _not(self) -> Node:
        marks = []
        while self._is("not"):
            marks.append(self._take())
        node = self._comparison()
        for token in reversed(marks):
            node = Node("not", token.at, None, (node,))
        return node

    def _comparison(self) -> Node:
        node = self._sum()
        if self._is(*COMPARISONS):
            token = self._take()
            node = Node(token.text, token.at, None, (node, self._sum()))
        return node

    def _sum(self) -> Node:
        return self._left(self._product, "+", "-")

    def _product(self) -> Node:
        return self._left(self._sign, "*", "/")

    def _sign(self) -> Node:
        marks = []
        while self._is("-"):
            marks.append(self._take())
        node = self._atom()
        for token in reversed(marks):
            node = Node("minus", token.at, None, (node,))
        return node

    def _atom(self) -> Node:
        token = self._take()
        if token.kind == "number":
            return Node("value", token.at, float(token.text))
        if token.kind == "string":
            return Node("value", token.at, _unquoted(token))
        if token.kind == "mark" and token.text == "(":
            node = self._or()
            self._expect(")")
            return node
        if token.kind == "name":
            if token.text in ("true", "false", "null"):
                return Node("value", token.at, {"true": True, "false": False}.get(token.text))
            if token.text not in _WORDS:
                return self._call(token) if self._is("(") else self._path(token)
        shown = repr(token.text) if token.text else "the end"
        _fail(f"a value is expected, not {shown}", token.at)

    def _call(self, name: _Token) -> Node:
        self._expect("(")
        parts = []
        while not self._is(")"):
            parts.append(self._or())
            if not self._is(")"):
                self._expect(",")
        self._expect(")")
        return Node("call", name.at, name.text, tuple(parts))

    def _path(self, name: _Token) -> Node:
        steps = [name.text]
        while self._is(".", "["):
            if self._take().text == ".":
                token = self._take()
                if token.kind != "name":
                    _fail("a name is expected after the dot", token.at)
                steps.append(token.text)
            else:
                token = self._take()
                if token.kind not in ("string", "number"):
                    _fail("a text in quotes, or a number, is expected", token.at)
                steps.append(_unquoted(token) if token.kind == "string" else token.text)
                self._expect("]")
        return Node("path", name.at, tuple(steps))


def _unquoted(token: _Token) -> str:
    return re.sub(r"\\(.)", lambda m: "\n" if m.group(1) == "n" else m.group(1), token.text[1:-1])
