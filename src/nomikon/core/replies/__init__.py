"""One reader of what models really reply: the JSON or the text in it, told apart from the rest."""

from nomikon.core.replies.finding import Found, ReplyError, find_json, find_text
from nomikon.core.replies.shaping import (
    kind_of,
    number_of,
    pick,
    rows_of,
    text_of,
    whole_number,
)

__all__ = [
    "Found",
    "ReplyError",
    "find_json",
    "find_text",
    "kind_of",
    "number_of",
    "pick",
    "rows_of",
    "text_of",
    "whole_number",
]
