"""Files and folders of this machine that a dataset is tied to: found, told, packed to be read.

Only what stands in the one folder that was named at the start is reached, so that nobody who
reaches the page reads the rest of the machine. A link in that folder is followed: whoever laid it
there meant it.
"""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import IO, TypedDict

from django.conf import settings

from nomikon.server.apps.datasets.errors import DatasetError

# So many are offered; what lies deeper is found by typing its path.
MOST_LISTED = 500
MOST_PACKED = 20_000


class Tied(TypedDict):
    """path: below the folder of files. size, changed_ns: of what was read, a folder's are sums.

    The rest is how it was taken in.
    """

    path: str
    size: int
    changed_ns: int
    mapping: dict[str, dict[str, str]]
    by: list[str]
    gone: str
    split: str
    encoding: str
    delimiter: str


class OfferedFile(TypedDict):
    path: str
    folder: bool
    size: int


def files_dir() -> Path:
    """The one folder whose files are reached."""
    return Path(settings.FILES_DIR)


def offered() -> list[OfferedFile]:
    """Files and folders that a dataset may be tied to, those on top first."""
    root = files_dir()
    found: list[OfferedFile] = []
    if not root.is_dir():
        return found
    for folder, folders, names in os.walk(root):
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        here = Path(folder).relative_to(root)
        if here.parts:
            found.append({"path": here.as_posix(), "folder": True, "size": 0})
        for name in sorted(names):
            with suppress(OSError):
                size = (Path(folder) / name).stat().st_size
                if not name.startswith("."):
                    found.append({"path": (here / name).as_posix(), "folder": False, "size": size})
        if len(found) >= MOST_LISTED:
            break
    found.sort(key=lambda f: (f["path"].count("/"), f["path"].casefold()))
    return found[:MOST_LISTED]


def found_file(told: str) -> Path:
    """The file or folder at a path below the folder of files. Raises DatasetError."""
    parts = Path(told).parts
    if not told.strip() or Path(told).is_absolute() or ".." in parts or "\0" in told:
        raise DatasetError("say a path below the folder of files", field="path")
    path = files_dir() / told
    if not path.exists():
        raise DatasetError(f"there is no {told!r} in the folder of files any more", field="path")
    return path


def standing(told: str) -> tuple[int, int]:
    """Size and time of the last change, which tell whether it was changed since; of a folder all."""
    path = found_file(told)
    files = [p for p, _ in _below(path)] if path.is_dir() else [path]
    stats = [f.stat() for f in files]
    return sum(s.st_size for s in stats), max((s.st_mtime_ns for s in stats), default=0)


def _below(folder: Path) -> Iterator[tuple[Path, str]]:
    """Files of a folder with their paths in it, none that a system hides."""
    for at, folders, names in os.walk(folder):
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        for name in sorted(names):
            path = Path(at) / name
            if not name.startswith(".") and path.is_file():
                yield path, path.relative_to(folder.parent).as_posix()


def packed(folder: Path) -> IO[bytes]:
    """The documents of a folder as one file, listed in its first line; gone once it is closed."""
    files = list(_below(folder))
    if not files:
        raise DatasetError(f"the folder {folder.name!r} holds no file", field="path")
    if len(files) > MOST_PACKED:
        raise DatasetError(
            f"the folder holds {len(files):,} files; at most {MOST_PACKED:,} are read", field="path"
        )
    pack = tempfile.NamedTemporaryFile(suffix=".documents")  # noqa: SIM115
    listed = [[name, path.stat().st_size] for path, name in files]
    pack.write(json.dumps(listed).encode() + b"\n")
    for (path, name), (_, size) in zip(files, listed, strict=True):
        before = pack.tell()
        with path.open("rb") as source:
            shutil.copyfileobj(source, pack)
        if pack.tell() - before != size:
            pack.close()
            raise DatasetError(f"{name} was changed while it was read: try again", field="path")
    pack.flush()
    return pack
