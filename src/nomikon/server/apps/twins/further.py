"""Where it breaks: more twins of the kinds and cases that broke, and the same changes fewer at a time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import zip_longest

from nomikon.core import twins as core
from nomikon.core.errors import PlanError
from nomikon.core.twins.by_model import BY_MODEL
from nomikon.core.twins.narrowing import narrowed
from nomikon.server.apps.datasets.models import WORKING, CaseRevision
from nomikon.server.apps.trials.models import Trial
from nomikon.server.apps.trials.planning import entries_of
from nomikon.server.apps.twins.choosing import Making, as_case, first_text, lists_of
from nomikon.server.apps.twins.models import Twin, TwinSet
from nomikon.server.apps.twins.pairing import judged

# So many more of a kind and case that broke.
EACH = 3
MOST_FURTHER = 1_000


def further(found: TwinSet, trial: Trial, arm: int, most: int) -> Making:
    """Up to `most` twins where an arm's pairs broke: of each pair that did, its change in fewer places, then
    further twins of that kind and case; kinds that broke more come first. Raises PlanError where none did.
    """
    if not 1 <= most <= MOST_FURTHER:
        raise PlanError(f"at most is {most}; allowed is 1 to {MOST_FURTHER}", field="most")
    broken = {
        p.twin for p in judged(found, trial).pairs if p.arm == arm and p.holds not in (None, 1.0)
    }
    if not broken:
        raise PlanError("none of this arm's pairs breaks: there is nowhere to search", field="arm")
    twins = list(found.twins.filter(pk__in=broken).select_related("original__case", "revision"))
    by_number = {e.revision.case.number: e for e in entries_of(found.of, WORKING)}
    others = [as_case(e.revision) for e in by_number.values()]
    lists = replace(lists_of(found.brief), values=_own_lists(found))
    by_kind: dict[str, list[list[core.Twin]]] = {}
    for twin in twins:
        entry = by_number.get(twin.original.case.number)
        if entry is not None:
            by_kind.setdefault(twin.kind, []).append(
                _of_one(twin, entry.revision, found.seed, lists, others)
            )
    ranked = sorted(by_kind.values(), key=len, reverse=True)
    # One of each broken pair in turn, so that a small budget reaches all of them.
    turns = zip_longest(*(made for kind in ranked for made in kind))
    made = [t for turn in turns for t in turn if t is not None][:most]
    wanted = {t.case for t in made}
    return Making(
        found.of,
        [e for e in by_number.values() if str(e.revision_id) in wanted],
        made,
        [],
        list(dict.fromkeys(t.kind for t in made)),
        EACH,
        found.seed + 1,
    )


def _own_lists(found: TwinSet) -> dict[str, list[str]]:
    """Own lists, as far as the set's twins tell what stands on them."""
    values: dict[str, set[str]] = {}
    for kind, about in found.twins.exclude(kind__in=core.all_kinds()).values_list("kind", "about"):
        if kind not in BY_MODEL:
            values.setdefault(kind, set()).update(
                filter(None, (about.get("was"), about.get("becomes")))
            )
    return {kind: sorted(held) for kind, held in values.items() if len(held) > 1}


def _of_one(
    twin: Twin,
    source: CaseRevision,
    seed: int,
    lists: core.Lists,
    others: Sequence[core.TwinCase],
) -> list[core.Twin]:
    """The changes of a twin fewer at a time, and others of its kind."""
    name = str(twin.about.get("input", ""))
    before, after = (first_text(r.inputs, name) for r in (source, twin.revision))
    made: list[core.Twin] = []
    if twin.expects == core.SAME_ANSWER and "was" not in twin.about:
        made = [
            core.Twin(
                str(source.pk),
                twin.kind,
                {**source.inputs, name: text},
                twin.expects,
                {"input": name, "fewer": True},
            )
            for text in narrowed(before, after)
        ]
    if twin.kind not in core.all_kinds(lists):
        # A model wrote it: by rule there is no other like it.
        return made
    case = as_case(source)
    more, _ = core.make_twins([case], [twin.kind], EACH, seed + 1, lists, others)
    return made + [t for t in more if first_text(t.inputs, name) not in (before, after)]
