"""A version as a working request: the calls of one case as curl lines and as a Python program.

Both send the bodies that a trial sends, byte for byte as JSON values. The key is
read from an environment variable when they run and is never written down.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from nomikon.core.errors import PromptError
from nomikon.core.prompts import Message, render_step, steps_of
from nomikon.core.prompts.placeholders import (
    STEP_PREFIX,
    placeholder_names,
    section_names,
    value_of,
)
from nomikon.core.prompts.rendering import value_as_text
from nomikon.core.trials import seed_for
from nomikon.models.protocols import PROTOCOLS, request_body
from nomikon.models.types import Connection

# Used where a connection keeps its key encrypted instead of in the environment.
KEPT_KEY = "MODEL_KEY"


def calls_of(
    messages: Sequence[Message],
    settings: Mapping[str, Any],
    case: Mapping[str, Any],
    connection: Connection,
    model: str,
    unsupported: Sequence[str] = (),
    trial_seed: int = 0,
) -> list[tuple[str | None, dict[str, Any]]]:
    """(step, body) for each call, in order; outputs of earlier steps stand as `{{steps.name}}`.

    Raises MissingValueError where the case lacks a value.
    """
    names = {s: "{{steps." + s + "}}" for s in steps_of(messages) if s is not None}
    return [
        (
            step,
            request_body(
                connection,
                model,
                render_step(messages, step, case, names),
                settings,
                seed=seed_for(settings, trial_seed, 0),
                unsupported=unsupported,
            ),
        )
        for step in steps_of(messages)
    ]


def variables_of(messages: Sequence[Message], case: Mapping[str, Any]) -> dict[str, str]:
    """What fills each placeholder of a text, as text, for a program that fills them itself.

    Raises PromptError for a text with sections: those are more than values put in.
    """
    if found := sorted(section_names(messages)):
        raise PromptError(
            f"the section {found[0]} is shown or not by its value, so its placeholders cannot be "
            "variables: take the request of one case instead",
            field="variables",
        )
    names = [n for n in placeholder_names(messages) if not n.startswith(STEP_PREFIX)]
    values = {n: value_of(case, n) for n in names}
    return {n: "" if v is None else value_as_text(v) for n, v in values.items()}


def as_holes(names: Iterable[str]) -> dict[str, Any]:
    """Inputs that leave each of these placeholders standing."""
    case: dict[str, Any] = {}
    for name in names:
        *path, last = name.split(".")
        place = case
        for part in path:
            place = place.setdefault(part, {})
        place[last] = "{{" + name + "}}"
    return case


def as_curl(
    calls: Sequence[tuple[str | None, Mapping[str, Any]]],
    connection: Connection,
    model: str,
    key_env: str | None,
) -> str:
    """One curl command for each call; prints the stream of events as it comes.

    Of several steps the later ones hold `{{steps.name}}`, which the person fills
    in; the Python program does so by itself.
    """
    url = PROTOCOLS[connection.protocol].url(connection.base_url, model)
    commands = []
    for step, body in calls:
        head = f"# step {step}\n" if step is not None else ""
        key = f' \\\n  -H "Authorization: Bearer ${key_env}"' if key_env else ""
        key += "".join(f" \\\n  -H {_quoted(f'{n}: {v}')}" for n, v in connection.headers)
        text = json.dumps(body, ensure_ascii=False)
        commands.append(
            f"{head}curl -sS -N {_quoted(url)} \\\n  -H 'Content-Type: application/json'{key} \\\n"
            f"  --data-binary {_quoted(text)}\n"
        )
    return "\n".join(commands)


def _quoted(text: str) -> str:
    """A text for the shell. A text that begins with @ would be read as a file by curl."""
    assert not text.startswith("@")
    return "'" + text.replace("'", "'\\''") + "'"


_PROGRAM = '''\
"""Ask {model}: {count}. Needs Python 3.9 or later and nothing else."""

import json
import os
import re
import urllib.request

URL = {url}
KEY = {key}
MORE_HEADERS = json.loads({headers})
CALLS = json.loads({calls})
{values}


def ask(body):
    """Send one request and give back the whole text of the streamed answer."""
    headers = {{"Content-Type": "application/json", "Accept": "text/event-stream"}}
    if KEY:
        headers["Authorization"] = "Bearer " + KEY
    headers.update(MORE_HEADERS)
    request = urllib.request.Request(URL, json.dumps(body).encode(), headers)
    text = ""
    with urllib.request.urlopen(request, timeout={timeout}) as reply:
        for line in reply:
            if not line.startswith(b"data:") or line[5:].strip() == b"[DONE]":
                continue
            event = json.loads(line[5:])
            {read}
    return text


def filled(value, holes):
    """The body with what fills its holes in their places, all at once: what is put in is not filled again."""
    if isinstance(value, str) and holes:
        known = "|".join(re.escape("{{{{" + name + "}}}}") for name in holes)
        return re.sub(known, lambda found: holes[found.group()[2:-2]], value)
    if isinstance(value, list):
        return [filled(v, holes) for v in value]
    if isinstance(value, dict):
        return {{k: filled(v, holes) for k, v in value.items()}}
    return value


holes = dict(VALUES)
text = ""
for step, body in CALLS:
    text = ask(filled(body, holes))
    if step is not None:
        holes["steps." + step] = text
print(text)
'''


def as_python(
    calls: Sequence[tuple[str | None, Mapping[str, Any]]],
    connection: Connection,
    model: str,
    key_env: str | None,
    values: Mapping[str, str] | None = None,
) -> str:
    """A Python program (standard library only) that makes the calls in order and prints the answer.

    values: what fills the placeholders that the calls leave standing, as variables to be changed.
    """
    rows = "".join(f"    {n!a}: {v!a},\n" for n, v in (values or {}).items())
    return _PROGRAM.format(
        model=model.replace("\\", " ").replace('"', " ").replace("\n", " "),
        count="one call" if len(calls) == 1 else f"{len(calls)} calls in a row",
        url=ascii(PROTOCOLS[connection.protocol].url(connection.base_url, model)),
        key=f"os.environ[{key_env!a}]" if key_env else "None",
        headers=ascii(json.dumps(dict(connection.headers))),
        calls=ascii(json.dumps([list(c) for c in calls], ensure_ascii=False)),
        values=f"# What fills the placeholders: put in your own.\nVALUES = {{\n{rows}}}"
        if values
        else "VALUES = {}",
        timeout=f"{connection.call_timeout_s:g}",
        read=PROTOCOLS[connection.protocol].reads,
    )
