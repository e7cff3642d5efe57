"""The instruction that has a model draft a rubric from a brief: shown, and changed before it is sent.

Nothing here calls a model; what comes back is read by `rubric.read_drafted`.
"""

from __future__ import annotations

INSTRUCTION = """\
You write rubrics by which answers to one kind of task are judged. Read the job below and write \
three to six criteria that tell a good answer to it from a bad one. Each criterion asks one thing \
that can be seen in the answer itself, and has three or four levels, each described so plainly \
that two readers would choose the same one. Do not ask for the same thing twice."""

FORM = """\
Reply with one JSON object and nothing else: its key "criteria" holds a list of objects with the \
keys "name" (one to three words), "asks" (a question), "levels" (descriptions from the worst to \
the best) and "weight" (1, or 2 for what matters most)."""

TAIL = "Job:\n{{job}}"
