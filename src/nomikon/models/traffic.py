"""Traffic: who may call which model now. Limits, rates, slowing down, and the circuit breaker.

Every attempt of every call passes here once. A connection is a road with a lane
for each of its models; both have limits. A lane narrows when the server says
429 and widens again with every answer (additive increase, multiplicative
decrease: Chiu and Jain, 1989). All of it belongs to one event loop.
"""

from __future__ import annotations

import asyncio
import heapq
import itertools
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field

from nomikon.models.breaker import CLOSED, PATIENCE_S, Breaker
from nomikon.models.errors import CallFailure
from nomikon.models.rates import RequestRate, TokenRate
from nomikon.models.types import TRIAL, Answer, Connection, Limits

# A 429 without Retry-After closes the lane for this long.
HOLD_S = 0.5
NARROW_BY = 0.5
# All calls under way may be told 429 at once: that is one sign, not forty.
NARROW_AGAIN_S = 1.0
# What a lane without any limit is taken to be wide, once it must narrow.
WIDEST = 1000.0
# A lane that has widened to this share of its limit is told as unhindered.
NEARLY = 0.95

Sleep = Callable[[float], Awaitable[None]]


@dataclass
class Tally:
    """What came of the attempts of one connection since it was last read."""

    answered: int = 0
    failures: dict[str, int] = field(default_factory=dict)
    latency_ms: float = 0.0


@dataclass(frozen=True)
class RoadState:
    """A connection as it is shown.

    state: steady, slowed, resting, probing or given-up; reason: what the server
    said last. next_look_s: until one call looks again. lanes: for each slowed
    model, how many calls at a time it is given now.
    """

    connection: str
    state: str
    reason: str
    next_look_s: float | None
    lanes: dict[str, int]


SLOWED = "slowed"


class _Limited:
    """Limits with what is under way and what has passed."""

    def __init__(self, limits: Limits, now: float) -> None:
        self.in_flight = 0
        self.limits = Limits()
        self.requests: RequestRate | None = None
        self.tokens: TokenRate | None = None
        self.set(limits, now)

    def set(self, limits: Limits, now: float) -> None:
        """Take on limits that were changed; a rate that stayed keeps its count."""
        old, self.limits = self.limits, limits
        rpm, tpm = limits.requests_per_minute, limits.tokens_per_minute
        if rpm != old.requests_per_minute:
            self.requests = None if rpm is None else RequestRate(rpm, now=now)
        if tpm != old.tokens_per_minute:
            self.tokens = None if tpm is None else TokenRate(tpm, now=now)

    def rate_wait_s(self, tokens: float, now: float) -> float:
        wait = 0.0
        if self.requests is not None:
            wait = self.requests.wait_s(now)
        if self.tokens is not None:
            wait = max(wait, self.tokens.wait_s(tokens, now))
        return wait

    def take(self, tokens: float, now: float) -> None:
        self.in_flight += 1
        if self.requests is not None:
            self.requests.take(now)
        if self.tokens is not None:
            self.tokens.take(tokens, now)

    def settle(self, difference: float, now: float) -> None:
        if self.tokens is not None and difference:
            self.tokens.take(difference, now)


class _Lane(_Limited):
    """One model of a connection: its limits, its width now, and who waits."""

    def __init__(self, model: str, limits: Limits, now: float) -> None:
        super().__init__(limits, now)
        self.model = model
        self.waiting: list[tuple[int, int, float, asyncio.Future[None]]] = []
        self.width = float("inf")
        self.hold_until = 0.0
        self._narrowed_at = float("-inf")

    @property
    def widest(self) -> float:
        return self.limits.concurrency or float("inf")

    @property
    def slowed(self) -> bool:
        return self.width < self.widest

    def throttled(self, retry_after_s: float | None, now: float) -> None:
        """The server said 429: wait as it asked, and let fewer in."""
        hold = HOLD_S if retry_after_s is None else retry_after_s
        self.hold_until = max(self.hold_until, now + hold)
        if now - self._narrowed_at >= NARROW_AGAIN_S:
            self._narrowed_at = now
            self.narrow()

    def narrow(self) -> None:
        """Let fewer in at a time."""
        # Of what was really under way (this call included): a wide lane that is used by few must
        # narrow below those few.
        used = min(self.width, self.widest, self.in_flight + 1.0)
        self.width = max(1.0, used * NARROW_BY)

    def widen(self) -> None:
        """An answer came: one more place for every round of answers."""
        if self.slowed:
            self.width += 1.0 / self.width
            if self.width >= min(self.widest, WIDEST) * NEARLY:
                self.width = float("inf")

    def head(self) -> tuple[int, int, float, asyncio.Future[None]] | None:
        """Who waits longest of the most urgent; those who went away are dropped."""
        while self.waiting and self.waiting[0][3].done():
            heapq.heappop(self.waiting)
        return self.waiting[0] if self.waiting else None


class _Road(_Limited):
    """One connection."""

    def __init__(self, connection: Connection, patience_s: float, now: float) -> None:
        super().__init__(connection.limits, now)
        self.id = connection.id
        self.breaker = Breaker(patience_s=patience_s)
        self.lanes: dict[str, _Lane] = {}
        self.tally = Tally()
        self.timer: asyncio.Task[None] | None = None

    def wait_s(self, lane: _Lane, tokens: float, now: float) -> float | None:
        """Seconds until a call may go; None until another one ends."""
        breaker = self.breaker.wait_s(now)
        if breaker is None or lane.in_flight >= min(lane.width, lane.widest):
            return None
        if self.in_flight >= (self.limits.concurrency or float("inf")):
            return None
        return max(
            breaker,
            lane.hold_until - now,
            self.rate_wait_s(tokens, now),
            lane.rate_wait_s(tokens, now),
            0.0,
        )


@dataclass
class Ticket:
    """Leave for one attempt; give it back to say what came of it."""

    connection: str
    model: str
    tokens: float


class Traffic:
    """Gives leave to call, attempt by attempt.

    clock: seconds that only go forward. sleep: how to wait. patience_s: how
    long calls wait for a server that is down. on_change: called with a
    connection's id when what is shown of it has changed.
    """

    def __init__(
        self,
        *,
        clock: Callable[[], float],
        sleep: Sleep = asyncio.sleep,
        patience_s: float = PATIENCE_S,
        on_change: Callable[[str], None] | None = None,
    ) -> None:
        self._clock = clock
        self._sleep = sleep
        self._patience_s = patience_s
        self._on_change = on_change
        self._roads: dict[str, _Road] = {}
        self._turn = itertools.count()

    # --- for callers ---------------------------------------------------------

    async def enter(
        self, connection: Connection, model: str, *, tokens: float = 0.0, priority: int = TRIAL
    ) -> Ticket:
        """Wait for leave to make one attempt.

        tokens: of prompt and answer, as estimated. Raises CallFailure when the
        connection has been down for longer than anybody waits.
        """
        road, lane = self._places(connection, model)
        now = self._clock()
        if failure := road.breaker.gives_up(now):
            raise failure
        ticket = Ticket(connection.id, model, tokens)
        if not lane.waiting and road.wait_s(lane, tokens, now) == 0.0:
            self._admit(road, lane, tokens, now)
            return ticket
        leave: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        heapq.heappush(lane.waiting, (priority, next(self._turn), tokens, leave))
        self._pump(road)
        try:
            await leave
        except asyncio.CancelledError:
            # Leave may have been given in the moment in which the caller went away.
            if leave.done() and not leave.cancelled() and leave.exception() is None:
                self.dropped(ticket)
            raise
        return ticket

    def answered(self, ticket: Ticket, answer: Answer) -> None:
        """The attempt brought an answer."""
        road, lane = self._leave(ticket)
        road.tally.answered += 1
        road.tally.latency_ms += answer.latency_ms
        used = (answer.usage.tokens_in, answer.usage.tokens_out)
        if used[0] is not None and used[1] is not None:
            now = self._clock()
            for place in (road, lane):
                place.settle(used[0] + used[1] - ticket.tokens, now)
        was_slowed = lane.slowed
        lane.widen()
        changed = road.breaker.answered()
        self._pump(road)
        if changed or was_slowed != lane.slowed:
            self._tell(road)

    def failed(self, ticket: Ticket, failure: CallFailure) -> None:
        """The attempt failed."""
        road, lane = self._leave(ticket)
        road.tally.failures[failure.code] = road.tally.failures.get(failure.code, 0) + 1
        now = self._clock()
        changed = road.breaker.failed(failure, now)
        if failure.code == "throttled":
            changed |= not lane.slowed
            lane.throttled(failure.retry_after_s, now)
        elif failure.code == "dropped_stream" and lane.in_flight:
            # It may be a server that can do only so much at a time.
            changed |= not lane.slowed
            lane.narrow()
        self._pump(road)
        if changed:
            self._tell(road)

    def dropped(self, ticket: Ticket) -> None:
        """The attempt was given up by us; it tells nothing of the server."""
        road, _ = self._leave(ticket)
        road.breaker.abandoned()
        self._pump(road)

    # --- for the screen ------------------------------------------------------

    def state_of(self, connection: str) -> RoadState:
        """A connection as it is shown; steady where none was ever called."""
        road = self._roads.get(connection)
        if road is None:
            return RoadState(connection, CLOSED, "", None, {})
        shown = road.breaker.state(self._clock())
        lanes = {
            lane.model: int(min(lane.width, lane.widest))
            for lane in road.lanes.values()
            if lane.slowed
        }
        state = SLOWED if shown.state == CLOSED and lanes else shown.state
        return RoadState(connection, state, shown.reason, shown.next_look_s, lanes)

    def tallies(self) -> dict[str, Tally]:
        """What came of the attempts since the last call of this, by connection."""
        found = {}
        for road in self._roads.values():
            if road.tally.answered or road.tally.failures:
                found[road.id], road.tally = road.tally, Tally()
        return found

    def close(self) -> None:
        """Stop every timer."""
        for road in self._roads.values():
            if road.timer is not None:
                road.timer.cancel()

    # --- the machinery -------------------------------------------------------

    def _places(self, connection: Connection, model: str) -> tuple[_Road, _Lane]:
        now = self._clock()
        road = self._roads.get(connection.id)
        if road is None:
            road = self._roads[connection.id] = _Road(connection, self._patience_s, now)
        elif road.limits != connection.limits:
            road.set(connection.limits, now)
        lane = road.lanes.get(model)
        if lane is None:
            lane = road.lanes[model] = _Lane(model, connection.model_limits, now)
        elif lane.limits != connection.model_limits:
            lane.set(connection.model_limits, now)
        return road, lane

    def _admit(self, road: _Road, lane: _Lane, tokens: float, now: float) -> None:
        road.take(tokens, now)
        lane.take(tokens, now)
        road.breaker.admitted()

    def _leave(self, ticket: Ticket) -> tuple[_Road, _Lane]:
        road = self._roads[ticket.connection]
        lane = road.lanes[ticket.model]
        road.in_flight -= 1
        lane.in_flight -= 1
        return road, lane

    def _pump(self, road: _Road) -> None:
        """Let in everybody who may go now, the most urgent first; set a timer for the next."""
        now = self._clock()
        if failure := road.breaker.gives_up(now):
            self._send_away(road, failure)
            return
        while True:
            soonest: float | None = None
            chosen: tuple[tuple[int, int], _Lane] | None = None
            for lane in road.lanes.values():
                if (head := lane.head()) is None:
                    continue
                wait = road.wait_s(lane, head[2], now)
                if wait == 0.0 and (chosen is None or head[:2] < chosen[0]):
                    chosen = (head[:2], lane)
                elif wait and (soonest is None or wait < soonest):
                    soonest = wait
            if chosen is None:
                break
            _, _, tokens, leave = heapq.heappop(chosen[1].waiting)
            self._admit(road, chosen[1], tokens, now)
            leave.set_result(None)
        self._set_timer(road, soonest)

    def _send_away(self, road: _Road, failure: CallFailure) -> None:
        for lane in road.lanes.values():
            while (head := lane.head()) is not None:
                heapq.heappop(lane.waiting)
                # An exception belongs to one caller: each gets its own.
                head[3].set_exception(CallFailure(failure.code, failure.detail, attempts=0))
        self._tell(road)

    def _set_timer(self, road: _Road, wait: float | None) -> None:
        if road.timer is not None and road.timer is not asyncio.current_task():
            road.timer.cancel()
        road.timer = None
        if wait is not None:
            road.timer = asyncio.create_task(self._later(road, wait))

    async def _later(self, road: _Road, wait: float) -> None:
        await self._sleep(wait)
        self._pump(road)

    def _tell(self, road: _Road) -> None:
        if self._on_change is not None:
            self._on_change(road.id)
