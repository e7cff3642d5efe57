"""Revisions of the rules by which figures are derived from what was stored raw.

Whoever changes what one of these rules makes of the same raw text raises its number. Stored
rows carry the number they were made by; rows of another one are worked out anew, without a
call, before any figure is told from them. 0 stands for what was stored before numbers were kept.
"""

from __future__ import annotations

# What an answer is taken for, and its text, from the pieces that a server sent.
# 2: reasoning told apart; refusals and cuts in four languages, in two grades.
OUTCOME_RULE = 2
# Scores of an answer by a scorecard.
# 2: measures in every script; numbers, names and shapes told apart from what looks like them.
# 3: times at a sentence's end, and with a stop between hour and minute, are times.
# 4: a short text is read in its own language.
SCORE_RULE = 4
# How a prompt is cut into numbered clauses.
# 2: from blocks: inputs with their marks, examples and tables whole, lines without stops, four languages.
CLAUSE_RULE = 2
# Tokens told before a call is paid for.
ESTIMATE_RULE = 1

# How intervals and tests are worked out from scores, for figures that are kept worked out.
# 2: intervals that invert their test, unseen losses, time watched.
FIGURES_RULE = 2


def figures_rule() -> str:
    """By which rules a trial's stored figures are up to date."""
    return f"{OUTCOME_RULE}.{SCORE_RULE}"
