"""The store of answers: the same call is never paid for twice."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from django.db.models import Q

from nomikon.engine.asking import next_ask
from nomikon.engine.units import RECEIVED, StoredAnswer, Unit
from nomikon.server.apps.trials.models import Call

# SQLite takes a limited number of values in one question.
CHUNK = 500


def stored_answers(keys: Sequence[str]) -> dict[str, StoredAnswer]:
    """Answers had before, by key; the oldest where there are several.

    A failed call has no answer. A model that has since reported another
    identity would answer otherwise, so what its former self said is left out.
    """
    found: dict[str, StoredAnswer] = {}
    identities: dict[int, str] = {}
    for start in range(0, len(keys), CHUNK):
        calls = (
            Call.objects.filter(
                answer_key__in=keys[start : start + CHUNK],
                tokens_out__isnull=False,
                reused_from__isnull=True,
            )
            .select_related("output__arm__model")
            .order_by("id")
        )
        for call in calls:
            if call.answer_key in found:
                continue
            model = call.asked_model_id or call.output.arm.asked_model.pk
            if model not in identities:
                identities[model] = latest_identity(model)
            if call.model_identity == identities[model]:
                found[call.answer_key] = _plain(call)
    return found


def join_shared(keys: Collection[str]) -> None:
    """Calls whose answer another output was just having get that one's call, as soon as both are stored.

    Until then such a call counts as one that was asked: should the other never be stored, its price
    is told once all the same.
    """
    wanted = list(keys)
    for start in range(0, len(wanted), CHUNK):
        some = Call.objects.filter(
            answer_key__in=wanted[start : start + CHUNK],
            reused_from__isnull=True,
            tokens_out__isnull=False,
        )
        shared = list(some.filter(attempts=0).values_list("id", "answer_key"))
        if not shared:
            continue
        paid: dict[str, int] = {}
        for pk, key in some.filter(attempts__gt=0).order_by("id").values_list("id", "answer_key"):
            paid.setdefault(key, pk)
        for pk, key in shared:
            if key in paid:
                Call.objects.filter(pk=pk).update(reused_from=paid[key])


def count_stored(units: Iterable[Unit]) -> int:
    """How many of these outputs' first answers are in the store already."""
    keys = [ask.key for ask in (next_ask(u) for u in units) if ask is not None]
    known = stored_answers(keys)
    return sum(1 for k in keys if k in known)


def latest_identity(model_id: int) -> str:
    """What a model called itself in the newest answer that was asked for."""
    return (
        Call.objects.filter(
            Q(asked_model_id=model_id) | Q(asked_model=None, output__arm__model_id=model_id),
            reused_from__isnull=True,
            tokens_out__isnull=False,
        )
        .order_by("-id")
        .values_list("model_identity", flat=True)
        .first()
        or ""
    )


def _plain(call: Call) -> StoredAnswer:
    kept = {name: getattr(call, name) for name in RECEIVED}
    tools = tuple((name, arguments) for name, arguments in call.tool_calls)
    return StoredAnswer(
        call.pk, **{**kept, "finish_reason": call.finish_reason or None, "tool_calls": tools}
    )
