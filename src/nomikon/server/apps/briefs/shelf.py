"""The starter shelf: texts that ship, one's own, and every version, found by what they say."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any

import yaml
from django.db.models import Q

from nomikon.core.prompts import as_rows, parse_prompt_file, settings_in_short
from nomikon.server.apps.briefs.models import ShelfEntry, Version

SHELF = Path(__file__).resolve().parents[3] / "shelf"
SHIPPED, OWN, VERSION = "shipped", "own", "version"
MOST_FOUND = 200


@dataclass(frozen=True)
class OnShelf:
    """A text that work can begin with. key: `shipped-<file>`, `own-<id>` or `version-<id>`."""

    key: str
    source: str
    name: str
    task: str
    about: str
    tags: list[str]
    messages: list[dict[str, Any]]
    settings: dict[str, Any]
    brief: int | None = None
    brief_name: str = ""
    number: int | None = None

    def searchable(self) -> str:
        """Everything a word may be found in, in lower case."""
        text = " ".join(m["content"] for m in self.messages)
        return " ".join([self.name, self.about, self.brief_name, *self.tags, text]).lower()


@lru_cache(maxsize=1)
def shipped() -> tuple[OnShelf, ...]:
    """The texts that ship, in the order of their names."""
    about = yaml.safe_load((SHELF / "shelf.yaml").read_text(encoding="utf-8"))
    found = []
    for name, facts in about.items():
        prompt = parse_prompt_file((SHELF / f"{name}.md").read_text(encoding="utf-8"))
        found.append(
            OnShelf(
                f"{SHIPPED}-{name}",
                SHIPPED,
                prompt.name,
                prompt.task,
                facts["about"],
                facts["tags"],
                as_rows(prompt.messages),
                dict(prompt.settings),
            )
        )
    return tuple(sorted(found, key=lambda e: e.name))


@dataclass
class Search:
    """What to look for; what is empty does not narrow. value: as it is written, `0.2` or `low`."""

    words: str = ""
    task: str = ""
    tag: str = ""
    source: str = ""
    setting: str = ""
    value: str = ""
    _words: list[str] = field(init=False, default_factory=list)

    def __post_init__(self) -> None:
        self._words = self.words.lower().split()

    def fits(self, entry: OnShelf) -> bool:
        """Whether an entry is wanted."""
        if (self.task and entry.task != self.task) or (self.source and entry.source != self.source):
            return False
        if self.tag and self.tag.lower() not in (t.lower() for t in entry.tags):
            return False
        if self.setting:
            if self.setting not in entry.settings:
                return False
            if self.value and not _same(entry.settings[self.setting], self.value):
                return False
        if not self._words:
            return True
        text = entry.searchable()
        return all(w in text for w in self._words)


def _same(value: Any, wanted: str) -> bool:
    try:
        return float(value) == float(wanted)
    except (TypeError, ValueError):
        return str(value) == wanted


def search_shelf(search: Search) -> list[OnShelf]:
    """Entries that fit: shipped ones, one's own, then versions, the newest first."""
    found: list[OnShelf] = []
    for entry in _all(search):
        if search.fits(entry):
            found.append(entry)
            if len(found) == MOST_FOUND:
                break
    return found


def _all(search: Search) -> Iterator[OnShelf]:
    yield from shipped()
    for own in ShelfEntry.objects.filter(taken_off=False):
        yield _own(own)
    asked = any((search.words, search.task, search.tag, search.setting))
    if asked or search.source == VERSION:
        # Without a question the shelf shows the shelf, not everything ever written.
        versions = Version.objects.select_related("brief").filter(archived=False)
        if search.setting:
            versions = versions.filter(Q(settings__has_key=search.setting))
        for version in versions.order_by("-id").iterator(chunk_size=200):
            yield _version(version)


def _own(own: ShelfEntry) -> OnShelf:
    return OnShelf(
        f"{OWN}-{own.pk}", OWN, own.name, own.task, own.about, own.tags, own.messages, own.settings
    )


def _version(version: Version) -> OnShelf:
    return OnShelf(
        f"{VERSION}-{version.pk}",
        VERSION,
        f"{version.brief.name}, v{version.number}",
        version.brief.task,
        version.note,
        version.tags,
        version.messages,
        version.settings,
        version.brief_id,
        version.brief.name,
        version.number,
    )


def shelf_row(entry: OnShelf) -> dict[str, Any]:
    """An entry as plain data."""
    return {**asdict(entry), "settings_in_short": settings_in_short(entry.settings)}
