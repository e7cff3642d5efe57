"""docs/measures.md, made from the registry: what is documented is what there is."""

from __future__ import annotations

import json

from nomikon.core.measures import expression_grammar
from nomikon.core.measures.declared import declared
from nomikon.core.measures.expression import FUNCTIONS, ROOTS
from nomikon.core.measures.registry import FAMILIES

_HEAD = """\
# Measures

Made from the code by `make docs`; a test holds the two together. A measure gives an output a score
from 0 to 1 with a *why*, or none where it cannot say. A cut, declined or empty answer scores 0 by
every measure. A weighted measure without a score makes the total missing; nothing is reweighted.
"""


def as_markdown() -> str:
    """The whole page."""
    parts = [_HEAD]
    for family, measures in FAMILIES.items():
        parts.append(f"## {family.capitalize()}\n")
        for measure in measures:
            parts.append(f"### {measure.name}\n\n{measure.description}\n")
            if measure.needs_reference:
                parts.append("Without a reference: no score.\n")
            if measure.parameters:
                parts.append(
                    "\n".join(
                        f"- `{n}`: {p.words}" for n, p in declared(measure.parameters).items()
                    )
                    + "\n"
                )
            given, output, reference, score = measure.worked
            shown = f"`{json.dumps(output, ensure_ascii=False)}`"
            against = (
                ""
                if reference is None
                else f" against `{json.dumps(reference, ensure_ascii=False)}`"
            )
            result = "no score" if score is None else f"{score:.2f}"
            with_ = f" with `{json.dumps(given, ensure_ascii=False)}`" if given else ""
            told = "".join(f", told `{r}`" for r in getattr(measure, "worked_replies", ()))
            parts.append(f"Example: {shown}{against}{with_}{told} gives {result}.\n")
            if instruction := getattr(measure, "instruction", ""):
                parts.append(
                    f"What the judge is told, unless it is changed:\n\n```\n{instruction}\n```\n"
                )
    grammar = (expression_grammar.__doc__ or "").split("\n\n", 1)[1].rstrip()
    parts.append(
        "## The expression language\n\nNames: "
        + ", ".join(f"`{r}`" for r in ROOTS)
        + ". Functions: "
        + ", ".join(f"`{f}`" for f in FUNCTIONS)
        + ". A mistake is told with its position.\n\n```\n"
        + "\n".join(line.removeprefix("    ") for line in grammar.split("\n"))
        + "\n```\n"
    )
    return "\n".join(parts)
