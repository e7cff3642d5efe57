"""Thresholds as JUnit XML, which continuous integration servers read."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from xml.etree import ElementTree

from nomikon.core.prompts.rendering import value_as_text

# XML 1.0 holds no other control characters.
_UNFIT = re.compile(r"[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


MOST_CASES = 10
LONGEST = 400


@dataclass(frozen=True)
class FailingCase:
    """One answer that speaks against a threshold: its case by name, the repeat from 0, why it scores so."""

    case: str
    repeat: int
    inputs: Mapping[str, Any]
    answer: str
    score: float | None
    why: str


def junit(
    trial: str,
    arms: Sequence[dict[str, Any]],
    thresholds: Sequence[dict[str, Any]],
    strict: bool,
    *,
    seconds: float = 0.0,
    arm_seconds: Mapping[str, float] | None = None,
    failing: Callable[[str, str], Sequence[FailingCase]] = lambda arm, measure: (),
) -> str:
    """One suite; a case for every arm (did it answer at all) and for every threshold.

    A missed threshold is a failure, an unsure one is a failure only when strict, else it is skipped
    with what is known; a property says whether it was strict. seconds: the whole run's;
    arm_seconds: what the calls of each arm took together. failing: of an arm and a measure, the
    answers that score lowest, which stand in the failure's text.
    """
    suite = ElementTree.Element("testsuite", name=_fit(trial), time=f"{seconds:.3f}")
    properties = ElementTree.SubElement(suite, "properties")
    ElementTree.SubElement(properties, "property", name="strict", value=str(strict).lower())
    failures = skipped = 0
    for arm in arms:
        case = ElementTree.SubElement(
            suite,
            "testcase",
            classname=_fit(arm["arm"]),
            name="has answers",
            time=f"{(arm_seconds or {}).get(arm['arm'], 0.0):.3f}",
        )
        text = f"{arm['failed']} of {arm['n']} outputs failed"
        if arm["mean"] is None:
            failures += 1
            ElementTree.SubElement(case, "failure", message=text)
        elif arm["failed"]:
            ElementTree.SubElement(case, "system-out").text = text
    for row in thresholds:
        case = ElementTree.SubElement(
            suite, "testcase", classname=_fit(row["arm"]), name=f"{row['measure']} {_rule(row)}"
        )
        text = in_words(row)
        if row["state"] == "missed" or (row["state"] == "unsure" and strict):
            failures += 1
            failure = ElementTree.SubElement(case, "failure", message=_fit(text))
            failure.text = _fit(_told(failing(row["arm"], row["measure"])))
        elif row["state"] == "unsure":
            skipped += 1
            ElementTree.SubElement(case, "skipped", message=text)
    suite.set("tests", str(len(arms) + len(thresholds)))
    suite.set("failures", str(failures))
    suite.set("skipped", str(skipped))
    suite.set("errors", "0")
    return ElementTree.tostring(suite, encoding="unicode", xml_declaration=True) + "\n"


def _told(cases: Sequence[FailingCase]) -> str:
    return "\n\n".join(
        "\n".join(
            [
                f"case {c.case}, repeat {c.repeat + 1}: "
                f"{'no score' if c.score is None else f'{c.score:.3f}'}, {c.why}",
                *(f"  {name}: {_short(value)}" for name, value in c.inputs.items()),
                f"  answer: {_short(c.answer)}",
            ]
        )
        for c in cases[:MOST_CASES]
    )


def _short(value: Any) -> str:
    text = " ".join(value_as_text(value).split()) if value is not None else ""
    return text if len(text) <= LONGEST else f"{text[:LONGEST]}…"


def in_words(row: dict[str, Any]) -> str:
    """A threshold in one line."""
    if row["reached"] is None:
        return f"{row['measure']} of {row['arm']}: {_rule(row)} needed, no figure: unsure"
    return (
        f"{row['measure']} of {row['arm']}: {_rule(row)} needed, {row['reached']:.3f} reached "
        f"({row['low']:.3f} to {row['high']:.3f}): {row['state']}"
    )


def _rule(row: dict[str, Any]) -> str:
    return f"{row['rule']} {row['needed']:g}"


def _fit(text: str) -> str:
    return _UNFIT.sub("�", text)
