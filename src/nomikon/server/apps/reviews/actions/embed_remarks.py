"""Have an embeddings model put remarks into vectors, by which they are grouped from then on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from django.db import transaction

from nomikon.core.errors import ConflictError, PromptError
from nomikon.core.prompts.evidence import Remark
from nomikon.core.trials.estimates import estimate_tokens
from nomikon.server.apps.briefs.models import Brief
from nomikon.server.apps.connections.models import Connection
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.reviews.models import Embedder, RemarkVector
from nomikon.server.apps.reviews.placing import digest_of, without_vector
from nomikon.server.link import ask_worker

PER_PRICE = 1_000_000


class EmbeddingError(ConflictError):
    """The embeddings model gave no vectors."""

    code = "no_vectors"


@dataclass
class EmbedRemarks:
    """price_nano: of a million tokens; None where it is not known. remarks: those to be grouped."""

    brief: Brief
    connection: Connection
    model: str
    price_nano: int | None
    remarks: Sequence[Remark]
    actor: str
    now: datetime

    def execute(self) -> Embedder:
        """Not one transaction: nothing is held while a server is asked. Raises DomainError."""
        if not self.model.strip():
            raise PromptError("name the embeddings model", field="model")
        made = Embedder(
            brief=self.brief,
            connection=self.connection,
            model=self.model.strip(),
            price_nano=self.price_nano,
            created_at=self.now,
            created_by=self.actor,
        )
        texts = without_vector(made, self.remarks)
        vectors: list[list[float]] = []
        tokens = 0
        if texts:
            came = ask_worker(
                "/embed",
                {"connection": self.connection.pk, "model": made.model, "texts": texts},
                within_s=self.connection.call_timeout_s * 2,
            )
            if failure := came.get("failure"):
                raise EmbeddingError(f"no vectors came: {failure['text']}", field="model")
            vectors = came["vectors"]
            tokens = came["tokens_in"] or sum(estimate_tokens(t) for t in texts)
        self._keep(made, texts, vectors, tokens)
        return made

    @transaction.atomic
    def _keep(
        self,
        made: Embedder,
        texts: Sequence[str],
        vectors: Sequence[Sequence[float]],
        tokens: int,
    ) -> None:
        Embedder.objects.filter(brief=self.brief).delete()
        made.save()
        RemarkVector.objects.bulk_create(
            [
                RemarkVector(
                    connection=self.connection,
                    model=made.model,
                    digest=digest_of(text),
                    packed=np.asarray(vector, dtype="<f4").tobytes(),
                )
                for text, vector in zip(texts, vectors, strict=True)
            ],
            ignore_conflicts=True,
        )
        cost = None if self.price_nano is None else round(tokens * self.price_nano / PER_PRICE)
        write_ledger(
            "remarks.embedded",
            self.brief,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"model": made.model, "remarks": len(texts)},
            cost_nano=cost if texts else None,
            simulated_nano=(cost or 0) if texts and self.connection.simulated else 0,
        )


@dataclass
class GroupByWords:
    """The brief's remarks are grouped by their words again; vectors stay."""

    brief: Brief
    actor: str
    now: datetime

    @transaction.atomic
    def execute(self) -> None:
        Embedder.objects.filter(brief=self.brief).delete()
        write_ledger(
            "remarks.embedded",
            self.brief,
            actor=self.actor,
            now=self.now,
            brief=self.brief,
            facts={"model": "", "remarks": 0},
        )
