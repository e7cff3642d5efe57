"""What is known of a model, for adapting a prompt to it: its limits, and how it answered in a trial."""

from __future__ import annotations

import numpy as np

from nomikon.server.apps.briefs.models import Version
from nomikon.server.apps.connections.models import Model
from nomikon.server.apps.trials.models import Output


def habits_of(model: Model, trial: int, version: Version) -> str:
    """A line for each thing that is known; nothing is guessed."""
    lines = [f"- its name is {model.name}"]
    if model.context_length:
        lines.append(f"- it holds {model.context_length:,} tokens, prompt and answer together")
    if model.unsupported:
        lines.append(f"- it does not take the settings {', '.join(model.unsupported)}")
    outputs = Output.objects.filter(
        arm__trial=trial, arm__version=version, arm__model=model, arm__without=[]
    )
    rows = list(outputs.filter(failure="").values_list("outcome", "tokens_out"))
    if rows:
        lines.append(f"- it gave {len(rows)} answers to this prompt")
        for outcome in ("cut", "declined", "empty"):
            if n := sum(o == outcome for o, _ in rows):
                lines.append(f"- {n} of them were {outcome}")
        lengths = [n for _, n in rows if n is not None]
        if lengths:
            lines.append(f"- half of them are longer than {int(np.median(lengths))} tokens")
    return "\n".join(lines)
