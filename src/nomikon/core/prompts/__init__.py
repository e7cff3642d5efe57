"""Prompts: messages, placeholders, rendering, clauses, amendments, settings, prompt files."""

from nomikon.core.prompts.alignment import WordChange, word_changes
from nomikon.core.prompts.amendments import Amendment, Revision, amendments_between
from nomikon.core.prompts.clauses import Clause, clauses_of
from nomikon.core.prompts.files import parse_prompt_file, write_prompt_file
from nomikon.core.prompts.messages import (
    Message,
    Prompt,
    as_rows,
    check_messages,
    messages_of_step,
    steps_of,
)
from nomikon.core.prompts.placeholders import (
    ColumnFit,
    column_of,
    find_tags,
    fit_columns,
    instructions_of,
    placeholder_names,
    section_names,
    with_renamed,
)
from nomikon.core.prompts.rendering import Rendered, render, render_step
from nomikon.core.prompts.settings import check_settings, merge_settings, settings_in_short

__all__ = [
    "Amendment",
    "Clause",
    "ColumnFit",
    "Message",
    "Prompt",
    "Rendered",
    "Revision",
    "WordChange",
    "amendments_between",
    "as_rows",
    "check_messages",
    "check_settings",
    "clauses_of",
    "column_of",
    "find_tags",
    "fit_columns",
    "instructions_of",
    "merge_settings",
    "messages_of_step",
    "parse_prompt_file",
    "placeholder_names",
    "render",
    "render_step",
    "section_names",
    "settings_in_short",
    "steps_of",
    "with_renamed",
    "word_changes",
    "write_prompt_file",
]
