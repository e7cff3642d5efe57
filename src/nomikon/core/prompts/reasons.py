"""Why a clause was proposed, as it is kept with the version that took it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

LONGEST_FAULT = 400
# Answers in which a fault was seen that are kept with the reason; all are counted.
MOST_OUTPUTS = 12


@dataclass(frozen=True)
class Answered:
    """The fault that a proposal answers. cases: how many it concerns; outputs: where it was seen."""

    label: str = ""
    title: str = ""
    cases: int = 0
    outputs: Sequence[int] = ()

    @property
    def words(self) -> str:
        """Its kind and what was said, the kind left out where it says no more."""
        named = self.label and self.label != self.title
        return (f"{self.label}: {self.title}" if named else self.title)[:LONGEST_FAULT]

    @classmethod
    def of(cls, row: Mapping[str, Any]) -> Answered:
        """From plain data; what is not there is empty."""
        return cls(
            str(row.get("label", "")),
            str(row.get("title", "")),
            int(row.get("cases", 0)),
            tuple(row.get("outputs", ())),
        )


def reason_of(
    kind: str, clause: int, text: str, reason: str, fault: Answered | None = None
) -> dict[str, Any]:
    """A reason as plain data.

    kind: add, amend or strike. clause: as numbered in the parent, or the one that an added clause
    stands after. text: the clause as it reads now, or what was struck.

    >>> reason_of("strike", 3, "Be brief.", "It does nothing.")["cases"]
    0
    """
    fault = fault or Answered()
    return {
        "kind": kind,
        "clause": clause,
        "text": text,
        "reason": reason,
        "fault": fault.words,
        "cases": fault.cases,
        "outputs": list(fault.outputs)[:MOST_OUTPUTS],
    }
