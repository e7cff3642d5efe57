"""Scoring in bounds: what could take long is worked out in processes that can be ended.

Measures known to take time in proportion to the text stay in the loop; all others go to plain
subprocesses in batches (an executor's worker may start no pools of its own).
"""

from nomikon.engine.scoring.jobs import Job, card_of
from nomikon.engine.scoring.pool import score_many, score_one

__all__ = ["Job", "card_of", "score_many", "score_one"]
