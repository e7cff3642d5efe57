"""What a wheel takes along besides the code: the built page and the demo."""

import shutil
from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py

ROOT = Path(__file__).resolve().parent
TAKEN = {"page": ROOT / "web" / "dist", "demo_files": ROOT / "demo"}


class WithPage(build_py):
    """The page is built before (make wheel); without it there is no product to install."""

    def run(self) -> None:
        super().run()
        if self.editable_mode:
            return
        for name, source in TAKEN.items():
            if not source.is_dir():
                raise SystemExit(f"{source} is not there: build with make wheel")
            target = Path(self.build_lib) / "nomikon" / name
            shutil.rmtree(target, ignore_errors=True)
            shutil.copytree(
                source, target, ignore=shutil.ignore_patterns(".*", "__pycache__", "*.py")
            )


setup(cmdclass={"build_py": WithPage})
