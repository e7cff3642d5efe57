"""YAML that remembers on which line each value stands, so that refusals can say it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import yaml

from nomikon.core.errors import FileFormatError
from nomikon.core.foreign_words import of_yaml

Path = tuple[str | int, ...]


@dataclass(frozen=True)
class YamlDocument:
    """A document and the line (from 1) of every value in it, by path."""

    value: Any
    lines: dict[Path, int]

    def line_of(self, path: Sequence[str | int]) -> int:
        """The line of a value, or of the nearest one around it."""
        found = tuple(path)
        while found not in self.lines and found:
            found = found[:-1]
        return self.lines.get(found, 1)


# Lists and mappings in one another, at most.
DEEPEST = 60


def check_events(text: str) -> None:
    """Refuse what stands for more than it holds, or goes deeper than anybody writes.

    Raises FileFormatError with the line, YAMLError for what is no YAML.
    """
    depth = 0
    for event in yaml.parse(text, yaml.SafeLoader):
        line = (event.start_mark.line if event.start_mark else 0) + 1
        if isinstance(event, yaml.AliasEvent):
            raise FileFormatError("aliases (*name) are not taken; write it out", line=line)
        if isinstance(event, yaml.CollectionStartEvent):
            depth += 1
            if depth > DEEPEST:
                raise FileFormatError(f"it is nested more than {DEEPEST} deep", line=line)
        elif isinstance(event, yaml.CollectionEndEvent):
            depth -= 1


def load_plain(text: str) -> Any:
    """One YAML document as plain data, in bounds. Raises FileFormatError, YAMLError."""
    check_events(text)
    return yaml.safe_load(text)


def read_yaml(text: str) -> YamlDocument:
    """Read one YAML document. Raises FileFormatError with the line for what is none.

    Aliases are refused: a few of them nested stand for more than memory holds.
    """
    try:
        loader = yaml.SafeLoader(text.removeprefix("\ufeff"))
        check_events(text)
        node = loader.get_single_node()
        value = loader.construct_document(node) if node is not None else None
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        raise FileFormatError(
            f"not YAML: {of_yaml(error)}", line=mark.line + 1 if mark else 1
        ) from error
    except (ValueError, RecursionError) as error:
        raise FileFormatError(f"not YAML: {of_yaml(error)}", line=1) from error
    lines: dict[Path, int] = {}
    if node is not None:
        _note(node, (), lines)
    return YamlDocument(value, lines)


def _note(node: yaml.Node, path: Path, lines: dict[Path, int]) -> None:
    lines[path] = node.start_mark.line + 1
    if isinstance(node, yaml.MappingNode):
        for key, inner in node.value:
            if isinstance(key, yaml.ScalarNode):
                _note(inner, (*path, key.value), lines)
    elif isinstance(node, yaml.SequenceNode):
        for index, inner in enumerate(node.value):
            _note(inner, (*path, index), lines)
