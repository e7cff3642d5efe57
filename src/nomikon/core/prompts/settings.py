"""Sampling parameters with their ranges."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from nomikon.core.errors import SettingsError

# Parameter -> (kind, low, high, what it is in one line). Ranges are those that
# open inference servers accept; a server may be narrower and says so itself.
NUMBERS: dict[str, tuple[type, float, float, str]] = {
    "temperature": (float, 0.0, 2.0, "0 picks the likeliest piece, higher varies more"),
    "top_p": (float, 0.0, 1.0, "keep the likeliest pieces that sum to this share"),
    "top_k": (int, 1, 1_000_000, "keep this many of the likeliest pieces"),
    "max_tokens": (int, 1, 10_000_000, "most output tokens; an answer that reaches it is cut"),
    "seed": (int, 0, 2**53 - 1, "start of the server's random numbers, where it has them"),
    "presence_penalty": (float, -2.0, 2.0, "pushes away from pieces already used once"),
    "frequency_penalty": (float, -2.0, 2.0, "pushes away from pieces by how often they were used"),
}
MAX_STOPS = 16
REASONING_EFFORTS = ("low", "medium", "high")
OTHERS = ("stop", "response_schema", "reasoning_effort")
PARAMETERS = (*NUMBERS, *OTHERS)


def check_settings(settings: Mapping[str, Any]) -> dict[str, Any]:
    """Checked copy of settings: known names, right types, within range, None left out.

    Whole numbers are accepted for fractions and come back as float.
    Raises SettingsError whose field is the parameter's name.

    >>> check_settings({'temperature': 0})
    {'temperature': 0.0}
    """
    clean: dict[str, Any] = {}
    for name, value in settings.items():
        if value is None:
            continue
        if name in NUMBERS:
            clean[name] = _number(name, value)
        elif name == "stop":
            clean[name] = _stops(value)
        elif name == "response_schema":
            if not isinstance(value, Mapping):
                raise SettingsError("response_schema must be a JSON Schema object", field=name)
            clean[name] = dict(value)
        elif name == "reasoning_effort":
            if value not in REASONING_EFFORTS:
                allowed = ", ".join(REASONING_EFFORTS)
                raise SettingsError(
                    f"reasoning_effort is {value!r}; allowed are {allowed}", field=name
                )
            clean[name] = value
        else:
            allowed = ", ".join([*NUMBERS, *OTHERS])
            raise SettingsError(f"unknown setting {name!r}; known are {allowed}", field=str(name))
    return {name: clean[name] for name in [*NUMBERS, *OTHERS] if name in clean}


def _number(name: str, value: Any) -> float | int:
    kind, low, high, _ = NUMBERS[name]
    wanted = "a whole number" if kind is int else "a number"
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
        raise SettingsError(f"{name} is {value!r}; it must be {wanted}", field=name)
    if kind is int and value != int(value):
        raise SettingsError(f"{name} is {value}; it must be a whole number", field=name)
    if not low <= value <= high or (name == "top_p" and value == 0):
        span = f"above 0 and at most {high:g}" if name == "top_p" else f"from {low:g} to {high:g}"
        raise SettingsError(f"{name} is {value:g}; allowed is {span}", field=name)
    return int(value) if kind is int else float(value)


def _stops(value: Any) -> list[str]:
    stops = [value] if isinstance(value, str) else value
    if not isinstance(stops, (list, tuple)) or not all(isinstance(s, str) and s for s in stops):
        raise SettingsError("stop must be a text or a list of texts, none empty", field="stop")
    if len(stops) > MAX_STOPS:
        raise SettingsError(
            f"stop has {len(stops)} sequences; at most {MAX_STOPS} are allowed", field="stop"
        )
    return list(stops)


def merge_settings(defaults: Mapping[str, Any], override: Mapping[str, Any]) -> dict[str, Any]:
    """A version's default settings with a trial's settings laid over them, key by key.

    >>> merge_settings({'temperature': 0, 'top_p': 1}, {'temperature': 0.7})
    {'temperature': 0.7, 'top_p': 1.0}
    """
    return check_settings({**defaults, **override})


_SHORT = {
    "temperature": "T",
    "top_p": "top-p",
    "top_k": "top-k",
    "max_tokens": "max",
    "presence_penalty": "presence",
    "frequency_penalty": "frequency",
}


def settings_in_short(settings: Mapping[str, Any]) -> str:
    """One short line for a table: `T 0.7, top-p 0.9, max 200`; `as the server has it` if empty.

    >>> settings_in_short({'temperature': 0.7})
    'T 0.7'
    """
    parts = []
    for name, value in check_settings(settings).items():
        if name in NUMBERS:
            parts.append(f"{_SHORT.get(name, name)} {value:g}")
        elif name == "stop":
            parts.append("stop " + " ".join(repr(s) for s in value))
        elif name == "reasoning_effort":
            parts.append(f"effort {value}")
        else:
            parts.append("schema")
    return ", ".join(parts) or "server defaults"
