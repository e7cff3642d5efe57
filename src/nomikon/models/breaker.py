"""The circuit breaker of one model: a server that is down is not asked a thousand times."""

from __future__ import annotations

from dataclasses import dataclass

from nomikon.models.errors import CallFailure

CLOSED, OPEN, PROBING, GIVEN_UP = "steady", "resting", "probing", "given-up"
STATES = (CLOSED, OPEN, PROBING, GIVEN_UP)

# So many failures in a row, with no answer between them, are no accident: at a
# fault share of 30 % that is one chance in 15,000 per call.
TRIPS_AFTER = 8
TRIPPING = (
    "unreachable",
    "no_such_host",
    "nothing_listens",
    "bad_certificate",
    "server_error",
    "timeout",
    "malformed",
    "web_page",
)
# A refused key does not become right by asking again.
KEY_TRIPS_AFTER = 3
KEY_CODES = ("bad_key", "no_key")
FIRST_REST_S = 2.0
LONGEST_REST_S = 60.0
# Calls wait this long for a server to come back; after that they fail at once,
# until one that is let through to look gets an answer.
PATIENCE_S = 600.0


@dataclass(frozen=True)
class BreakerState:
    """As it is shown: the state, why, since when, and seconds to the next look."""

    state: str
    reason: str
    since: float | None
    next_look_s: float | None


class Breaker:
    """Closed while answers come; open after failures in a row; one call looks from time to time."""

    def __init__(self, *, patience_s: float = PATIENCE_S) -> None:
        self._patience_s = patience_s
        self._failures = 0
        self._key_failures = 0
        self._open_since: float | None = None
        self._until = 0.0
        self._rest_s = FIRST_REST_S
        self._probing = False
        self._no_patience = False
        self._last: CallFailure | None = None

    def wait_s(self, now: float) -> float | None:
        """Seconds until a call may go: 0 at once; None while another one is out looking."""
        if self._open_since is None:
            return 0.0
        if self._probing:
            return None
        return max(0.0, self._until - now)

    def gives_up(self, now: float) -> CallFailure | None:
        """The failure to end a waiting call with, once patience is at its end."""
        if self._open_since is None or self._last is None or self.wait_s(now) == 0.0:
            return None
        if not self._no_patience and now - self._open_since < self._patience_s:
            return None
        if self._last.code in KEY_CODES:
            return CallFailure(self._last.code, self._last.detail, attempts=0)
        return CallFailure("resting", str(self._last), attempts=0)

    def admitted(self) -> None:
        """A call goes out; while open it is the one that looks."""
        if self._open_since is not None:
            self._probing = True

    def answered(self) -> bool:
        """An answer came; True when that changes the state."""
        changed = self._open_since is not None
        self._failures = self._key_failures = 0
        self._open_since, self._probing, self._rest_s = None, False, FIRST_REST_S
        self._no_patience = False
        return changed

    def failed(self, failure: CallFailure, now: float) -> bool:
        """A call failed; True when that changes the state."""
        if failure.code in KEY_CODES:
            self._key_failures += 1
            trips = self._key_failures >= KEY_TRIPS_AFTER
        elif failure.code in TRIPPING:
            self._failures += 1
            trips = self._failures >= TRIPS_AFTER
        else:
            # The server answered, if only to refuse this one request.
            return self.answered()
        self._last = failure
        if self._open_since is None:
            if not trips:
                return False
            self._open_since = now
            self._no_patience = failure.code in KEY_CODES
        elif self._probing:
            self._rest_s = min(LONGEST_REST_S, self._rest_s * 2)
        else:
            # One that was under way when the circuit opened.
            return False
        self._probing = False
        self._until = now + self._rest_s
        return True

    def look_now(self, now: float) -> None:
        """A person asks to look before the rest is over."""
        if self._open_since is not None and not self._probing:
            self._until = now

    def abandoned(self) -> None:
        """The call that was out was dropped by us: it tells nothing."""
        self._probing = False

    def state(self, now: float) -> BreakerState:
        """As it is shown."""
        if self._open_since is None or self._last is None:
            return BreakerState(CLOSED, "", None, None)
        kind = GIVEN_UP if self.gives_up(now) else PROBING if self._probing else OPEN
        return BreakerState(kind, str(self._last), self._open_since, self.wait_s(now))
