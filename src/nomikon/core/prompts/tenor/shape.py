"""What a prompt is read to ask for: the parts of its tenor."""

from __future__ import annotations

from dataclasses import dataclass, field

RULE, MODEL, PERSON = SOURCES = ("rule", "model", "person")
LABEL, JSON, TABLE, BULLETS, NUMBERED, PROSE, CODE = FORMS = (
    "label", "json", "table", "bullets", "numbered", "prose", "code",
)  # fmt: skip
MUST, MUST_NOT = "must", "must-not"
NEVER, SAYS, BEGINS, ENDS, NO_STOP, NO_CHARACTERS, TIMES, RELATIVE = SIGNS = (
    "never", "says", "begins", "ends", "no-stop", "no-characters", "times", "relative",
)  # fmt: skip


@dataclass(frozen=True)
class Words:
    """Words of the prompt: message by index, code points in its content, the clause they stand in."""

    message: int
    start: int
    end: int
    text: str
    clause: int | None
    source: str = RULE


@dataclass(frozen=True)
class Limit:
    """what: one of lexicon.UNITS. per: the part that each is so long, "" for the whole answer.

    low, high: what is allowed, both ends included; None where that end is open.
    """

    what: str
    per: str
    low: int | None
    high: int | None
    words: Words
    # Whether its clause goes on to another part of the answer: "then write a reply of 3 sentences".
    further: bool = False


@dataclass(frozen=True)
class Label:
    """definition: "" where the prompt gives none."""

    label: str
    definition: str
    words: Words


@dataclass(frozen=True)
class Key:
    """A key of the JSON that is asked for; type: a JSON type, "" where it is not said."""

    name: str
    type: str


@dataclass(frozen=True)
class Input:
    """A placeholder. marks: what stands before and after it, such as (`<text>`, `</text>`); "" for none."""

    name: str
    marks: tuple[str, str]
    words: Words


@dataclass(frozen=True)
class Example:
    """A worked example. answer: where its output stands."""

    input: str
    output: str
    words: Words
    answer: Words


@dataclass(frozen=True)
class Said:
    """A rule of the prompt: something that must be so, or must not; instead: what then, where it is said."""

    polarity: str
    words: Words
    instead: Words | None = None


@dataclass(frozen=True)
class Sign:
    """A rule about single words, signs or places. kind: one of SIGNS.

    values: the words it speaks of; of `no-stop` the parts, of `no-characters` these and `emoji`, of
    `relative` the greatest share of the input's length. absent: none of them may stand there. low,
    high: how often.
    """

    kind: str
    values: tuple[str, ...]
    words: Words
    absent: bool = False
    low: int | None = None
    high: int | None = None


@dataclass(frozen=True)
class Output:
    """The form that the answer shall have; form: one of FORMS, "" where it is not said.

    closed: whether the list of labels is said to be all there is. words: where the form is said.
    """

    form: str = ""
    keys: tuple[Key, ...] = ()
    columns: tuple[str, ...] = ()
    labels: tuple[Label, ...] = ()
    closed: bool = False
    words: Words | None = None


@dataclass(frozen=True)
class Tenor:
    """language: ISO 639-1 of the instructions, "" where it cannot be told or is none that is read.

    What needs words of a language stays empty then.
    """

    language: str = ""
    kind: str = "other"
    task: Words | None = None
    role: Words | None = None
    audience: Words | None = None
    tone: Words | None = None
    answer_language: str = ""
    # Every language that a clause asks the answer to be in, with its words.
    answer_languages: tuple[tuple[str, Words], ...] = ()
    inputs: tuple[Input, ...] = ()
    output: Output = field(default_factory=Output)
    limits: tuple[Limit, ...] = ()
    rules: tuple[Said, ...] = ()
    signs: tuple[Sign, ...] = ()
    examples: tuple[Example, ...] = ()
    cue: Words | None = None
    left_overs: tuple[Words, ...] = ()
    # Labels that a clause names beside the list: of the list by its wording, or not.
    beside_the_list: tuple[Words, ...] = ()
    # Words that ask for flowing text.
    prose: tuple[Words, ...] = ()
    # Marks that open and never close.
    unclosed: tuple[Words, ...] = ()
