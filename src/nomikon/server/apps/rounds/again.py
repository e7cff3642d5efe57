"""Whether a candidate's reply is to be asked for once more."""

from __future__ import annotations

from nomikon.core.errors import DomainError
from nomikon.core.prompts import check_messages
from nomikon.core.prompts.proposals import read_proposals
from nomikon.server.apps.datasets.columns import columns_of
from nomikon.server.apps.rounds.building import NOTHING
from nomikon.server.apps.rounds.driving import spent_on
from nomikon.server.apps.rounds.models import Candidate


def problem_of_reply(candidate_id: int, text: str, cost_nano: int | None) -> str:
    """What keeps a reply from being used, so that it is to be asked for once more; "" for nothing.

    Nothing either where another question would go over the budget.
    """
    candidate = Candidate.objects.select_related("round__rounds__brief", "round__parent").get(
        pk=candidate_id
    )
    rounds = candidate.round.rounds
    left = None if rounds.budget_nano is None else rounds.budget_nano - spent_on(rounds)
    # Once more costs more than twice: the first reply is sent back with it.
    if not text or (left is not None and 3 * (cost_nano or 0) > left):
        return ""
    messages = check_messages(candidate.round.parent.messages)
    try:
        found = read_proposals(
            text, messages, len(candidate.faults), columns_of(candidate.round.rounds.brief)
        )
    except DomainError as error:
        return error.message
    return "" if found.proposals else NOTHING
