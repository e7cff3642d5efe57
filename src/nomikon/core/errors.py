"""The errors of the core, one tree.

DomainError
├── ConflictError          what is asked for does not fit the state things are in
│   └── TrialStateError        a trial is not in the state it wants (core.trials.states)
├── PromptError            a prompt cannot be used as it stands
│   ├── EmptyPromptError       no message holds any text
│   ├── PlaceholderSyntaxError a Mustache tag is unclosed, unopened or refused
│   ├── MissingValueError      a placeholder has no value in this case
│   ├── PromptFileError        a prompt file breaks the format (carries the line)
│   ├── LineageFileError       a zip of prompt files cannot be read
│   ├── AmendmentError         amendments that do not exist, or taken without what they require
│   └── NoCommonVersionError   two versions that do not descend from one
├── SettingsError          a sampling parameter is unknown or out of range
├── TableError             a table of cases cannot be read (carries the line)
├── FileFormatError        a trial file or another YAML format is broken (carries the line)
├── PlanError              a trial cannot be planned
├── MeasureError           a measure's parameters are wrong
├── ScorecardError         a scorecard cannot be used
└── CannotCompareError     scores that no honest comparison can be made from

Each error has a stable `code`, an optional `field` (where the bad input
stands) and plain `facts`; the text says what was given and what is allowed.
"""

from __future__ import annotations

from typing import Any


class DomainError(Exception):
    """Something a person asked for cannot be done; nothing was changed."""

    code = "invalid"
    # How an interface that speaks HTTP answers; others need not look at it.
    status = 422

    def __init__(self, message: str, *, field: str | None = None, **facts: Any) -> None:
        super().__init__(message)
        self.message = message
        self.field = field
        self.facts = facts


class ConflictError(DomainError):
    """What is asked for does not fit the state things are in; it may after a reload."""

    code = "conflict"
    status = 409


class PromptError(DomainError):
    """A prompt cannot be used as it stands."""

    code = "prompt_invalid"


class EmptyPromptError(PromptError):
    """No message of the prompt holds any text, so there is nothing to send."""

    code = "prompt_empty"


class PlaceholderSyntaxError(PromptError):
    """A Mustache tag is unclosed, unopened, or of a kind that is refused."""

    code = "placeholder_syntax"


class LineageFileError(PromptError):
    """A zip of prompt files cannot be read; the text names the file in it."""

    code = "lineage_file"


class AmendmentError(PromptError):
    """Amendments that do not exist, or that are taken without those they require."""

    code = "amendment_unusable"


class NoCommonVersionError(PromptError):
    """Two versions that do not descend from one."""

    code = "no_common_version"


class MissingValueError(PromptError):
    """A placeholder has no value in this case; sending a hole would mislead."""

    code = "placeholder_missing"


class PromptFileError(PromptError):
    """A prompt file breaks its format; `line` counts from 1."""

    code = "prompt_file"

    def __init__(self, message: str, *, line: int, **facts: Any) -> None:
        super().__init__(message, line=line, **facts)
        self.line = line


class SettingsError(DomainError):
    """A sampling parameter is unknown, of the wrong type, or out of range."""

    code = "settings_invalid"


class TableError(DomainError):
    """A table of cases cannot be read; `line` counts from 1 when it is known."""

    code = "table_unreadable"


class FileFormatError(DomainError):
    """A file breaks its format; `line` counts from 1."""

    code = "file_format"

    def __init__(self, message: str, *, line: int, **facts: Any) -> None:
        super().__init__(message, line=line, **facts)
        self.line = line


class PlanError(DomainError):
    """A trial cannot be planned from these versions, models, settings and cases."""

    code = "plan_invalid"


class MeasureError(DomainError):
    """A measure's parameters are unknown, missing or out of range."""

    code = "measure_invalid"


class ScorecardError(DomainError):
    """A scorecard cannot be used: no measures, bad weights, names that clash."""

    code = "scorecard_invalid"


class CannotCompareError(DomainError):
    """The scores given allow no honest comparison; the text says why."""

    code = "cannot_compare"
