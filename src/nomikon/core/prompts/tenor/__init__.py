"""The tenor of a prompt: what it is read to ask for."""

from nomikon.core.prompts.tenor.read import read_tenor
from nomikon.core.prompts.tenor.shape import Tenor

__all__ = ["Tenor", "read_tenor"]
