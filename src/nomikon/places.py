"""Where the files stand that come with the program: beside the code in a checkout, inside the package when installed."""

from __future__ import annotations

import os
from pathlib import Path

PACKAGE = Path(__file__).resolve().parent
CHECKOUT = PACKAGE.parents[1]


def page() -> Path:
    """The built page."""
    return _first("NOMIKON_WEB_DIST", PACKAGE / "page", CHECKOUT / "web" / "dist")


def demo() -> Path:
    """The demo's texts and cases."""
    return _first("NOMIKON_DEMO_DIR", PACKAGE / "demo_files", CHECKOUT / "demo")


def _first(variable: str, *places: Path) -> Path:
    if told := os.environ.get(variable):
        return Path(told)
    return next((p for p in places if p.is_dir()), places[-1])
