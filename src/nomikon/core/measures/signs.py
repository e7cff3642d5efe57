"""Signs and places: how often a phrase stands, how an answer begins and ends, which characters it holds."""

from __future__ import annotations

from typing import Any

import regex

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, Measure, Score, only_known
from nomikon.core.measures.declared import CHOICE, FLAG, NUMBER, TEXT, TEXTS, WHOLE, Parameter
from nomikon.core.measures.length import PARTS, UNITS
from nomikon.core.measures.parameters import given
from nomikon.core.plain_json import shown
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.texts.words import folded, newlines

_STOPS = ".。．｡"
_WRAPPED = "\"'“”„«»`*_) \t"
EMOJI = r"[\p{Extended_Pictographic}--[\d#*©®™]]"


class PhraseCount(Measure):
    """1 when a phrase stands in the output as often as allowed."""

    linear = True
    name = "phrase-count"
    description = "A word or phrase stands in the output so often; as a word, never within another."
    parameters = {
        "phrase": Parameter("the word or phrase", TEXT),
        "min": Parameter("least times (optional)", WHOLE),
        "max": Parameter("greatest times (optional)", WHOLE),
        "ignore_case": Parameter("false where case must agree (default true)", FLAG, default=True),
    }
    worked = ({"phrase": "late", "max": 1}, "Late today, late again; later.", None, 0.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.phrase = parameters.get("phrase")
        self.low, self.high = given(self, parameters, "min"), given(self, parameters, "max")
        self.ignore_case = given(self, parameters, "ignore_case")
        if not isinstance(self.phrase, str) or not self.phrase.strip():
            raise MeasureError("phrase-count needs a phrase", field="phrase")
        if self.low is None and self.high is None:
            raise MeasureError("phrase-count needs min, max or both", field="max")
        if self.low is not None and self.high is not None and self.low > self.high:
            raise MeasureError(f"min ({self.low}) is above max ({self.high})", field="min")
        words = regex.escape(folded(self.phrase, self.ignore_case))
        self._pattern = regex.compile(rf"(?<!\w){words}(?!\w)")

    def score(self, answer: Answer) -> Score:
        n = sum(1 for _ in self._pattern.finditer(folded(answer.output, self.ignore_case)))
        told = f"“{shown(self.phrase)}” {n} {'time' if n == 1 else 'times'}"
        if self.low is not None and n < self.low:
            return Score(0.0, f"{told}, at least {self.low} wanted")
        if self.high is not None and n > self.high:
            return Score(0.0, f"{told}, at most {self.high} allowed")
        return Score(1.0, told)


class _AtAnEnd(Measure):
    """1 when one of the texts stands at one end of the output."""

    linear = True
    parameters = {
        "values": Parameter("the texts of which one must stand there", TEXTS),
        "ignore_case": Parameter("true to let case differ (default false)", FLAG),
        "absent": Parameter("true where none of them may stand there (default false)", FLAG),
    }
    where = ""

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.values = given(self, parameters, "values")
        self.ignore_case = given(self, parameters, "ignore_case")
        self.absent = given(self, parameters, "absent")
        if not any(v.strip() for v in self.values):
            raise MeasureError(f"{self.name} needs at least one text", field="values")

    def stands(self, text: str, value: str) -> bool:
        """Whether the text has the value at this end."""
        raise NotImplementedError

    def score(self, answer: Answer) -> Score:
        text = answer.output.strip()
        plain = folded(text, self.ignore_case)
        found = next(
            (
                v
                for v in self.values
                if v.strip() and self.stands(plain, folded(v, self.ignore_case).strip())
            ),
            None,
        )
        if self.absent:
            if found is not None:
                return Score(0.0, f"it {self.where} with “{shown(found)}”")
            return Score(1.0, "it does not")
        if found is not None:
            return Score(1.0, f"it {self.where} with “{shown(found)}”")
        return Score(0.0, f"it {self.where} with “{shown(self.shown_end(text))}”")

    def shown_end(self, text: str) -> str:
        """The end of the text that is told."""
        raise NotImplementedError


class BeginsWith(_AtAnEnd):
    """1 when the output begins with one of the texts."""

    name = "begins-with"
    description = "The output begins with one of the texts, or with none of them; blanks apart."
    where = "begins"
    worked = ({"values": ["Dear"]}, "Dear guest, it sails.", None, 1.0)

    def stands(self, text: str, value: str) -> bool:
        return text.startswith(value)

    def shown_end(self, text: str) -> str:
        return text[:30]


class EndsWith(_AtAnEnd):
    """1 when the output ends with one of the texts."""

    name = "ends-with"
    description = "The output ends with one of the texts, or with none of them; blanks apart."
    where = "ends"
    worked = ({"values": ["."], "absent": True}, "It sails.", None, 0.0)

    def stands(self, text: str, value: str) -> bool:
        return text.endswith(value)

    def shown_end(self, text: str) -> str:
        return text[-30:]


class NoEndStop(Measure):
    """The share of an answer's parts that end without a full stop."""

    linear = True
    name = "no-end-stop"
    description = (
        "No full stop at the end: of the whole, or of each line or bullet; the share that has none."
    )
    parameters = {
        "each": Parameter(
            "whole (the default), lines or bullets", CHOICE, ("whole", "lines", "bullets")
        )
    }
    worked = ({"each": "lines"}, "Boat late.\nCrew kind", None, 0.5)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.each = given(self, parameters, "each")

    def score(self, answer: Answer) -> Score:
        text = newlines(answer.output).strip()
        parts = [text] if self.each == "whole" else PARTS[self.each](text)
        if not parts or not text:
            return Score(0.0, "the answer is empty" if not text else f"there are no {self.each}")
        ends = [p.rstrip().rstrip(_WRAPPED) for p in parts]
        # Three dots leave a thought open; they are no full stop.
        wrong = [
            i for i, e in enumerate(ends, 1) if e.endswith(tuple(_STOPS)) and not e.endswith("...")
        ]
        if not wrong:
            return Score(1.0, "no full stop at the end")
        if self.each == "whole":
            return Score(0.0, "it ends with a full stop")
        share = 1 - len(wrong) / len(parts)
        return Score(
            share,
            f"{len(wrong)} of {len(parts)} {self.each} end with a full stop; number {wrong[0]} first",
        )


class NoCharacters(Measure):
    """1 when the output holds none of the characters."""

    linear = True
    name = "no-characters"
    description = "The output holds none of the characters; emoji can be ruled out as a whole."
    parameters = {
        "characters": Parameter("the characters that must not stand in it, as one text", TEXT),
        "emoji": Parameter("true where no emoji may stand in it (default false)", FLAG),
    }
    worked = ({"characters": "!"}, "Late again!", None, 0.0)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.characters = parameters.get("characters", "")
        self.emoji = given(self, parameters, "emoji")
        if not isinstance(self.characters, str):
            raise MeasureError("characters is a text", field="characters")
        if not self.characters and not self.emoji:
            raise MeasureError("no-characters needs characters, or emoji", field="characters")
        self._emoji = regex.compile(EMOJI, regex.V1)

    def score(self, answer: Answer) -> Score:
        found = [c for c in dict.fromkeys(self.characters) if c in answer.output]
        if self.emoji:
            found += list(dict.fromkeys(self._emoji.findall(answer.output)))[:5]
        if found:
            return Score(0.0, "it holds " + " ".join(found[:8]))
        return Score(1.0, "it holds none of them")


class RelativeLength(Measure):
    """1 when the output's length, as a share of an input's, lies within the limits."""

    linear = True
    name = "relative-length"
    description = (
        "The length of the output as a share of an input's lies within limits: 0.5 is half as long."
    )
    parameters = {
        "input": Parameter("the input it is held against; all of them where none is named", TEXT),
        "unit": Parameter(
            "words (the default), characters, sentences or lines",
            CHOICE,
            ("words", "characters", "sentences", "lines"),
        ),
        "min": Parameter("least share, such as 0.4 (optional)", NUMBER, high=1000),
        "max": Parameter("greatest share, such as 0.5 (optional)", NUMBER, high=1000),
    }
    worked = ({"max": 0.5}, "late", None, None)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.input = parameters.get("input", "")
        self.unit = given(self, parameters, "unit")
        self.low, self.high = given(self, parameters, "min"), given(self, parameters, "max")
        if not isinstance(self.input, str):
            raise MeasureError("input is the name of one", field="input")
        if self.low is None and self.high is None:
            raise MeasureError("relative-length needs min, max or both", field="max")
        if self.low is not None and self.high is not None and self.low > self.high:
            raise MeasureError(f"min ({self.low}) is above max ({self.high})", field="min")

    def score(self, answer: Answer) -> Score:
        if self.input:
            if answer.inputs.get(self.input) is None:
                return Score(None, f"the case has no input {self.input}")
            given_ = value_as_text(answer.inputs[self.input])
        else:
            given_ = "\n".join(value_as_text(v) for v in answer.inputs.values() if v is not None)
        counted = UNITS[self.unit]
        base, n = counted(given_), counted(answer.output)
        if base == 0:
            return Score(None, "the input is empty")
        share = n / base
        told = f"{n} of {base} {self.unit}, {share:.2f} of it"
        if self.low is not None and share < self.low:
            return Score(0.0, f"{told}, at least {self.low:g} wanted")
        if self.high is not None and share > self.high:
            return Score(0.0, f"{told}, at most {self.high:g} allowed")
        return Score(1.0, told)
