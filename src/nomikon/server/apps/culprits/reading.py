"""What a search found: the share of each amendment, and who moved which case."""

from __future__ import annotations

import math

import numpy as np

from nomikon.core.errors import PlanError
from nomikon.core.results.figures import matrix
from nomikon.core.stats.culprits import Share, Shares, Subset, shares_of
from nomikon.server.apps.culprits.models import CulpritSearch
from nomikon.server.apps.culprits.reads import CulpritShare, MovedCase, SearchRow, SearchShape
from nomikon.server.apps.datasets.models import CaseRevision
from nomikon.server.apps.trials.models import COMPLETE, Output
from nomikon.server.apps.trials.results import results_of

# A case is said to be moved by an amendment that has at least this share of its change.
MOSTLY = 0.5
HAIR = 1e-9


def search_facts(search: CulpritSearch) -> SearchRow:
    """What a search is and how far it has come."""
    trial = search.trial
    return {
        "id": search.pk,
        "older": search.older.asked_version.number,
        "newer": search.newer.asked_version.number,
        "older_arm": search.older_id,
        "newer_arm": search.newer_id,
        "model": search.newer.asked_model.name,
        "of": search.of_id,
        "of_number": search.of.number,
        "trial": trial.pk,
        "trial_number": trial.number,
        "state": trial.state,
        "done": Output.objects.filter(arm__trial=trial).count(),
        "of_outputs": trial.n_outputs,
        "created_at": search.created_at,
    }


def search_detail(search: CulpritSearch) -> SearchShape:
    """A search with its shares; none of them before its trial is complete."""
    found, message = shares_in(search)
    shares = found.shares if found else []
    cases = _moved(search, found) if found else []
    of_case = [c["by"] for c in cases]
    change = [c["change"] for c in cases]
    return {
        **search_facts(search),
        "amendments": search.amendments,
        "how": found.how if found else "",
        "difference": found.difference if found else None,
        "n_used": found.n_cases if found else 0,
        "n_dropped": found.n_dropped if found else 0,
        "shares": [
            _share(
                s,
                sum(by == i and up > 0 for by, up in zip(of_case, change, strict=True)),
                sum(by == i and up < 0 for by, up in zip(of_case, change, strict=True)),
            )
            for i, s in enumerate(shares)
        ],
        "cases": cases,
        "saved": search.saved,
        "message": message,
    }


def shares_in(search: CulpritSearch) -> tuple[Shares | None, str]:
    """The shares, and why there are none: "" where there are, or where the trial is not complete."""
    trial = search.trial
    if trial.state != COMPLETE:
        return None, ""
    table = results_of(trial)
    arms, cases, means = matrix(table)
    places = {pk: i for i, pk in enumerate(arms)}
    scores: dict[Subset, dict[str, float]] = {}
    order = trial.arms.order_by("position").values_list("pk", flat=True)
    for pk, taken in zip(order, search.subsets, strict=True):
        if str(pk) not in places:
            continue
        column = means[:, places[str(pk)]]
        scores[frozenset(taken)] = {
            c: float(x) for c, x in zip(cases, column, strict=True) if not np.isnan(x)
        }
    requires = {a["id"]: tuple(a["requires"]) for a in search.amendments}
    try:
        orders = [tuple(frozenset(g) for g in order) for order in search.orders]
        return shares_of(requires, scores, orders=orders, seed=trial.seed), ""
    except PlanError as error:
        return None, error.message


def _share(share: Share, better: int, worse: int) -> CulpritShare:
    # What does nothing at all comes out a hair off 0.
    word = "helped" if share.low > HAIR else "hurt" if share.high < -HAIR else "not shown"
    return {
        "amendments": share.amendment.split("+"),
        "share": share.share,
        "low": share.low,
        "high": share.high,
        "added": _known(share.added),
        "taken_back": _known(share.taken_back),
        "parts": share.parts,
        "word": word,
        "better": better,
        "worse": worse,
    }


def _known(x: float) -> float | None:
    return None if math.isnan(x) else x


def _moved(search: CulpritSearch, found: Shares) -> list[MovedCase]:
    """The cases that moved, the worst first, each with what each amendment did to it."""
    asked = {str(pk) for pk in (*search.better, *search.worse)}
    numbers = dict(
        CaseRevision.objects.filter(pk__in=[int(k) for k in found.by_case]).values_list(
            "pk", "case__number"
        )
    )
    rows: list[MovedCase] = []
    for key, shares in found.by_case.items():
        change = sum(shares)
        if key not in asked:
            continue
        rows.append(
            {
                "case": numbers[int(key)],
                "revision": int(key),
                "change": change,
                "shares": shares,
                "by": mover(shares, change),
            }
        )
    return sorted(rows, key=lambda r: (r["change"], r["case"]))


def mover(shares: list[float], change: float) -> int | None:
    """The place of the amendment that did most of a case's change; None where none did half of it.

    >>> mover([-0.9, 0.1], -0.8)
    0
    """
    if abs(change) < HAIR:
        return None
    at = max(range(len(shares)), key=lambda i: shares[i] * math.copysign(1, change))
    return at if shares[at] / change >= MOSTLY else None
