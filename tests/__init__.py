"""Tests. A busy machine is no failure: drawn examples have no deadline."""

from hypothesis import settings

settings.register_profile("nomikon", deadline=None)
settings.load_profile("nomikon")
