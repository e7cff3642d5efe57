"""Trial files, trial/1: what `nomikon run` is to run. Described by schemas/trial.schema.json."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from importlib import resources
from typing import Any

from jsonschema import Draft202012Validator
from jsonschema.exceptions import ValidationError, best_match

from nomikon.core.errors import FileFormatError, SettingsError
from nomikon.core.prompts.settings import PARAMETERS, check_settings
from nomikon.core.trials.estimates import NANO
from nomikon.core.yaml_lines import YamlDocument, read_yaml

FORMAT = "trial/1"


@dataclass(frozen=True)
class TrialModel:
    """One model of a trial file. Prices in billionths of the currency per million tokens."""

    name: str
    connection: Mapping[str, Any]
    limits: Mapping[str, Any]
    unsupported: tuple[str, ...]
    price_in_nano: int | None
    price_out_nano: int | None
    context_length: int | None
    line: int


@dataclass(frozen=True)
class TrialFile:
    """A checked trial file; paths are as written, relative to the file."""

    name: str
    prompts: tuple[str, ...]
    models: tuple[TrialModel, ...]
    settings: tuple[Mapping[str, Any], ...]
    cases: str
    reference: str
    split: str
    repeats: int
    seed: int
    continuations: int
    scorecard: str
    budget_nano: int | None
    thresholds: tuple[Mapping[str, Any], ...]
    document: YamlDocument


@cache
def schema() -> dict[str, Any]:
    """The JSON Schema of trial files."""
    text = resources.files(__package__).joinpath("schemas/trial.schema.json").read_text("utf-8")
    found: dict[str, Any] = json.loads(text)
    return found


def parse_trial_file(text: str) -> TrialFile:
    """Read a trial file. Raises FileFormatError with the line (from 1) for what is wrong."""
    document = read_yaml(text)
    raw = document.value
    if not isinstance(raw, dict) or raw.get("nomikon") != FORMAT:
        given = raw.get("nomikon") if isinstance(raw, dict) else None
        raise FileFormatError(
            f"a trial file must say `nomikon: {FORMAT}`; it says {given!r}",
            line=document.line_of(["nomikon"]),
        )
    error = best_match(Draft202012Validator(schema()).iter_errors(_plain(raw)))
    if error is not None:
        path = list(error.absolute_path)
        raise FileFormatError(_in_words(error, path), line=document.line_of(path))
    settings = []
    for index, row in enumerate(raw.get("settings") or [{}]):
        try:
            settings.append(check_settings(row))
        except SettingsError as refused:
            at = document.line_of(["settings", index, refused.field or ""])
            raise FileFormatError(f"settings {index + 1}: {refused.message}", line=at) from refused
    models = tuple(_model(row, i, document) for i, row in enumerate(raw["models"]))
    budget = raw.get("budget")
    if budget is not None and (unpriced := [m for m in models if m.price_in_nano is None]):
        raise FileFormatError(
            f"{unpriced[0].name} has no price, so a budget cannot be kept: give it a price, or "
            "leave the budget out",
            line=document.line_of(["budget"]),
        )
    return TrialFile(
        name=raw.get("name", ""),
        prompts=tuple(raw["prompts"]),
        models=models,
        settings=tuple(settings),
        cases=raw["cases"],
        reference=raw.get("reference", "reference"),
        split=raw.get("split", "working"),
        repeats=raw.get("repeats", 1),
        seed=raw.get("seed", 0),
        continuations=raw.get("continuations", 0),
        scorecard=raw["scorecard"],
        budget_nano=None if budget is None else round(budget * NANO),
        thresholds=tuple(raw.get("thresholds") or ()),
        document=document,
    )


def _model(row: Mapping[str, Any], index: int, document: YamlDocument) -> TrialModel:
    for name in row.get("unsupported", ()):
        if name not in PARAMETERS:
            raise FileFormatError(
                f"there is no setting {name!r}; there are {', '.join(PARAMETERS)}",
                line=document.line_of(["models", index, "unsupported"]),
            )
    price = row.get("price")
    return TrialModel(
        name=row["name"],
        connection=row["connection"],
        limits=row.get("limits", {}),
        unsupported=tuple(row.get("unsupported", ())),
        price_in_nano=None if price is None else round(price["input"] * NANO),
        price_out_nano=None if price is None else round(price["output"] * NANO),
        context_length=row.get("context_length"),
        line=document.line_of(["models", index]),
    )


def _plain(value: Any) -> Any:
    """As JSON would hold it: YAML's dates and number keys are no part of the format."""
    if isinstance(value, dict):
        return {str(k): _plain(v) for k, v in value.items()}
    if isinstance(value, list):
        return [_plain(v) for v in value]
    return value if value is None or isinstance(value, (str, int, float, bool)) else str(value)


def _in_words(error: ValidationError, path: list[str | int]) -> str:
    """What the schema refuses: where, what was given, what is allowed."""
    where = ".".join(str(p + 1) if isinstance(p, int) else p for p in path)
    if error.validator == "oneOf":
        text = "give either at_least or at_most"
    elif error.validator == "pattern" and path[-1:] == ["base_url"]:
        text = f"{error.instance!r} must begin with http:// or https:// and name a host"
    else:
        text = error.message[:200]
    return f"{where}: {text}" if where else text
