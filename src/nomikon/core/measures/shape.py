"""Shape of the output: valid JSON, well-formed XML, a CSV table, Markdown parts."""

from __future__ import annotations

import csv
import io
import itertools
import re
from typing import Any
from xml.parsers import expat

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, Measure, Score, only_known
from nomikon.core.measures.declared import CHOICE, FLAG, TEXT, TEXTS, WHOLE, Parameter
from nomikon.core.measures.parameters import given
from nomikon.core.measures.structure import read_output, twice, unfenced
from nomikon.core.plain_json import shown
from nomikon.core.texts.words import without_code


class ValidJson(Measure):
    """1 when the whole output is one JSON value as the standard has it."""

    linear = True
    name = "valid-json"
    description = "The output is JSON, with nothing around it."
    parameters = {
        "kind": Parameter("object, array or any (default any)", CHOICE, ("any", "object", "array")),
        "fenced": Parameter("true to accept JSON inside a code fence (default false)", FLAG),
    }
    worked = ({"kind": "object"}, '{"late": true}', None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.kind = parameters.get("kind", "any")
        if self.kind not in ("object", "array", "any"):
            raise MeasureError(
                f"kind is {self.kind!r}; allowed are object, array, any", field="kind"
            )
        self.fenced = given(self, parameters, "fenced")

    def score(self, answer: Answer) -> Score:
        try:
            value = read_output(answer.output, self.fenced)
        except ValueError as error:
            return Score(0.0, f"not JSON: {error}")
        found = "object" if isinstance(value, dict) else "array" if isinstance(value, list) else ""
        if self.kind != "any" and found != self.kind:
            return Score(0.0, f"JSON, but no {self.kind}")
        return Score(1.0, "valid JSON" + twice(answer.output, self.fenced))


class XmlWellFormed(Measure):
    """1 when the output is well-formed XML; documents that declare entities are not read."""

    name = "xml"
    description = "The output is well-formed XML, with the named elements where any are asked for."
    parameters = {
        "elements": Parameter("names of elements that must occur (optional)", TEXTS),
        "fenced": Parameter("true to accept XML inside a code fence (default false)", FLAG),
    }
    worked = ({"elements": ["vessel"]}, "<log><vessel>Harrier</vessel></log>", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.elements = given(self, parameters, "elements")
        self.fenced = given(self, parameters, "fenced")

    def score(self, answer: Answer) -> Score:
        seen: set[str] = set()
        parser = expat.ParserCreate()
        parser.StartElementHandler = lambda name, _: seen.add(name)
        parser.EntityDeclHandler = _refuse_entities
        try:
            text = unfenced(answer.output, self.fenced, "the XML").removeprefix("\ufeff")
            parser.Parse(text.strip(), True)
        except expat.ExpatError as error:
            return Score(
                0.0, f"line {error.lineno}, column {error.offset}: {expat.ErrorString(error.code)}"
            )
        except ValueError as error:
            return Score(0.0, str(error))
        missing = [e for e in self.elements if e not in seen]
        if missing:
            return Score(0.0, f"well formed, without {', '.join(missing)}")
        return Score(1.0, "well formed")


def _refuse_entities(*_: Any) -> None:
    raise ValueError("it declares entities, which are not read")


class CsvShape(Measure):
    """1 when the output is a table: every row as wide as the header, the columns as asked."""

    name = "csv-shape"
    description = "The output is CSV: rows of one width, the columns and number of rows asked for."
    parameters = {
        "columns": Parameter("names the header must have, in order (optional)", TEXTS),
        "min_rows": Parameter("least number of rows under the header (optional)", WHOLE),
        "max_rows": Parameter("greatest number of rows (optional)", WHOLE),
        "delimiter": Parameter("one character (default ,)", TEXT),
        "fenced": Parameter("true to accept CSV inside a code fence (default false)", FLAG),
    }
    worked = ({"columns": ["day", "opens"]}, "day,opens\nMonday,09:00\n", None, 1.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.columns = given(self, parameters, "columns")
        self.low, self.high = (
            given(self, parameters, "min_rows"),
            given(self, parameters, "max_rows"),
        )
        self.fenced = given(self, parameters, "fenced")
        self.delimiter = parameters.get("delimiter", ",")
        if not isinstance(self.delimiter, str) or len(self.delimiter) != 1:
            raise MeasureError("delimiter must be one character", field="delimiter")

    def score(self, answer: Answer) -> Score:
        try:
            text = unfenced(answer.output, self.fenced, "the CSV").removeprefix("\ufeff").strip()
            rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=self.delimiter))
        except csv.Error:
            return Score(0.0, "not CSV: a quote is left open, or a cell is far too large")
        except ValueError as error:
            return Score(0.0, str(error))
        if not rows:
            return Score(0.0, "there is no table in it")
        header, body = (rows[0] if rows else []), rows[1:]
        if self.columns and [h.strip() for h in header] != self.columns:
            return Score(0.0, f"the header reads {shown(', '.join(header))}")
        for index, row in enumerate(body, 2):
            if len(row) != len(header):
                return Score(0.0, f"row {index} has {len(row)} cells, the header {len(header)}")
        if self.low is not None and len(body) < self.low:
            return Score(0.0, f"{len(body)} rows, at least {self.low} wanted")
        if self.high is not None and len(body) > self.high:
            return Score(0.0, f"{len(body)} rows, at most {self.high} allowed")
        return Score(1.0, f"{len(body)} rows of {len(header)}")


_HEADING = re.compile(r"^#{1,6}[ \t]+\S", re.MULTILINE)
# A rule of three marks or more (* * *) is no bullet.
_BULLET = re.compile(r"^[ \t]*(?![-*+][ \t]*(?:[-*+][ \t]*){2,}$)[-*+•][ \t]+\S", re.MULTILINE)
_BULLET_TEXT = re.compile(_BULLET.pattern.replace(r"\S", r"(\S[^\n]*)"), re.MULTILINE)
_NUMBERED = re.compile(r"^[ \t]*(\d+)[.)][ \t]+\S", re.MULTILINE)
_RULE = re.compile(r"^\s*\|?\s*:?-+:?\s*(?:\|\s*:?-+:?\s*)*\|?\s*$")


class MarkdownShape(Measure):
    """Share of the asked Markdown parts that the output has: headings, bullets, a table, a list."""

    name = "markdown"
    description = "The output has the Markdown parts asked for; the share of those that are right."
    parameters = {
        "headings": Parameter("number of headings (exactly)", WHOLE),
        "bullets": Parameter("number of bullets (exactly)", WHOLE),
        "min_bullets": Parameter("least number of bullets", WHOLE),
        "max_bullets": Parameter("greatest number of bullets", WHOLE),
        "table": Parameter("columns of a table that must be there, in order", TEXTS),
        "numbered": Parameter("a numbered list from 1 to this", WHOLE),
        "bullet_characters": Parameter(
            "most characters of a bullet; where there is none this fails if bullets are asked for, "
            "else it cannot be told",
            WHOLE,
        ),
    }
    worked = ({"numbered": 2, "headings": 1}, "1. Board\n2. Sit down", None, 0.5)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.counts = {
            name: given(self, parameters, name)
            for name in ("headings", "bullets", "min_bullets", "max_bullets", "numbered")
        }
        self.table = given(self, parameters, "table")
        self.longest = given(self, parameters, "bullet_characters")
        if self.longest is None and not self.table and all(v is None for v in self.counts.values()):
            raise MeasureError("markdown needs at least one part to look for", field="headings")

    def score(self, answer: Answer) -> Score:
        text = without_code(answer.output)
        found = {
            "headings": len(_HEADING.findall(text)),
            "bullets": len(_BULLET.findall(text)),
            "numbered": _numbered(text),
        }
        checks: list[tuple[bool, str]] = []
        for name, wanted in self.counts.items():
            if wanted is None:
                continue
            kind = name.removeprefix("min_").removeprefix("max_")
            got = found[kind]
            ok = got >= wanted if name == "min_bullets" else got == wanted
            ok = got <= wanted if name == "max_bullets" else ok
            checks.append((ok, f"{got} {kind}, {wanted} wanted" if not ok else f"{got} {kind}"))
        if self.table:
            header = _table_header(text)
            ok = header is not None and [h.lower() for h in header] == [
                t.lower() for t in self.table
            ]
            told = "no table" if header is None else f"a table of {shown(', '.join(header))}"
            checks.append((ok, told))
        if self.longest is not None:
            lengths = [len(b.strip()) for b in _BULLET_TEXT.findall(text)]
            asked = any(self.counts[n] for n in ("bullets", "min_bullets"))
            if lengths or asked:
                most = max(lengths, default=0)
                told = f"the longest bullet has {most} characters" if lengths else "no bullet"
                checks.append((bool(lengths) and most <= self.longest, told))
        if not checks:
            return Score(None, "there is no bullet whose length could be told")
        return Score(sum(ok for ok, _ in checks) / len(checks), "; ".join(t for _, t in checks))


def _numbered(text: str) -> int:
    """How far a numbered list runs from 1 without a gap."""
    count = 0
    for match in _NUMBERED.finditer(text):
        if int(match.group(1)[:9]) == count + 1:
            count += 1
    return count


def _table_header(text: str) -> list[str] | None:
    lines = text.splitlines()
    for line, rule in itertools.pairwise(lines):
        if "|" in line and "-" in rule and _RULE.match(rule):
            return [cell.strip() for cell in line.strip().strip("|").split("|")]
    return None
