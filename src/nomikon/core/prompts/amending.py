"""The request that has a model propose amendments from faults: shown, and changed before it is sent.

Nothing here calls a model; what comes back is read by `proposals.read_proposals`.
"""

from __future__ import annotations

from collections.abc import Sequence

from nomikon.core.prompts.clauses import clauses_of
from nomikon.core.prompts.evidence import BETTER, Fault
from nomikon.core.prompts.messages import Message

# Remarks of a fault that are sent along, and the most characters of one.
REMARKS_SENT = 8
LONGEST = 300

INSTRUCTION = """\
You amend prompts. Below are the job, a prompt for it in numbered clauses, and the faults that \
people and measures found in its answers, each with examples. Propose the fewest changes of \
single clauses that would put these faults right. Leave alone what works. Say what is wanted \
rather than what went wrong, in words that hold for every input, and never copy one case into \
the prompt. Keep every placeholder in double braces as it is."""

TRIM = """\
You make prompts shorter. Below are the job and a prompt for it in numbered clauses. Propose \
changes of single clauses that make it shorter and cheaper and change no answer: strike what \
repeats another clause, what every model does anyway, and words of courtesy; say the rest in fewer \
words. Keep every rule of form, every label, every limit and every placeholder in double braces."""

ADAPT = """\
You adapt prompts to a model. Below are the job, what is known of the model, a prompt for the job \
in numbered clauses, and the faults in this model's own answers, each with examples. Propose the \
fewest changes of single clauses that suit this model: for one that forgets, fewer and shorter \
clauses with the most important last; for one that talks, a firm bound and the form first; for one \
that declines, a plain leave to answer. Leave alone what works. Keep every placeholder in double \
braces as it is, and never copy one case into the prompt."""

WISHES = """\
You amend prompts. Below are the job, a prompt for it in numbered clauses, and what its author \
wishes were otherwise. Propose the fewest changes of single clauses that grant these wishes and \
nothing else: change the clause that says it now rather than add a second, and keep the prompt's \
own language and manner. Leave a wish that cannot be granted without being a proposal. Keep every \
placeholder in double braces as it is."""

FORM = """\
Reply with one JSON object and nothing else: its key "amendments" holds a list of objects with \
the keys "kind" ("amend", "add" or "strike"), "clause" (the number of the clause it changes or \
strikes, or after which it adds), "text" (the clause as it shall read; empty for a strike), \
"fault" (the number of the fault it answers) and "reason" (one sentence)."""

WISHES_FORM = """\
Reply with one JSON object and nothing else: its key "amendments" holds a list of objects with \
the keys "kind" ("amend", "add" or "strike"), "clause" (the number of the clause it changes or \
strikes, or after which it adds), "text" (the clause as it shall read; empty for a strike), \
"fault" (the number of the wish it grants) and "reason" (one sentence)."""

TRIM_FORM = """\
Reply with one JSON object and nothing else: its key "amendments" holds a list of objects with \
the keys "kind" ("amend" or "strike"), "clause" (the number of the clause), "text" (the clause as \
it shall read, shorter than before; empty for a strike) and "reason" (one sentence: why nothing is \
lost)."""

TAIL = """\
Job:
{{job}}

{{#model}}
Model:
{{model}}

{{/model}}
Clauses of the prompt:
{{clauses}}
{{#faults}}

Faults:
{{faults}}
{{/faults}}
{{#wishes}}

Wishes:
{{wishes}}
{{/wishes}}"""


def amend_inputs(
    messages: Sequence[Message],
    faults: Sequence[Fault],
    job: str,
    model: str = "",
    wishes: Sequence[str] = (),
) -> dict[str, str]:
    """What fills the request: the clauses by number, the faults with their examples.

    model: what is known of the model a prompt is adapted to, "" where it is for any. wishes: what is wished for in place of faults.
    """
    role = {i: m.role for i, m in enumerate(messages)}
    clauses = [f"§{c.number} ({role[c.message]}) {c.text}" for c in clauses_of(messages)]
    return {
        "job": job.strip() or "(not stated)",
        "model": model,
        "wishes": "\n".join(f"Wish {n}: {' '.join(w.split())}" for n, w in enumerate(wishes, 1)),
        "clauses": "\n".join(clauses),
        "faults": "\n\n".join(_told(place, f) for place, f in enumerate(faults, 1)),
    }


def _told(place: int, fault: Fault) -> str:
    head = f"Fault {place}, in {fault.cases} cases"
    if fault.label:
        head += f", {fault.label}"
    lines = [f"{head}: {_short(fault.title)}"]
    for remark in fault.remarks[:REMARKS_SENT]:
        quote = f" (of the words “{_short(remark.quote)}”)" if remark.quote else ""
        what = "better would be" if remark.source == BETTER else "said"
        wanted = f"; wanted: {_short(remark.wanted)}" if remark.wanted else ""
        lines.append(f"- case {remark.case}, {what}: {_short(remark.text)}{quote}{wanted}")
    return "\n".join(lines)


def _short(text: str) -> str:
    text = " ".join(text.split())
    return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"
