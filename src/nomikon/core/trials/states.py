"""The states of a trial, and what leads from one to the next."""

from __future__ import annotations

from nomikon.core.errors import ConflictError

QUEUED, RUNNING, COMPLETE, PAUSED, CANCELLED, TRIAL_FAILED = (
    "queued",
    "running",
    "complete",
    "paused",
    "cancelled",
    "failed",
)
STATES = (QUEUED, RUNNING, COMPLETE, PAUSED, CANCELLED, TRIAL_FAILED)
OPEN_STATES = (QUEUED, RUNNING)

# (state, what happens): the state after it. What is not here cannot happen.
# A running trial whose worker dies stays running and is taken up again.
TRANSITIONS: dict[tuple[str, str], str] = {
    (QUEUED, "taken up"): RUNNING,
    (RUNNING, "taken up"): RUNNING,
    (QUEUED, "every output is there"): COMPLETE,
    (RUNNING, "every output is there"): COMPLETE,
    (RUNNING, "budget spent or pause asked for"): PAUSED,
    (QUEUED, "budget spent or pause asked for"): PAUSED,
    (RUNNING, "found in a copy"): PAUSED,
    (QUEUED, "found in a copy"): PAUSED,
    (RUNNING, "stop asked for"): CANCELLED,
    (QUEUED, "stop asked for"): CANCELLED,
    (RUNNING, "cannot go on"): TRIAL_FAILED,
    (QUEUED, "cannot go on"): TRIAL_FAILED,
    (PAUSED, "continued"): QUEUED,
    (CANCELLED, "continued"): QUEUED,
    (TRIAL_FAILED, "continued"): QUEUED,
    (COMPLETE, "failed calls asked again"): QUEUED,
    (COMPLETE, "judges asked"): QUEUED,
    (COMPLETE, "extended or asked afresh"): QUEUED,
    (PAUSED, "extended or asked afresh"): QUEUED,
    (CANCELLED, "extended or asked afresh"): QUEUED,
}


class TrialStateError(ConflictError):
    """Something was asked of a trial that its state does not allow."""

    code = "trial_state"


def next_state(state: str, event: str) -> str:
    """The state after an event. Raises TrialStateError where it cannot happen.

    >>> next_state('queued', 'taken up')
    'running'
    """
    try:
        return TRANSITIONS[state, event]
    except KeyError:
        raise TrialStateError(
            f"a trial that is {state} cannot be: {event}", field="state"
        ) from None


def diagram() -> str:
    """The states as a Mermaid state diagram, for the documentation."""
    lines = ["stateDiagram-v2", "    [*] --> queued: started"]
    lines += [f"    {a} --> {b}: {event}" for (a, event), b in TRANSITIONS.items()]
    return "\n".join(lines)
