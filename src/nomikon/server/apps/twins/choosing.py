"""Which working cases get twins, of what kinds, and what comes of that before anything is stored."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from nomikon.core.errors import PlanError
from nomikon.core.prompts import check_messages
from nomikon.core.prompts.alignment import word_changes
from nomikon.core.prompts.placeholders import fence_end
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.prompts.tenor import read_tenor
from nomikon.core.prompts.tenor.shape import LABEL
from nomikon.core.trials.choosing import CasesChoice
from nomikon.core.twins import SYNONYMS, Lists, Twin, TwinCase, Unmade, all_kinds, make_twins
from nomikon.core.twins.by_model import BY_MODEL
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.briefs.reads import WordChangeShape
from nomikon.server.apps.datasets.models import WORKING, CaseRevision, DatasetVersion, Entry
from nomikon.server.apps.datasets.versioning import newest_version
from nomikon.server.apps.trials.planning import chosen_of

# Twins are looked at and paid for: more at once would be neither.
MOST_TWINS, MOST_CASES = 3_000, 500
# Comparing word by word takes time with the square of the length.
LONGEST_COMPARED = 40_000


@dataclass(frozen=True)
class Making:
    """What would be stored. entries: of the cases that have a twin, in their order."""

    of: DatasetVersion
    entries: list[Entry]
    twins: list[Twin]
    unmade: list[Unmade]
    kinds: list[str]
    each: int
    seed: int


def make(
    brief: Brief,
    *,
    dataset: int,
    n_cases: int,
    kinds: Sequence[str],
    each: int,
    seed: int,
    values: Mapping[str, Sequence[str]],
    synonyms: Sequence[Sequence[str]] = (),
) -> Making:
    """Twins of some working cases. dataset: its id. n_cases: so many at random by the seed, every tag in
    its share; 0 for all. kinds: none for all. values: own lists, by their name. synonyms: groups of words
    that mean the same. Raises PlanError."""
    found = brief.datasets.filter(pk=dataset).first()
    version = newest_version(found) if found else None
    if version is None or version.number == 0:
        raise PlanError("this dataset has no cases yet", field="dataset")
    which = "random" if n_cases else "all"
    chosen = chosen_of(version, WORKING, CasesChoice(which=which, n=n_cases or None, seed=seed))
    if not chosen:
        raise PlanError("none of its cases is a working case", field="dataset")
    if len(chosen) > MOST_CASES:
        raise PlanError(
            f"twins of {len(chosen):,} cases are more than anybody looks at: take at most {MOST_CASES}, "
            "at random",
            field="n_cases",
        )
    lists = replace(lists_of(brief), synonyms=_synonyms(synonyms), values=_values(values))
    cases = [as_case(e.revision) for e in chosen]
    made, unmade = make_twins(cases, kinds, each, seed, lists)
    if len(made) > MOST_TWINS:
        raise PlanError(
            f"these would be {len(made):,} twins; more than {MOST_TWINS:,} are not made at once: take "
            "fewer cases or kinds",
            field="n_cases",
        )
    with_twins = {t.case for t in made}
    return Making(
        version,
        [e for e in chosen if str(e.revision_id) in with_twins],
        made,
        unmade,
        list(kinds) or all_kinds(lists),
        each,
        seed,
    )


def as_case(revision: CaseRevision) -> TwinCase:
    """A case as twins are made of it; it is called by its revision."""
    reference = revision.reference
    return TwinCase(
        str(revision.pk),
        revision.inputs,
        None if reference in (None, "") else value_as_text(reference),
    )


def reference_now(twin: Twin, before: str | None) -> str | None:
    """What is wanted of a twin's answer, as far as the change tells it; None where it does not."""
    if twin.expects != "changed" or before is None:
        return before
    fields = twin.about.get("fields")
    if not isinstance(fields, dict) or not fields:
        return None
    if twin.about.get("becomes") and any(v is None for v in fields.values()):
        return None
    return json.dumps({**json.loads(before), **fields}, ensure_ascii=False)


def unmade_by_kind(unmade: Sequence[Unmade]) -> dict[str, list[tuple[str, int]]]:
    """Why there are none, and of how many cases, by kind."""
    found: dict[str, list[tuple[str, int]]] = {}
    for (kind, why), n in Counter((u.kind, u.why) for u in unmade).items():
        found.setdefault(kind, []).append((why, n))
    return found


def lists_of(brief: Brief) -> Lists:
    """What the brief's newest version says: how it ends its input, for the order that feigns that end, and
    the labels that are all the answers there are."""
    version: Version | None = brief.versions.order_by("-number").first()
    if version is None:
        return Lists()
    messages = check_messages(version.messages)
    ends = [fence_end(m.content) for m in messages]
    output = read_tenor(messages, version.settings, brief.task).output
    return Lists(
        end=next((e for e in ends if e), Lists().end),
        labels=[x.label for x in output.labels] if output.form == LABEL and output.closed else (),
    )


def _synonyms(groups: Sequence[Sequence[str]]) -> dict[str, list[str]]:
    """Each word with those that mean the same. Raises PlanError."""
    found: dict[str, list[str]] = {}
    for group in groups:
        words = list(dict.fromkeys(w.strip() for w in group if w.strip()))
        if len(words) < 2:
            raise PlanError(
                f"{' = '.join(group) or 'an empty line'} names one word: there is none to put in its place",
                field="synonyms",
            )
        for word in words:
            found.setdefault(word, []).extend(w for w in words if w != word)
    return found


def _values(own: Mapping[str, Sequence[str]]) -> dict[str, list[str]]:
    """Own lists, checked. Raises PlanError."""
    taken = {*all_kinds(), SYNONYMS, *BY_MODEL}
    found: dict[str, list[str]] = {}
    for name, values in own.items():
        told: list[str] = list(dict.fromkeys(v.strip() for v in values if v.strip()))
        if not name.strip():
            raise PlanError("a list needs a name: port, product …", field="values")
        if name in taken:
            raise PlanError(f"{name} is the name of a kind already", field="values")
        if len(told) < 2:
            raise PlanError(
                f"the list {name} has one value: there is none to put in its place", field="values"
            )
        found[name.strip()] = told
    return found


def first_text(inputs: Mapping[str, Any], name: str) -> str:
    """An input as text, "" where it has none."""
    return value_as_text(inputs[name]) if name in inputs else ""


def words_between(before: str, after: str) -> list[WordChangeShape]:
    """What differs, word by word; of very long texts that they do."""
    if len(before) + len(after) > LONGEST_COMPARED:
        return [{"kind": "gone", "text": before}, {"kind": "new", "text": after}]
    return [{"kind": w.kind, "text": w.text} for w in word_changes(before, after)]
