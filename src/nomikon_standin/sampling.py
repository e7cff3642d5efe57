"""Seeded choice with temperature, top-p and top-k."""

from __future__ import annotations

import math
from typing import TypeVar

from nomikon_standin.words import chance

T = TypeVar("T")


class Dice:
    """The noise of one request: none at temperature 0, seeded above it."""

    def __init__(
        self, *, temperature: float, top_p: float, top_k: int | None, seed: int, salt: str
    ) -> None:
        self.temperature = temperature
        self.top_p = top_p
        self.top_k = top_k
        # At temperature 0 the seed changes nothing: the likeliest is taken.
        self._seed = f"{seed}:{salt}" if temperature > 0 else salt

    def roll(self, *parts: object) -> float:
        """A number from 0 to 1 for one question of this request."""
        return chance(self._seed, *parts)

    def pick(self, options: list[T], points: list[float], *, salt: str) -> T:
        """Choose one option: the one with most points, or a draw from their softmax.

        top-k keeps the best k, top-p the best that together reach the share.
        """
        order = sorted(range(len(options)), key=lambda i: -points[i])
        if self.temperature <= 0 or len(options) == 1:
            return options[order[0]]
        if self.top_k:
            order = order[: self.top_k]
        top = points[order[0]]
        weights = [math.exp((points[i] - top) / self.temperature) for i in order]
        total = sum(weights)
        kept, mass = [], 0.0
        for index, weight in zip(order, weights, strict=True):
            kept.append((index, weight))
            mass += weight / total
            if mass >= self.top_p:
                break
        target = self.roll("pick", salt) * sum(w for _, w in kept)
        for index, weight in kept:
            target -= weight
            if target <= 0:
                return options[index]
        return options[kept[-1][0]]
