"""What ledger takes."""

from __future__ import annotations

from typing import Annotated, NotRequired

from nomikon.server.takes import Page
from nomikon.server.typed import Field, Filled


class LedgerQuery(Page):
    brief: NotRequired[Filled]
    what: NotRequired[Annotated[Filled, Field(help_text="a kind of line")]]
    who: NotRequired[Filled]
    since: NotRequired[Annotated[Filled, Field(help_text="a day, included")]]
    until: NotRequired[Annotated[Filled, Field(help_text="a day, included")]]
    model: NotRequired[Filled]
    setting: NotRequired[Annotated[Filled, Field(help_text="a setting, with or without its value")]]
    words: NotRequired[Filled]
    before: NotRequired[Annotated[int, Field(help_text="only lines older than this one")]]
