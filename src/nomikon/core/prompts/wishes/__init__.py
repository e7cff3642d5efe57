"""Wishes: what a prompt shall ask for in place of what it asks for now."""

from nomikon.core.prompts.wishes.granting import Granted, grant_wishes

__all__ = ["Granted", "grant_wishes"]
