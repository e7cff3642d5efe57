"""Copies of the database, made while it is written, put back, looked over; and processes that end together."""

import os
import re
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import unittest
import zipfile
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path

from nomikon.server.stored.backup import BackupError, back_up, check, examine, keep_daily, restore
from tests.processes import ROOT, free_port, listening, wait_until

NOW = datetime(2026, 11, 28, 9, 0, tzinfo=UTC)


def nomikon(*arguments):
    done = subprocess.run(
        [sys.executable, "-m", "nomikon", *map(str, arguments)], capture_output=True, text=True
    )
    return done.returncode, done.stdout, done.stderr


class BackupTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.database = self.folder / "nomikon.sqlite3"
        with closing(sqlite3.connect(self.database)) as db:
            db.execute("PRAGMA journal_mode=WAL")
            db.execute("CREATE TABLE t (n INTEGER PRIMARY KEY, twin INTEGER)")
            db.executemany("INSERT INTO t VALUES (?, ?)", [(n, n) for n in range(5000)])
            db.commit()

    def rows(self, path):
        with closing(sqlite3.connect(path)) as db:
            return db.execute("SELECT count(*), sum(n = twin) FROM t").fetchone()

    def test_a_copy_made_while_others_write_is_whole(self):
        stop = threading.Event()

        def write():
            with closing(sqlite3.connect(self.database, timeout=20)) as db:
                n = 5000
                while not stop.is_set():
                    with db:
                        db.execute("INSERT INTO t VALUES (?, NULL)", [n])
                        db.execute("UPDATE t SET twin = n WHERE n = ?", [n])
                    n += 1

        writer = threading.Thread(target=write)
        writer.start()
        try:
            for n in range(5):
                back_up(self.database, self.folder / f"copy{n}")
        finally:
            stop.set()
            writer.join()
        for n in range(5):
            count, twins = self.rows(self.folder / f"copy{n}")
            # Never half a transaction.
            self.assertEqual(count, twins)
            self.assertGreaterEqual(count, 5000)
        self.assertEqual((self.folder / "copy0").stat().st_mode & 0o777, 0o600)

    def test_what_is_there_or_is_no_copy_is_refused(self):
        target = self.folder / "copy"
        back_up(self.database, target)
        with self.assertRaisesRegex(BackupError, "there already"):
            back_up(self.database, target)
        (self.folder / "text").write_text("no database" * 500)
        with self.assertRaisesRegex(BackupError, "nothing was changed"):
            restore(self.folder / "text", self.database, NOW)
        self.assertEqual(self.rows(self.database), (5000, 5000))

    def test_a_copy_put_back_leaves_the_former_one_beside_it(self):
        target = self.folder / "copy"
        back_up(self.database, target)
        with closing(sqlite3.connect(self.database)) as db, db:
            db.execute("DELETE FROM t")
        kept = restore(target, self.database, NOW)
        self.assertEqual(self.rows(self.database), (5000, 5000))
        self.assertEqual(self.rows(kept)[0], 0)

    def test_the_doctor_finds_what_is_broken(self):
        self.assertEqual(examine(self.folder, self.database).wrong, [])
        with closing(sqlite3.connect(self.database)) as db:
            db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        data = bytearray(self.database.read_bytes())
        data[4096 * 2 : 4096 * 5] = b"\xff" * 4096 * 3
        self.database.write_bytes(data)
        self.assertIsNotNone(check(self.database))
        self.assertTrue(examine(self.folder, self.database).wrong)
        status, _, said = nomikon("doctor", "--data-dir", self.folder)
        self.assertEqual(status, 1)
        self.assertRegex(said, "integrity|malformed")

    def test_a_copy_a_day_and_no_more_than_are_wanted(self):
        for day in range(5):
            self.assertIsNotNone(keep_daily(self.folder, self.database, NOW + timedelta(day), 3))
        self.assertIsNone(keep_daily(self.folder, self.database, NOW + timedelta(4), 3))
        names = sorted(p.name for p in (self.folder / "copies").iterdir())
        self.assertEqual(names, [f"2026-{d}.sqlite3" for d in ("11-30", "12-01", "12-02")])


class TogetherTest(unittest.TestCase):
    """serve killed without a word takes its children along; a second one is told of the first."""

    def test_killed_it_leaves_nothing_and_starts_again(self):
        with tempfile.TemporaryDirectory() as folder:
            env = {k: v for k, v in os.environ.items() if not k.startswith("NOMIKON_")}
            port = free_port()
            serve = [sys.executable, "-m", "nomikon", "serve", "--port", str(port),
                     "--data-dir", folder]  # fmt: skip
            first = subprocess.Popen(serve, env=env, stdout=subprocess.DEVNULL)
            try:
                wait_until(lambda: listening(port), 90, "serve")
                second = subprocess.run(
                    [*serve[:5], str(free_port()), *serve[6:]],
                    env=env,
                    capture_output=True,
                    text=True,
                )
                self.assertEqual(second.returncode, 2)
                self.assertIn(f"served already at http://127.0.0.1:{port}/", second.stderr)
                self.assertEqual(Path(folder).stat().st_mode & 0o777, 0o700)
                self.assertEqual((Path(folder) / "nomikon.sqlite3").stat().st_mode & 0o777, 0o600)
            finally:
                first.send_signal(signal.SIGKILL)
                first.wait()
            wait_until(lambda: not listening(port), 10, "the web process to end")
            third = subprocess.Popen(serve, env=env, stdout=subprocess.DEVNULL)
            try:
                wait_until(lambda: listening(port), 90, "serve again")
            finally:
                third.terminate()
                third.wait(20)

    def test_other_machines_only_on_purpose(self):
        status, _, said = nomikon("serve", "--host", "0.0.0.0", "--port", free_port())
        self.assertEqual(status, 2)
        self.assertIn("--open-to-anyone", said)

    def test_the_wheel_holds_page_demo_shelf_and_simulated_models(self):
        with tempfile.TemporaryDirectory() as folder:
            pip = [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "--no-build-isolation"]
            # A copy of what goes in: what a build leaves beside the sources is nobody's here.
            source = Path(folder) / "source"
            for name in ("src", "demo", "web/dist"):
                shutil.copytree(
                    ROOT / name, source / name, ignore=shutil.ignore_patterns("*.egg-info")
                )
            for name in ("pyproject.toml", "setup.py", "README.md", "LICENSE"):
                shutil.copy(ROOT / name, source / name)
            subprocess.run([*pip, "-w", folder, str(source)], check=True, capture_output=True)
            (wheel,) = Path(folder).glob("*.whl")
            names = zipfile.ZipFile(wheel).namelist()
        for wanted in ("nomikon/page/index.html", "nomikon/demo_files/demo.yaml", "nomikon/shelf/shelf.yaml",
                       "nomikon_standin/server.py", "nomikon/core/files/schemas/"):  # fmt: skip
            self.assertTrue(any(n.startswith(wanted) for n in names), wanted)
        self.assertTrue(
            any(n.startswith("nomikon/page/assets/") and n.endswith(".js") for n in names)
        )
        self.assertFalse([n for n in names if n.startswith(("tests/", "web/")) or ".pyc" in n])

    def test_the_version_is_told(self):
        status, told, _ = nomikon("--version")
        self.assertEqual(status, 0)
        self.assertTrue(re.search(r"\d+\.\d+\.\d+", told), told)


if __name__ == "__main__":
    unittest.main()
