"""Pure computation: no Django, no network, no clock, no randomness without a seed passed in."""
