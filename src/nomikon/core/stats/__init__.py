"""Statistics: one method a file; the case is the unit throughout."""

from nomikon.core.stats.compare import (
    ArmSummary,
    ComparisonResult,
    PairComparison,
    compare,
)
from nomikon.core.stats.holm import holm
from nomikon.core.stats.intervals import (
    Interval,
    bca,
    bca_usable,
    difference_interval,
    mean_interval,
    wilson,
)
from nomikon.core.stats.means import ScoreRow, case_means
from nomikon.core.stats.power import cases_needed, smallest_difference
from nomikon.core.stats.resampling import resample_counts, resampled_means
from nomikon.core.stats.signflip import SignFlip, sign_flip, sign_flips
from nomikon.core.stats.thresholds import MET, MISSED, UNSURE, threshold_state

__all__ = [
    "MET",
    "MISSED",
    "UNSURE",
    "ArmSummary",
    "ComparisonResult",
    "Interval",
    "PairComparison",
    "ScoreRow",
    "SignFlip",
    "bca",
    "bca_usable",
    "case_means",
    "cases_needed",
    "compare",
    "difference_interval",
    "holm",
    "mean_interval",
    "resample_counts",
    "resampled_means",
    "sign_flip",
    "sign_flips",
    "smallest_difference",
    "threshold_state",
    "wilson",
]
