"""The instruction that has a model write a new prompt from examples of one's own.

It is a prompt like any other, with the placeholders `examples` and `job`: it is
shown and can be changed before it is sent. Nothing here calls a model.
"""

from __future__ import annotations

from collections.abc import Sequence

from nomikon.core.prompts.messages import Message

INSTRUCTION = """\
You write prompts for language models. Below are prompts that their author is content with, each \
in a block of its own. Write one new prompt for the job named at the end.

Write it the way the examples are written: the same order of parts, the same manner of naming \
inputs in double braces, the same tone and about the same length. Take over no fact that belongs \
only to an example's own job."""

FORM = "Reply with the prompt and nothing else."
TAIL = "{{examples}}\n\nJob: {{job}}"


def alike_inputs(examples: Sequence[Sequence[Message]], job: str) -> dict[str, str]:
    """What fills the placeholders: every example in a fenced block of its own, and the job.

    The braces in the examples go out as they are: values are not filled again.
    """
    blocks = []
    for number, example in enumerate(examples, 1):
        text = "\n\n".join(m.content for m in example)
        fence = "```"
        while fence in text:
            fence += "`"
        blocks.append(f"Prompt {number}:\n{fence}\n{text}\n{fence}")
    return {"examples": "\n\n".join(blocks), "job": job.strip()}
