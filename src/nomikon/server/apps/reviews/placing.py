"""Where remarks belong: as a person put them, and by vectors where a brief has an embedder."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

import numpy as np

from nomikon.core.prompts.evidence import Remark, remark_id
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.reviews.models import Embedder, RemarkPlace, RemarkVector


def moved_in(brief: Brief) -> dict[str, str]:
    """What a person moved, as core's `gather_faults` takes it."""
    return dict(RemarkPlace.objects.filter(brief=brief).values_list("remark", "beside"))


def embedder_of(brief: Brief) -> Embedder | None:
    """What puts the brief's remarks into vectors; None where they are grouped by their words."""
    return Embedder.objects.filter(brief=brief).select_related("connection").first()


def vectors_of(brief: Brief, remarks: Sequence[Remark]) -> dict[str, list[float]]:
    """Vectors of remarks by `remark_id`, as far as they were fetched."""
    embedder = embedder_of(brief)
    if embedder is None:
        return {}
    wanted = {digest_of(r.text): remark_id(r) for r in remarks}
    stored = RemarkVector.objects.filter(
        connection=embedder.connection, model=embedder.model, digest__in=list(wanted)
    )
    packed = dict(stored.values_list("digest", "packed"))
    return {
        remark_id(r): np.frombuffer(packed[digest_of(r.text)], dtype="<f4").tolist()
        for r in remarks
        if digest_of(r.text) in packed
    }


def without_vector(embedder: Embedder, remarks: Sequence[Remark]) -> list[str]:
    """Texts of remarks that have no vector yet, each once."""
    texts = {digest_of(r.text): r.text for r in remarks if r.text.strip()}
    known = RemarkVector.objects.filter(
        connection=embedder.connection, model=embedder.model, digest__in=list(texts)
    )
    had = set(known.values_list("digest", flat=True))
    return [text for digest, text in texts.items() if digest not in had]


def digest_of(text: str) -> str:
    """What a vector is known by."""
    return hashlib.sha256(text.encode()).hexdigest()
