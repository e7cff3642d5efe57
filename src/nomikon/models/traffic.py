"""Traffic: who may call which model now. Limits, rates, slowing down, and the circuit breaker.

Every attempt of every call passes here once. A connection is a road with a lane
for each of its models; both have limits. A lane narrows when the server says
429 and widens again with every answer (additive increase, multiplicative
decrease: Chiu and Jain, 1989), and with time. A few 429 or broken answers among many are chance:
a lane narrows only where these tell of its width (signs.py). A lane that must
find out what its server bears begins narrow and doubles with every clean round
(slow start: Jacobson, 1988). All of it belongs to one event loop.
"""

from __future__ import annotations

import asyncio
import heapq
import itertools
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field

from nomikon.models.breaker import CLOSED, GIVEN_UP, OPEN, PATIENCE_S, PROBING, Breaker
from nomikon.models.errors import CallFailure
from nomikon.models.rates import RequestRate, TokenRate
from nomikon.models.signs import Breaks, Throttles
from nomikon.models.types import TRIAL, Answer, Connection, Limits

# A 429 without Retry-After closes the lane for this long.
HOLD_S = 0.5
NARROW_BY = 0.5
# All calls under way may be told 429 at once: that is one sign, not forty.
NARROW_AGAIN_S = 1.0
# What a lane without any limit is taken to be wide, once it must narrow.
WIDEST = 1000.0
# Whatever the pace of its answers, a narrowed lane has its former width back after so long.
GROWN_S = 45.0
# Tried at fewer at a time to see whether breaking off comes of their number: so many answers at most.
MOST_PROBED = 30
# A lane that has widened to this share of its limit is told as unhindered.
NEARLY = 0.95
# An idle lane gets twice its width back after so long without trouble.
RECOVERS_S = 30.0
# A server that broke off answers because others came beside them is not tried wider for so long;
# twice as long every time it does so again.
CEILING_S = 120.0
LONGEST_CEILING_S = 3600.0

Sleep = Callable[[float], Awaitable[None]]


@dataclass
class Tally:
    """What came of the attempts of one connection since it was last read."""

    answered: int = 0
    failures: dict[str, int] = field(default_factory=dict)
    latency_ms: float = 0.0


SLOWED = "slowed"
# The worst first: a connection is told by its worst model.
_WORST = (GIVEN_UP, OPEN, PROBING, SLOWED, CLOSED)


@dataclass(frozen=True)
class LaneState:
    """A model as it is shown.

    state: steady, slowed, resting, probing or given-up; reason: what the server said last, or
    why fewer calls go out at a time. width: calls at a time now, None where its limit alone
    holds. next_look_s: until one call looks again.
    """

    state: str
    reason: str
    width: int | None
    next_look_s: float | None


@dataclass(frozen=True)
class RoadState:
    """A connection as it is shown: by the worst of its models. lanes: the models not steady.

    borne: calls at a time that a model was found to bear, for those that had to find out.
    """

    connection: str
    state: str
    reason: str
    next_look_s: float | None
    lanes: dict[str, LaneState]
    borne: dict[str, int] = field(default_factory=dict)


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
    """One model of a connection: its limits, its width and circuit now, and who waits."""

    def __init__(
        self, model: str, limits: Limits, begins: int | None, patience_s: float, now: float
    ) -> None:
        super().__init__(limits, now)
        self.model = model
        self.breaker = Breaker(patience_s=patience_s)
        self.waiting: list[tuple[int, int, float, asyncio.Future[None]]] = []
        self.width = float("inf") if begins is None else float(begins)
        # While it finds out what the server bears, every answer makes room for one more.
        self.finding = begins is not None
        self.hold_until = 0.0
        self.throttled_last = False
        self._narrowed_at = float("-inf")
        self._narrow_width = 1.0
        self._recovered_at = float("-inf")
        self._ceiling = float("inf")
        self._ceiling_until = float("-inf")
        self._ceiling_s = CEILING_S
        self._throttles, self._breaks = Throttles(), Breaks()
        # What the lane was wide before it narrowed, and before it was narrowed for a look.
        self._full = 0.0
        self._before_probe: float | None = None
        self._probed_at = 0
        # Of the connection, which no lane exceeds.
        self.road_limit: int | None = None

    @property
    def widest(self) -> float:
        limits = (self.limits.concurrency, self.road_limit)
        return min((float(n) for n in limits if n), default=float("inf"))

    @property
    def slowed(self) -> bool:
        return self.width < self.widest

    @property
    def why_slowed(self) -> str:
        """In words, for a lane that is slowed."""
        if self._ceiling != float("inf"):
            return "the server breaks answers off when more calls come beside them"
        if self._before_probe is not None:
            return "answers break off: looking whether fewer at a time helps"
        if self.throttled_last:
            return "the server asked to slow down (429)"
        return "finding out how many calls at a time the server bears"

    def throttled(self, retry_after_s: float | None, now: float) -> None:
        """The server said 429. More of these than chance sends: wait as it asked, and let fewer in.

        A single one among many answers holds up nobody but the call that got it.
        """
        self._throttles.ended(True)
        if not self._throttles.speak():
            return
        hold = HOLD_S if retry_after_s is None else retry_after_s
        self.hold_until = max(self.hold_until, now + hold)
        self.throttled_last = True
        if now - self._narrowed_at >= NARROW_AGAIN_S:
            self._narrow(now)

    def ended(self, now: float, beside: int, *, broke: bool = False) -> None:
        """A call ended otherwise than by a 429. beside: under way when it went out; what matters is
        how many were so at most, then or now. broke: its answer broke off before its end."""
        under_way = max(beside, self.in_flight + 1)
        self._throttles.ended(False)
        self._breaks.ended(under_way, broke)
        if self._before_probe is not None:
            self._look(now)
        elif broke and under_way > 1 and self._breaks.suspicious(under_way // 2):
            # Only fewer at a time can show whether it comes of their number.
            self._before_probe = self.width
            self._probe(under_way // 2, now)
            self._look(now)

    def _probe(self, at: int, now: float) -> None:
        self._recovered_at = now
        self._probed_at = max(1, at)
        self.width = min(self.width, float(self._probed_at))
        self.finding = False

    def _look(self, now: float) -> None:
        at, breaks = self._probed_at, self._breaks
        if breaks.more_above(at):
            self._before_probe = None
            self._bound(at, now)
        elif at > 1 and breaks.suspicious(0, at):
            self._probe(at // 2, now)
        elif breaks.seen_up_to(at) >= MOST_PROBED:
            # As many break off at fewer: it does not come of their number.
            self.width, self._before_probe = self._before_probe or self.width, None
            breaks.forget()

    def _bound(self, at: int, now: float) -> None:
        """The server breaks answers off above this width: for a while it is not tried wider."""
        self._ceiling = float(at)
        if now >= self._ceiling_until and self._ceiling_until > float("-inf"):
            self._ceiling_s = min(LONGEST_CEILING_S, self._ceiling_s * 2)
        self._ceiling_until = now + self._ceiling_s
        self.width = min(self.width, self._ceiling)
        self._full, self._narrow_width = self.width, self.width
        self._narrowed_at = self._recovered_at = now
        self._breaks.forget()

    def _narrow(self, now: float) -> None:
        # Of what was really under way (this call included): a wide lane that is used by few must
        # narrow below those few.
        used = min(self.width, self.widest, self.in_flight + 1.0)
        self._full = max(self._full, used)
        self.width = max(1.0, used * NARROW_BY)
        self._narrow_width = self.width
        self._throttles.forget()
        self._narrowed_at = self._recovered_at = now
        self.finding = False

    def widen(self, now: float) -> None:
        """An answer came: one more place for every round of answers, for each while finding."""
        if not self.slowed:
            return
        if self._before_probe is not None:
            return
        if now >= self._ceiling_until:
            self._ceiling = float("inf")
        grown = self.width + (1.0 if self.finding else 1.0 / self.width)
        # Slow answers are few: the time alone gives back what was had before.
        share = min(1.0, (now - self._narrowed_at) / GROWN_S) if self._full else 0.0
        earned = self._narrow_width + share * (self._full - self._narrow_width)
        self.width = min(max(grown, earned), self._ceiling, self.widest)
        self._unhindered()

    def recover(self, now: float) -> bool:
        """Give an idle lane back what time has earned it; True when it is unhindered by that."""
        if not self.slowed or self.finding or self.in_flight or self._ceiling_until > now:
            return False
        self._ceiling = float("inf")
        # Of the time in which it was not to be tried wider, nothing is earned.
        self._recovered_at = max(self._recovered_at, self._ceiling_until)
        while self.slowed and now - self._recovered_at >= RECOVERS_S:
            self._recovered_at += RECOVERS_S
            self.width *= 2
            self._before_probe = None
            self._unhindered()
        return not self.slowed

    def forget_breaks(self) -> None:
        """The server was down: what broke off then says nothing of how much it bears."""
        self._breaks.forget()
        if self._before_probe is not None:
            self.width, self._before_probe = self._before_probe, None
        if self._ceiling != float("inf"):
            self._ceiling, self._ceiling_until = float("inf"), float("-inf")
            self.width = float("inf")

    def _unhindered(self) -> None:
        if self.width >= min(self.widest, WIDEST) * NEARLY:
            self.width, self._full = float("inf"), 0.0
            self.finding = self.throttled_last = False

    def borne(self) -> int | None:
        """Calls at a time that it was found to bear; None where it never had to find out."""
        if self._ceiling != float("inf"):
            return int(self._ceiling)
        return int(min(self.width, self.widest, WIDEST)) if self.finding else None

    def state(self, now: float) -> LaneState:
        """As it is shown."""
        shown = self.breaker.state(now)
        width = int(min(self.width, self.widest)) if self.slowed else None
        if shown.state != CLOSED:
            return LaneState(shown.state, shown.reason, width, shown.next_look_s)
        if self.slowed:
            return LaneState(SLOWED, self.why_slowed, width, None)
        return LaneState(CLOSED, "", None, None)

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
        self.patience_s = patience_s
        self.lanes: dict[str, _Lane] = {}
        self.tally = Tally()
        self.timer: asyncio.Task[None] | None = None

    def wait_s(self, lane: _Lane, tokens: float, now: float) -> float | None:
        """Seconds until a call may go; None until another one ends."""
        breaker = lane.breaker.wait_s(now)
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
    """Leave for one attempt; give it back to say what came of it.

    beside: calls of its lane under way when it went out, itself included.
    """

    connection: str
    model: str
    tokens: float
    beside: int = 0


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
        if failure := lane.breaker.gives_up(now):
            raise failure
        if lane.recover(now):
            self._tell(road)
        ticket = Ticket(connection.id, model, tokens)
        if not lane.waiting and road.wait_s(lane, tokens, now) == 0.0:
            self._admit(road, lane, tokens, now)
            ticket.beside = lane.in_flight
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
        ticket.beside = lane.in_flight
        return ticket

    def answered(self, ticket: Ticket, answer: Answer) -> None:
        """The attempt brought an answer."""
        road, lane = self._leave(ticket)
        road.tally.answered += 1
        road.tally.latency_ms += answer.latency_ms
        used = (answer.usage.tokens_in, answer.usage.tokens_out)
        now = self._clock()
        if used[0] is not None and used[1] is not None:
            for place in (road, lane):
                place.settle(used[0] + used[1] - ticket.tokens, now)
        was = (lane.slowed, lane.borne())
        lane.ended(now, ticket.beside)
        lane.widen(now)
        changed = lane.breaker.answered()
        self._pump(road)
        if changed or was != (lane.slowed, lane.borne()):
            self._tell(road)

    def failed(self, ticket: Ticket, failure: CallFailure) -> None:
        """The attempt failed."""
        road, lane = self._leave(ticket)
        road.tally.failures[failure.code] = road.tally.failures.get(failure.code, 0) + 1
        now = self._clock()
        changed = lane.breaker.failed(failure, now)
        if changed and lane.breaker.wait_s(now) != 0.0:
            lane.forget_breaks()
        was = (lane.slowed, lane.borne())
        if failure.code == "throttled":
            lane.throttled(failure.retry_after_s, now)
        else:
            lane.ended(now, ticket.beside, broke=failure.code == "dropped_stream")
        changed |= was != (lane.slowed, lane.borne())
        self._pump(road)
        if changed:
            self._tell(road)

    def dropped(self, ticket: Ticket) -> None:
        """The attempt was given up by us; it tells nothing of the server."""
        road, lane = self._leave(ticket)
        lane.breaker.abandoned()
        self._pump(road)

    # --- for the screen ------------------------------------------------------

    def state_of(self, connection: str) -> RoadState:
        """A connection as it is shown; steady where none was ever called."""
        road = self._roads.get(connection)
        if road is None:
            return RoadState(connection, CLOSED, "", None, {})
        now = self._clock()
        lanes = {lane.model: lane.state(now) for lane in road.lanes.values()}
        hindered = {name: lane for name, lane in lanes.items() if lane.state != CLOSED}
        borne = {x.model: n for x in road.lanes.values() if (n := x.borne()) is not None}
        worst = min(hindered.values(), key=lambda x: _WORST.index(x.state), default=None)
        if worst is None:
            return RoadState(connection, CLOSED, "", None, {}, borne)
        looks = [x.next_look_s for x in hindered.values() if x.next_look_s is not None]
        return RoadState(
            connection, worst.state, worst.reason, min(looks, default=None), hindered, borne
        )

    def recover(self) -> None:
        """Give idle lanes back what time has earned them; to be called from time to time."""
        now = self._clock()
        for road in self._roads.values():
            changed = [lane.recover(now) for lane in road.lanes.values()]
            if any(changed):
                self._tell(road)

    def try_now(self, connection: str) -> None:
        """Let one call of every resting model of a connection look at once."""
        if road := self._roads.get(connection):
            now = self._clock()
            for lane in road.lanes.values():
                lane.breaker.look_now(now)
            self._pump(road)
            self._tell(road)

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
            lane = road.lanes[model] = _Lane(
                model, connection.model_limits, connection.begins, road.patience_s, now
            )
        elif lane.limits != connection.model_limits:
            lane.set(connection.model_limits, now)
        lane.road_limit = connection.limits.concurrency
        return road, lane

    def _admit(self, road: _Road, lane: _Lane, tokens: float, now: float) -> None:
        road.take(tokens, now)
        lane.take(tokens, now)
        lane.breaker.admitted()

    def _leave(self, ticket: Ticket) -> tuple[_Road, _Lane]:
        road = self._roads[ticket.connection]
        lane = road.lanes[ticket.model]
        road.in_flight -= 1
        lane.in_flight -= 1
        return road, lane

    def _pump(self, road: _Road) -> None:
        """Let in everybody who may go now, the most urgent first; set a timer for the next."""
        now = self._clock()
        for lane in road.lanes.values():
            if failure := lane.breaker.gives_up(now):
                self._send_away(road, lane, failure)
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

    def _send_away(self, road: _Road, lane: _Lane, failure: CallFailure) -> None:
        sent = False
        while (head := lane.head()) is not None:
            heapq.heappop(lane.waiting)
            # An exception belongs to one caller: each gets its own.
            head[3].set_exception(CallFailure(failure.code, failure.detail, attempts=0))
            sent = True
        if sent:
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
