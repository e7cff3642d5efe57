"""What a measure of one's own is made from, for those who run their own server.

A package offers its measures under the entry-point group `nomikon.measures`,
name to class; docs/own-measures.md has a whole example. They then stand in
scorecards by that name.
"""

from nomikon.core.errors import MeasureError
from nomikon.core.measures.base import Answer, GroupMeasure, Measure, Score, Turn, only_known
from nomikon.core.measures.declared import Parameter

__all__ = [
    "Answer",
    "GroupMeasure",
    "Measure",
    "MeasureError",
    "Parameter",
    "Score",
    "Turn",
    "only_known",
]
