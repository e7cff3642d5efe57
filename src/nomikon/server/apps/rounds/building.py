"""From a model's reply to a candidate version; what cannot stand is kept with its reason."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime

from django.db import transaction

from nomikon.core.errors import DomainError
from nomikon.core.prompts import as_rows, check_messages
from nomikon.core.prompts.proposals import Proposal, apply_proposals, read_proposals
from nomikon.core.prompts.reasons import Answered, reason_of
from nomikon.server.apps.briefs.actions.save_version import SaveVersion
from nomikon.server.apps.datasets.columns import columns_of
from nomikon.server.apps.ledger.write import write_ledger
from nomikon.server.apps.rounds.models import Candidate, Round

NOTHING = "nothing of what was proposed could stand"


@transaction.atomic
def record_reply(
    candidate_id: int,
    *,
    text: str,
    failure: str,
    tokens_in: int | None,
    tokens_out: int | None,
    cost_nano: int | None,
    now: datetime,
) -> None:
    """Keep what the model answered, or why it did not, with what it cost."""
    candidate = Candidate.objects.select_related("round__rounds__brief").get(pk=candidate_id)
    if candidate.answered:
        return
    candidate.answered, candidate.reply, candidate.why = True, text, failure
    candidate.tokens_in, candidate.tokens_out, candidate.cost_nano = (
        tokens_in,
        tokens_out,
        cost_nano,
    )
    candidate.save()
    rounds = candidate.round.rounds
    write_ledger(
        "rounds.asked",
        rounds,
        actor=f"rounds {rounds.number}",
        now=now,
        brief=rounds.brief,
        facts={
            "rounds": rounds.number,
            "round": candidate.round.number,
            "candidate": candidate.place,
            "model": rounds.amender.name,
            "failure": failure[:200],
        },
        cost_nano=cost_nano,
        simulated_nano=rounds.amender.simulated_part(cost_nano),
    )


def build_version(
    part: Round, candidate: Candidate, beside: Sequence[Candidate], actor: str, now: datetime
) -> None:
    """Save the candidate's version with its reasons, or say why there is none."""
    parent = part.parent
    messages = check_messages(parent.messages)
    try:
        found = read_proposals(
            candidate.reply, messages, len(candidate.faults), columns_of(part.rounds.brief)
        )
        taken: Sequence[Proposal] = found.proposals
        same = None
        for some in _choices(found.proposals, candidate.place):
            taken = some
            rows = as_rows(check_messages(as_rows(apply_proposals(messages, taken))))
            same = next((c for c in beside if c.version and c.version.messages == rows), None)
            if same is None:
                break
    except DomainError as error:
        candidate.why = error.message
        candidate.save()
        return
    candidate.refused = [{"place": place, "reason": why} for place, why in found.refused]
    if not found.proposals:
        candidate.why = NOTHING
    elif same is not None:
        candidate.why = f"it reads as candidate {same.place} does"
    else:
        candidate.version = SaveVersion(
            part.rounds.brief,
            rows,
            dict(parent.settings),
            parent,
            f"{actor}, round {part.number}, candidate {candidate.place}",
            actor,
            now,
            origin="amended",
            reasons=[
                reason_of(p.kind, p.clause, p.text, p.reason, _answered(p, part, candidate))
                for p in taken
            ],
        ).execute()
    candidate.save()


def _choices(proposals: Sequence[Proposal], place: int) -> Iterator[Sequence[Proposal]]:
    """What a candidate takes: all that was proposed for it, else a part that nobody has yet.

    A model that gives two candidates the same proposals says nothing new; every
    other one of them does: whether the rest is worth its tokens.
    """
    yield proposals
    if len(proposals) > 1:
        half = (len(proposals) + 1) // 2
        parts = [proposals[::2], proposals[1::2], proposals[:half], proposals[half:]]
        for i in range(len(parts)):
            yield parts[(place + i) % len(parts)]


def _answered(proposal: Proposal, part: Round, candidate: Candidate) -> Answered | None:
    """The fault of the round that a proposal answers."""
    if proposal.fault is None:
        return None
    return Answered.of(part.faults[candidate.faults[proposal.fault - 1]])
