"""Budgets of trials, in the installation's currency."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

from nomikon.core.errors import PlanError
from nomikon.core.trials import NANO

HIGHEST = 1_000_000


def check_budget(budget: Decimal | None, *, unpriced: Sequence[str]) -> None:
    """Refuse a budget that is no amount of money, or that cannot be kept."""
    if budget is None:
        return
    if not 0 < budget <= HIGHEST:
        raise PlanError(
            f"a budget of {budget.normalize():f} is not possible; allowed is above 0 to {HIGHEST:,}",
            field="budget",
        )
    if unpriced:
        raise PlanError(
            f"{unpriced[0]} has no price, so a budget cannot be kept: give its model a price, or "
            "plan without a budget",
            field="budget",
        )


def budget_nano(budget: Decimal | None) -> int | None:
    """A budget in billionths of the currency."""
    return None if budget is None else int((budget * NANO).to_integral_value())
