"""Thresholds as JUnit XML, which continuous integration servers read."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any
from xml.etree import ElementTree

# XML 1.0 holds no other control characters.
_UNFIT = re.compile(r"[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def junit(
    trial: str, arms: Sequence[dict[str, Any]], thresholds: Sequence[dict[str, Any]], strict: bool
) -> str:
    """One suite; a case for every arm (did it answer at all) and for every threshold.

    A missed threshold is a failure, an unsure one is a failure only when
    strict, else it is skipped with what is known.
    """
    suite = ElementTree.Element("testsuite", name=_fit(trial))
    failures = skipped = 0
    for arm in arms:
        case = ElementTree.SubElement(
            suite, "testcase", classname=_fit(arm["arm"]), name="has answers"
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
            ElementTree.SubElement(case, "failure", message=text)
        elif row["state"] == "unsure":
            skipped += 1
            ElementTree.SubElement(case, "skipped", message=text)
    suite.set("tests", str(len(arms) + len(thresholds)))
    suite.set("failures", str(failures))
    suite.set("skipped", str(skipped))
    suite.set("errors", "0")
    return ElementTree.tostring(suite, encoding="unicode", xml_declaration=True) + "\n"


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
