"""A whole lineage as a zip: one prompt file for each version, and how they hang together."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import yaml

from nomikon.core.errors import DomainError, LineageFileError, PromptFileError
from nomikon.core.foreign_words import of_yaml
from nomikon.core.prompts import Prompt, check_messages, parse_prompt_file, write_prompt_file
from nomikon.core.yaml_lines import load_plain

FORMAT = "lineage/1"
INDEX = "lineage.yaml"
# A line by which a file is meant as a prompt file, whole or broken.
_MARKED = re.compile(r"^(?:---|:::.*)[ \t]*$", re.M)
PLAIN_TEXT = "from a plain text, as one message"
# A zip can unpack to far more than it holds.
LARGEST = 50_000_000
MOST_FILES = 5_000


@dataclass(frozen=True)
class LineageEntry:
    """A version with its place in the lineage. parents: numbers, none to two, each an earlier one."""

    number: int
    prompt: Prompt
    parents: tuple[int, ...] = ()
    note: str = ""
    tags: tuple[str, ...] = ()


def write_lineage_zip(entries: Sequence[LineageEntry]) -> bytes:
    """The zip's bytes; the same entries give the same bytes."""
    index: dict[str, Any] = {"nomikon": FORMAT, "versions": []}
    files: dict[str, str] = {}
    for entry in entries:
        name = f"v{entry.number:03d}.md"
        files[name] = write_prompt_file(entry.prompt)
        row: dict[str, Any] = {"number": entry.number, "file": name, "parents": list(entry.parents)}
        if entry.note:
            row["note"] = entry.note
        if entry.tags:
            row["tags"] = list(entry.tags)
        index["versions"].append(row)
    files[INDEX] = yaml.safe_dump(index, sort_keys=False, allow_unicode=True)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in sorted(files.items()):
            # A fixed date: a zip of the same lineage is the same file.
            archive.writestr(zipfile.ZipInfo(name), text.encode("utf-8"), zipfile.ZIP_DEFLATED)
    return out.getvalue()


def read_versions(data: bytes) -> list[LineageEntry]:
    """The versions in a prompt file or in a zip of them, parents before children.

    A plain text, without front matter and message marks, becomes one user message; its note says so.
    Raises PromptFileError with the line, or LineageFileError as `read_lineage_zip` does.
    """
    if data.startswith(b"PK"):
        return read_lineage_zip(data)
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise PromptFileError(f"line {line}: not UTF-8", field="file", line=line) from error
    if text.strip() and not _MARKED.search(text):
        plain = check_messages([{"role": "user", "content": text.strip("\r\n")}])
        return [LineageEntry(1, Prompt(plain), note=PLAIN_TEXT)]
    return [LineageEntry(1, parse_prompt_file(text))]


def read_lineage_zip(data: bytes) -> list[LineageEntry]:
    """The entries of a zip, parents before children.

    A zip without an index gives every prompt file in it, in the order of names,
    each the child of the one before. Raises LineageFileError naming the file in
    the zip, with the line where a prompt file is broken.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            texts = _texts(archive)
    except zipfile.BadZipFile as error:
        raise LineageFileError(
            "this is no zip file that can be read: it is damaged, or of another kind"
        ) from error
    place = next((n for n in texts if n.rsplit("/", 1)[-1] == INDEX), None)
    index = None if place is None else texts.pop(place)
    names = sorted(n for n in texts if n.lower().endswith((".md", ".markdown")))
    if index is None:
        if not names:
            raise LineageFileError("the zip holds no prompt file (.md)")
        return [
            LineageEntry(k, _prompt(n, texts[n]), (k - 1,) if k > 1 else ())
            for k, n in enumerate(names, 1)
        ]
    return _indexed(index, texts, str(place).removesuffix(INDEX))


def _texts(archive: zipfile.ZipFile) -> dict[str, str]:
    infos = [i for i in archive.infolist() if not i.is_dir()]
    if len(infos) > MOST_FILES or sum(i.file_size for i in infos) > LARGEST:
        raise LineageFileError(
            f"the zip unpacks to more than {LARGEST // 1_000_000} MB or {MOST_FILES:,} files"
        )
    texts = {}
    for info in infos:
        name = info.filename
        # Some systems put hidden companions of every file in.
        hidden = name.startswith("__MACOSX/") or name.rsplit("/", 1)[-1].startswith(".")
        if hidden or not re.search(r"\.(md|markdown|ya?ml)$", name, re.IGNORECASE):
            continue
        try:
            texts[name] = archive.read(info).decode("utf-8-sig")
        except UnicodeDecodeError as error:
            raise LineageFileError(f"{name} is not UTF-8") from error
        except (RuntimeError, zipfile.BadZipFile, NotImplementedError) as error:
            raise LineageFileError(
                f"{name} cannot be unpacked: it is damaged, or needs a password"
            ) from error
    return texts


def _prompt(name: str, text: str) -> Prompt:
    try:
        return parse_prompt_file(text)
    except PromptFileError as error:
        line = error.facts.get("line")
        raise LineageFileError(f"{name}, line {line}: {error.message}") from error
    except DomainError as error:
        raise LineageFileError(f"{name}: {error.message}") from error


def _indexed(index: str, texts: dict[str, str], folder: str) -> list[LineageEntry]:
    try:
        document = load_plain(index)
        rows = document["versions"]
        if document["nomikon"] != FORMAT:
            raise LineageFileError(f"{INDEX} must say `nomikon: {FORMAT}`")
        entries: list[LineageEntry] = []
        for row in rows:
            name = folder + str(row["file"])
            if name not in texts:
                raise LineageFileError(f"{INDEX} names {name}, which is not in the zip")
            parents = tuple(int(p) for p in row.get("parents", []))
            if len(parents) > 2 or not set(parents) <= {e.number for e in entries}:
                raise LineageFileError(f"{INDEX}: the parents of {name} must stand before it")
            entries.append(
                LineageEntry(
                    int(row["number"]),
                    _prompt(name, texts[name]),
                    parents,
                    str(row.get("note", "")),
                    tuple(str(t) for t in row.get("tags", [])),
                )
            )
    except yaml.YAMLError as error:
        raise LineageFileError(f"{INDEX} is not YAML: {of_yaml(error)}") from error
    except (KeyError, TypeError, ValueError) as error:
        lost = f": {error.args[0]} is missing" if isinstance(error, KeyError) else ""
        raise LineageFileError(f"{INDEX} is not as written by an export{lost}") from error
    if not entries:
        raise LineageFileError(f"{INDEX} names no version")
    return entries
