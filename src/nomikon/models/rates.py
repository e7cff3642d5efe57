"""Rates: how soon the next request may go. Plain arithmetic on times that are passed in."""

from __future__ import annotations

from collections import deque

MINUTE_S = 60.0
# Requests reach the server a little later than they are sent, some later than
# others; a window longer by this much is never overfull at the other end.
JITTER_S = 0.2
# A timer that fires late must not lose its turn: so much may be caught up at once.
CATCH_UP_S = 0.5


class TokenBucket:
    """Lets `rate` units a second pass, and at most `capacity` at once.

    More than the capacity may be taken in one go when the bucket is full; the
    debt is then waited off. Source: the token bucket of RFC 2697, one colour.
    """

    def __init__(self, rate: float, capacity: float, *, now: float) -> None:
        assert rate > 0
        assert capacity > 0
        self._rate = rate
        self._capacity = capacity
        self._level = capacity
        self._at = now

    def _fill(self, now: float) -> None:
        self._level = min(self._capacity, self._level + max(0.0, now - self._at) * self._rate)
        self._at = max(self._at, now)

    def wait_s(self, amount: float, now: float) -> float:
        """Seconds until `amount` may be taken; 0 when it may at once."""
        self._fill(now)
        missing = min(amount, self._capacity) - self._level
        # A hair of rounding must not turn into a timer that fires for ever.
        return missing / self._rate if missing > 1e-9 * self._capacity else 0.0

    def take(self, amount: float, now: float) -> None:
        """Take an amount, even more than there is; a negative amount gives back."""
        self._fill(now)
        self._level = min(self._capacity, self._level - amount)


class RequestRate:
    """Requests per minute: evenly spaced, and never more than the limit in any minute."""

    def __init__(self, per_minute: float, *, now: float) -> None:
        rate = per_minute / MINUTE_S
        self._bucket = TokenBucket(rate, 1 + rate * CATCH_UP_S, now=now)
        self._most = max(1, int(per_minute))
        self._sent: deque[float] = deque()

    def wait_s(self, now: float) -> float:
        """Seconds until the next request may go."""
        window = MINUTE_S + JITTER_S
        while self._sent and self._sent[0] <= now - window:
            self._sent.popleft()
        surplus = len(self._sent) - self._most
        crowded = self._sent[surplus] + window - now if surplus >= 0 else 0.0
        return max(crowded, self._bucket.wait_s(1, now))

    def take(self, now: float) -> None:
        """Count one request as sent."""
        self._bucket.take(1, now)
        self._sent.append(now)


class TokenRate:
    """Tokens per minute: reserved by an estimate, settled when the answer is there."""

    # Part of a minute's tokens that may go at once; the rest is spread over the minute.
    BURST = 0.04

    def __init__(self, per_minute: float, *, now: float) -> None:
        self._per_minute = per_minute
        burst = max(1.0, per_minute * self.BURST)
        self._bucket = TokenBucket(
            max(per_minute - burst, per_minute / 2) / MINUTE_S, burst, now=now
        )

    def wait_s(self, tokens: float, now: float) -> float:
        """Seconds until a call of so many tokens may go."""
        return self._bucket.wait_s(tokens, now)

    def take(self, tokens: float, now: float) -> None:
        """Reserve tokens; a negative number gives back what an estimate took too much.

        No single call costs more than a minute: a server that says it took a billion tokens must
        not close the lane for months.
        """
        self._bucket.take(min(tokens, self._per_minute), now)
