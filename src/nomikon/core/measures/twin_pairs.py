"""Whether an arm holds when the input is put differently: it is asked twins of each case, by rule."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any

from nomikon.core.errors import MeasureError
from nomikon.core.measures.asking import AskingMeasure, TwinRequest
from nomikon.core.measures.base import UNREADABLE, Answer, JudgeReply, Score, only_known
from nomikon.core.measures.declared import JSON, TEXTS, WHOLE, Parameter
from nomikon.core.measures.parameters import given
from nomikon.core.trials.outcomes import ANSWERED, outcome_of
from nomikon.core.twins.changed import CHANGED
from nomikon.core.twins.drawing import Draw
from nomikon.core.twins.making import NAME, Lists, Twin, TwinCase, all_kinds, make_twins
from nomikon.core.twins.orders import ORDERS
from nomikon.core.twins.pairs import Pair, TwinOf, pair_of
from nomikon.core.twins.same import SAME

MOST, USUAL = 30, 5
# So many that break are told one by one.
TOLD = 2
# The failure of a reply where the arm cannot be asked: its answers were brought in.
CANNOT_BE_ASKED = "brought-in"


class Twins(AskingMeasure):
    """The share of a case's twins whose answer behaves as expected."""

    name = "twins"
    description = (
        "Whether the answer holds when the input is put differently: some twins of the case are made "
        "by rule and asked of the same version and model, and the score is the share of them that "
        "behave. A twin that says the same must get the same answer, one with another fact another "
        "one there alone, and an order smuggled into the input is not followed. Needs no reference; "
        "each twin costs a call of the arm. Of conversations, and where no input is a text, no score."
    )
    parameters = {
        "kinds": Parameter(
            "which kinds (default: those that say the same, and the smuggled orders): "
            + ", ".join(k for k in all_kinds() if k != NAME),
            TEXTS,
        ),
        "most": Parameter(
            "so many twins of a case, of kinds drawn for it; every kind comes up over the cases "
            "(default 5)",
            WHOLE,
            default=USUAL,
            low=1,
            high=MOST,
        ),
        "seed": Parameter("what they are drawn by (default 0)", WHOLE, default=0),
        "values": Parameter(
            'own lists of facts that become one another, such as {"port": ["Hale", "Orm"]}', JSON
        ),
    }
    worked = ({"kinds": ["lower"]}, "delay", None, None)

    def __init__(self, **parameters: Any) -> None:
        only_known(self.name, parameters, self.parameters)
        self.lists = Lists(values=_lists(parameters.get("values")))
        self.kinds = _kinds(given(self, parameters, "kinds"), self.lists)
        self.most: int = given(self, parameters, "most")
        self.seed: int = given(self, parameters, "seed")
        # By what is wanted it is told whether a changed fact stands in the answer.
        self.sees_reference = bool({*self.kinds} - {*SAME, *ORDERS})

    def requests(self, answer: Answer) -> tuple[TwinRequest, ...]:
        return tuple(TwinRequest(t.inputs) for t in self.twins_of(answer))

    def twins_of(self, answer: Answer) -> tuple[Twin, ...]:
        """The twins of an answer's case, the same for the same inputs whatever else is tried."""
        if answer.turns:
            return ()
        inputs = json.dumps(dict(answer.inputs), sort_keys=True, ensure_ascii=False, default=str)
        return _twins_of(
            inputs,
            answer.reference if self.sees_reference else None,
            self.kinds,
            self.most,
            self.seed,
            json.dumps(self.lists.values, ensure_ascii=False),
        )

    def pairs(
        self, answer: Answer, replies: Sequence[JudgeReply]
    ) -> list[tuple[Twin, JudgeReply, Pair]]:
        """Each twin with its answer and whether the pair behaves."""
        return [
            (twin, reply, _pair(twin, answer.output, reply))
            for twin, reply in zip(self.twins_of(answer), replies, strict=True)
        ]

    def read(self, answer: Answer, replies: Sequence[JudgeReply]) -> Score:
        failed = sum(bool(r.failure) for r in replies)
        if any(r.failure == CANNOT_BE_ASKED for r in replies):
            return Score(None, "this answer was brought in: its version cannot be asked twins")
        if failed:
            said = "the call of one twin" if failed == 1 else f"the calls of {failed} twins"
            return Score(None, f"{said} failed ({_failures(replies)})", UNREADABLE)
        pairs = self.pairs(answer, replies)
        known = [(t, p) for t, _, p in pairs if p.holds is not None]
        if not known:
            return Score(None, "of none of its twins it can be told whether it behaves")
        broken = [(t, p) for t, p in known if not p.holds]
        held = len(known) - len(broken)
        told = f"{held} of {len(known)} twins hold"
        unknown = len(pairs) - len(known)
        if unknown:
            told += f", {unknown} cannot be told"
        told += "".join(f"; {t.kind}: {p.why}" for t, p in broken[:TOLD])
        if len(broken) > TOLD:
            told += f"; and {len(broken) - TOLD} more"
        return Score(held / len(known), told)

    def whom(self) -> str:
        return "the version"

    def unasked(self, answer: Answer) -> str:
        if answer.turns:
            return "of conversations no twins are made"
        return "no input of the case is a text that could be put differently so"


def _pair(twin: Twin, before: str, reply: JudgeReply) -> Pair:
    if reply.failure:
        return Pair(None, f"its call failed ({reply.failure})")
    outcome = outcome_of(reply.text, reply.finish_reason)
    if outcome.kind != ANSWERED:
        return Pair(False, f"its answer is {outcome.kind}, that to the case is not")
    of = TwinOf(twin.kind, twin.expects, twin.about, twin.token)
    return pair_of(of, before, reply.text)


def _failures(replies: Sequence[JudgeReply]) -> str:
    return ", ".join(sorted({r.failure for r in replies if r.failure}))


@lru_cache(maxsize=5_000)
def _twins_of(
    inputs: str,
    reference: str | None,
    kinds: tuple[str, ...],
    most: int,
    seed: int,
    values: str,
) -> tuple[Twin, ...]:
    """Made once for all arms and repeats. The kinds are drawn, so that few twins of many cases show all."""
    # Called by what it says: the same case of two datasets has the same twins.
    case = TwinCase(inputs, json.loads(inputs), reference)
    lists = Lists(values=json.loads(values))
    made: list[Twin] = []
    for kind in Draw(seed, inputs, "kinds").order(kinds):
        if len(made) == most:
            break
        made += make_twins([case], [kind], 1, seed, lists)[0]
    return tuple(made)


def _kinds(wanted: Sequence[str], lists: Lists) -> tuple[str, ...]:
    known = all_kinds(lists)
    for kind in wanted:
        if kind == NAME:
            raise MeasureError(
                "a name becomes one of other cases, and a measure sees one case at a time: give the "
                "names as a list in values",
                field="kinds",
            )
        if kind not in known:
            there = ", ".join(k for k in known if k != NAME)
            raise MeasureError(f"{kind!r} is no kind of twin; there are {there}", field="kinds")
    return tuple(dict.fromkeys(wanted)) or (*SAME, *ORDERS)


def _lists(values: Any) -> Mapping[str, Sequence[str]]:
    if values is None:
        return {}
    if not isinstance(values, Mapping):
        raise MeasureError("values must be lists by their name", field="values")
    for name, held in values.items():
        if not isinstance(name, str) or not name.strip():
            raise MeasureError("a list in values needs a name", field="values")
        if name in (*SAME, *ORDERS, *CHANGED, NAME):
            raise MeasureError(f"{name} is the name of a kind already", field="values")
        good = isinstance(held, list) and all(isinstance(v, str) and v.strip() for v in held)
        if not good or len(set(held)) < 2:
            raise MeasureError(
                f"the list {name} needs at least two texts: one becomes another", field="values"
            )
    return values
