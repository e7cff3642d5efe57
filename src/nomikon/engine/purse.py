"""The purse of a trial: no new call once its budget is spent."""

from __future__ import annotations

from collections.abc import AsyncIterator

from nomikon.engine.units import Unit, UnitResult


class Purse:
    """Counts what is spent and stops handing out units at the budget.

    Calls under way when the budget is reached still end and are paid for, so
    the overshoot is at most what was in flight.
    """

    def __init__(self, budget: int | None, spent: int = 0) -> None:
        self._budget = budget
        self._spent = spent
        self.closed = False

    def close(self) -> None:
        """Hand out nothing more; what is under way still ends."""
        self.closed = True

    @property
    def empty(self) -> bool:
        """Whether the budget is spent."""
        return self._budget is not None and self._spent >= self._budget

    async def hand_out(self, units: AsyncIterator[Unit]) -> AsyncIterator[Unit]:
        """Units one by one for as long as the budget lasts; what is known costs nothing."""
        async for unit in units:
            if self.empty and not unit.known:
                self.close()
            if self.closed:
                return
            yield unit

    async def pay(self, results: AsyncIterator[UnitResult]) -> AsyncIterator[UnitResult]:
        """The same results, each one's new cost taken from the purse as it comes."""
        async for result in results:
            self._spent += result.newly_spent
            yield result
