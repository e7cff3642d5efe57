"""Databases of every former state open, or are refused in words; a copy asks nothing by itself."""

import contextlib
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from django.db import OperationalError
from django.test import SimpleTestCase, TransactionTestCase, tag

from nomikon.core.prompts import check_messages
from nomikon.core.prompts.leaving_out import leave_out
from nomikon.core.rules import SCORE_RULE
from nomikon.server.refusals import BUSY, OUTDATED, refusal_of
from nomikon.server.stored.bring_up import _newest_shape
from nomikon.server.stored.place import Marker, Place, keep_place, kept_place, place_of, same_place
from nomikon.server.stored.shape import digest
from nomikon.server.stored.states import FORMER, STATES

ROOT = Path(__file__).resolve().parents[2]
KEPT = sorted((ROOT / "tests/kept").glob("*.sql"))
DATABASE = "nomikon.sqlite3"

# In a process of its own: it opens each folder as `serve` does and reads one page of each kind.
READ = """
import functools, gc, io, json, sys
from contextlib import redirect_stderr
from pathlib import Path
from nomikon.server.process.launch import set_up_django
set_up_django(Path(sys.argv[1]))
from django.conf import settings
from django.db import connections
from django.test import Client
from nomikon.server.apps.briefs.models import Brief, Version
from nomikon.server.apps.trials.models import Arm, Call, Output, ScoreRow, Trial
from nomikon.server.apps.weights.models import Weighing
from nomikon.server.apps.ledger.models import Line, SpentDay

def turn_to(folder):
    # As if the process had been started on this folder.
    for made in gc.get_objects():
        if type(made) is functools._lru_cache_wrapper:
            made.cache_clear()
    connections["default"].close()
    name = str(folder / "nomikon.sqlite3")
    settings.DATA_DIR = folder
    settings.DATABASES["default"]["NAME"] = connections["default"].settings_dict["NAME"] = name

def read(folder):
    turn_to(folder)
    said = io.StringIO()
    with redirect_stderr(said):
        set_up_django(folder)
    client = Client(headers={"host": "localhost"})
    brief = Brief.objects.get()
    trial = Trial.objects.filter(split="working", purpose="compare").order_by("id").last()
    first = trial.arms.order_by("position").first()
    output = Output.objects.first()
    pages = [
        "desk/", "session/", f"briefs/{brief.pk}/", f"briefs/{brief.pk}/trials/",
        f"trials/{trial.pk}/", f"trials/{trial.pk}/cells/", f"outputs/{output.pk}/",
        f"briefs/{brief.pk}/verdicts/", f"briefs/{brief.pk}/standing/",
        f"briefs/{brief.pk}/versions/4/", f"briefs/{brief.pk}/reading/",
        f"trials/{trial.pk}/faults/{first.version.number}/", "connections/", "ledger/", "spend/",
        "shelf/", f"trials/{trial.pk}/precedents/", f"briefs/{brief.pk}/weighings/?version=4",
        f"briefs/{brief.pk}/rounds/", f"datasets/{brief.datasets.first().pk}/cases/",
    ]
    rows = ScoreRow.objects.filter(output__arm__trial=trial)
    return {
        "said": said.getvalue(),
        "pages": {p: client.get("/api/" + p).status_code for p in pages},
        "arms": [[a.version.messages, a.without, a.messages]
                 for a in Arm.objects.select_related("version")],
        "counts": {m.__name__: m._base_manager.count() for m in (Version, Arm, Output, Call)},
        "states": sorted(set(Trial.objects.values_list("state", "asked", "message"))),
        "single": sum(Line.objects.exclude(what="trial.ended").exclude(cost_nano=None)
                      .values_list("cost_nano", flat=True)),
        "spent": [sum(Trial.objects.values_list("spent_nano", flat=True)),
                  sum(o.cost_new or 0 for o in Output.every.all()),
                  sum(SpentDay.objects.values_list("nano", flat=True))],
        "rules": sorted(set(rows.values_list("rule", flat=True))),
        "weighings": [[w.lines, w.version.messages] for w in Weighing.objects.all()],
        "answered_at": Call.objects.filter(answered_at__isnull=True).count(),
        "verdict": client.get(f"/api/briefs/{brief.pk}/verdicts/").json(),
        "lines": list(Line.objects.filter(actor="start").values_list("what", flat=True)),
    }

told = {}
for word in sys.argv[2:]:
    folder = Path(word)
    first = read(folder)
    # A second start finds nothing to do.
    said = io.StringIO()
    with redirect_stderr(said):
        turn_to(folder)
        set_up_django(folder)
    told[folder.name] = {**first, "again": said.getvalue()}
print(json.dumps(told))
"""
# What its migration table claims is not asked.
CLAIMS = """
DELETE FROM django_migrations WHERE app IN ('trials', 'briefs');
INSERT INTO django_migrations (app, name, applied)
VALUES ('trials', '0009_of_another_day', '2026-11-01');
"""
COUNTED = ("briefs_version", "trials_arm", "trials_output", "trials_call")


def kept_database(sql, folder):
    """A kept database as a file, as the program of its day left it: in WAL mode."""
    folder.mkdir(exist_ok=True)
    path = folder / DATABASE
    with contextlib.closing(sqlite3.connect(path)) as made:
        made.executescript(sql.read_text(encoding="utf-8"))
        made.execute("PRAGMA journal_mode=WAL")
    return path


def run(script, *words):
    environment = {k: v for k, v in os.environ.items() if not k.startswith("NOMIKON_")}
    return subprocess.run(
        [sys.executable, "-c", script, *map(str, words)],
        capture_output=True, text=True, cwd=ROOT, env=environment, timeout=400, check=False,
    )  # fmt: skip


class InFolder(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class FormerStates:
    """One test for each kept database, made below; all of a class are opened by one process."""

    kept: tuple[Path, ...] = ()

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        cls.rows = {}
        for sql in cls.kept:
            path = kept_database(sql, cls.folder / sql.stem)
            with contextlib.closing(sqlite3.connect(path)) as made:
                made.executescript(CLAIMS)
                cls.rows[sql.stem] = counted(made)
        done = run(READ, cls.folder / "new", *(cls.folder / sql.stem for sql in cls.kept))
        if done.returncode:
            raise AssertionError(done.stderr[-3000:])
        cls.told = json.loads(done.stdout)

    def opened(self, name):
        told = self.told[name]
        self.assertEqual({p: s for p, s in told["pages"].items() if s != 200}, {})
        self.assertEqual(list(told["counts"].values()), self.rows[name])
        for messages, without, sent in told["arms"]:
            wanted = leave_out(check_messages(messages), without)
            self.assertEqual(check_messages(sent), wanted)
        trials, outputs, days = told["spent"]
        self.assertEqual((trials, days), (outputs, outputs + told["single"]))
        self.assertEqual(told["rules"], [SCORE_RULE])
        self.assertEqual(told["answered_at"], 0)
        for lines, messages in told["weighings"]:
            self.assertIn(lines[0]["text"], messages[0]["content"])
        # What an arm was adopted by stays as it was told then.
        self.assertIsInstance(told["verdict"][0]["evidence"]["arm"]["mean"], float)
        # The former file is kept whole, and it is said where; a second start changes nothing.
        (kept,) = (self.folder / name).glob("nomikon-before-*.sqlite3")
        self.assertIn(str(kept), told["said"])
        self.assertIn("database.brought_up", told["lines"])
        with contextlib.closing(sqlite3.connect(kept)) as copy:
            self.assertEqual(counted(copy), self.rows[name])
        self.assertEqual(told["again"], "")
        held = [m for _, _, m in told["states"] if "nothing is asked by itself" in m]
        # One was killed with a wish to stop on its way; what has all its answers is not held.
        self.assertEqual(bool(held), name == "2026-11-23-a")


def counted(database):
    return [database.execute(f"SELECT COUNT(*) FROM {t}").fetchone()[0] for t in COUNTED]


def _test_of(name):
    return lambda self: self.opened(name)


def _some(kept):
    tests = {f"test_{sql.stem.replace('-', '_')}": _test_of(sql.stem) for sql in kept}
    return {**tests, "kept": tuple(kept)}


# The first, the newest and some between are opened in every run, all others in the long one.
OFTEN = [sql for sql in KEPT if sql in (*KEPT[::4], *KEPT[-3:])]
SELDOM = [sql for sql in KEPT if sql not in OFTEN]
StatesOpenTest = type("StatesOpenTest", (FormerStates, unittest.TestCase), _some(OFTEN))
OtherStatesTest = tag("long")(
    type("OtherStatesTest", (FormerStates, unittest.TestCase), _some(SELDOM))
)


class StatesTest(SimpleTestCase):
    def test_every_state_has_a_kept_database(self):
        self.assertEqual({p.stem for p in KEPT}, {*FORMER.values(), *(s.name for s in STATES[:-1])})

    def test_the_newest_state_is_written_down(self):
        # After a new migration: add its shape to STATES, and keep a database of the state before.
        self.assertEqual(digest(_newest_shape()), STATES[-1].shape)


OPEN = (
    "import sys; from pathlib import Path; from nomikon.server.process.launch import set_up_django; "
    "set_up_django(Path(sys.argv[1]))"
)


class RefusedTest(InFolder):
    """What cannot be used is refused in words, by the command itself, and left as it was."""

    def refused(self, *words):
        path = self.folder / DATABASE
        before = path.read_bytes()
        done = subprocess.run(
            [sys.executable, "-m", "nomikon", "worker", "--data-dir", str(self.folder)],
            capture_output=True, text=True, cwd=ROOT, timeout=200, check=False,
            env={k: v for k, v in os.environ.items() if not k.startswith("NOMIKON_")},
        )  # fmt: skip
        self.assertEqual((done.returncode, done.stdout), (2, ""), done.stderr)
        self.assertEqual(done.stderr.count("\n"), 1, done.stderr)
        for word in words:
            self.assertIn(word, done.stderr)
        self.assertEqual(path.read_bytes(), before)
        self.assertEqual(list(self.folder.glob("*-before-*")), [])

    def changed(self, sql):
        self.assertEqual(run(OPEN, self.folder).returncode, 0)
        with contextlib.closing(sqlite3.connect(self.folder / DATABASE)) as made:
            made.execute("PRAGMA journal_mode=DELETE")
            made.executescript(sql)

    def test_a_later_version(self):
        self.changed("ALTER TABLE trials_arm ADD COLUMN mood text")
        self.refused("made by a later version of Nomikon", "trials_arm.mood", "Start that version")

    def test_a_state_there_never_was(self):
        self.changed("DROP TABLE reviews_ruling")
        self.refused("of no state that Nomikon ever had", "reviews_ruling")

    def test_another_program(self):
        with contextlib.closing(sqlite3.connect(self.folder / DATABASE)) as made:
            made.execute("CREATE TABLE recipes (id INTEGER)")
        self.refused("the database of another program", "recipes")

    def test_no_database_at_all(self):
        (self.folder / DATABASE).write_bytes(b"Dear diary, today it rained. " * 200)
        self.refused("is no database that can be read")

    def test_a_former_version_that_still_runs(self):
        kept_database(KEPT[-1], self.folder)
        holder = subprocess.Popen(
            [sys.executable, "-c",
             "import fcntl, sys, time; f = open(sys.argv[1], 'w'); fcntl.flock(f, fcntl.LOCK_EX); "
             "print('held', flush=True); time.sleep(60)", str(self.folder / "worker.lock")],
            stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        self.addCleanup(holder.stdout.close)
        self.addCleanup(holder.wait)
        self.addCleanup(holder.kill)
        holder.stdout.readline()
        self.refused("another Nomikon, of a former version, runs on")


class PlaceTest(InFolder):
    def database(self, events=3):
        path = self.folder / DATABASE
        with contextlib.closing(sqlite3.connect(path)) as made:
            made.execute(
                "CREATE TABLE IF NOT EXISTS ledger_event (id INTEGER PRIMARY KEY AUTOINCREMENT)"
            )
            made.executemany("INSERT INTO ledger_event DEFAULT VALUES", [()] * events)
            made.commit()
        return path

    def test_where_it_was_moved_copied_and_put_back(self):
        path = self.database()
        self.assertFalse(same_place(kept_place(self.folder), place_of(path)))
        keep_place(self.folder, place_of(path))
        self.assertTrue(same_place(kept_place(self.folder), place_of(path)))
        # Renaming its folder is no copy.
        moved = self.folder / "elsewhere.sqlite3"
        shutil.copyfile(path, self.folder / "backup")
        path.rename(moved)
        self.assertTrue(same_place(kept_place(self.folder), place_of(moved)))
        moved.rename(path)
        self.database(events=5)
        keep_place(self.folder, place_of(path))
        # Put back into the same file: it has come less far than it once had.
        path.write_bytes((self.folder / "backup").read_bytes())
        self.assertFalse(same_place(kept_place(self.folder), place_of(path)))
        # A copy of the whole folder has the mark, and is another file.
        keep_place(self.folder, place_of(path))
        other = self.folder / "copy"
        shutil.copytree(self.folder, other, ignore=shutil.ignore_patterns("copy"))
        self.assertFalse(same_place(kept_place(other), place_of(other / DATABASE)))

    def test_a_mark_lags_so_that_a_power_cut_is_no_copy(self):
        path = self.database(events=2)
        marker = Marker(self.folder, path)
        marker.note(0.0)
        self.database(events=4)
        marker.note(59.9)
        self.assertIsNone(kept_place(self.folder))
        marker.note(60.0)
        self.assertEqual(kept_place(self.folder), Place(path.stat().st_ino, 2))
        marker.note(120.0)
        self.assertEqual(kept_place(self.folder), Place(path.stat().st_ino, 6))

    def test_a_mark_that_cannot_be_read_is_none(self):
        (self.folder / "place").write_text("{half", encoding="ascii")
        self.assertIsNone(kept_place(self.folder))


class CopyTest(TransactionTestCase):
    def test_everything_that_would_ask_by_itself_is_held_and_can_go_on(self):
        from nomikon.core.trials import PAUSED
        from nomikon.server.apps.trials.actions.continue_trial import ContinueTrial
        from nomikon.server.apps.trials.models import Trial
        from nomikon.server.stored.hold import WHY, HoldAll
        from tests.server.base import make_brief, start, who
        from tests.server.base import run as run_trial

        brief = make_brief()
        trial = start(brief)
        self.assertEqual(HoldAll(**who()).execute(), ["trial 1 of Tides"])
        trial = Trial.objects.get(pk=trial.pk)
        self.assertEqual((trial.state, trial.message), (PAUSED, WHY))
        self.assertEqual(HoldAll(**who()).execute(), [])
        ContinueTrial(trial.pk, **who()).execute()
        self.assertEqual(run_trial(trial), "complete")
        # One that has all its answers asks nothing more: it is left to be completed.
        Trial.objects.update(state="running", finished_at=None)
        self.assertEqual(HoldAll(**who()).execute(), [])
        self.assertEqual(run_trial(trial), "complete")


class RefusalTest(SimpleTestCase):
    def test_busy_only_when_it_is_busy(self):
        for words, code, passes in (
            ("database is locked", "database_busy", True),
            ("database table is locked: trials_arm", "database_busy", True),
            ("database or disk is full", "disk_full", True),
            ("attempt to write a readonly database", "database_read_only", True),
            ("unable to open database file", "database_unreachable", True),
            ("disk I/O error", "database_unreachable", True),
            ("no such table: trials_arm", "database_outdated", False),
            ("no such column: trials_arm.without", "database_outdated", False),
            ("table trials_arm has no column named mood", "database_outdated", False),
            ("database disk image is malformed", "database_damaged", False),
            ('near "FROM": syntax error', "database_failed", False),
        ):
            with self.subTest(words=words):
                found = refusal_of(OperationalError(words))
                self.assertEqual((found.code, found.passes), (code, passes))

    def test_by_sqlites_own_name_where_it_is_told(self):
        def told(act):
            with self.assertRaises(sqlite3.Error) as caught:
                act()
            error = OperationalError("in other words")
            error.__cause__ = caught.exception
            return refusal_of(error)

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x"
            with (
                contextlib.closing(sqlite3.connect(path, isolation_level=None)) as one,
                contextlib.closing(sqlite3.connect(path, timeout=0)) as two,
            ):
                one.execute("BEGIN IMMEDIATE")
                self.assertIs(told(lambda: two.execute("CREATE TABLE t (a)")), BUSY)
        memory = sqlite3.connect(":memory:")
        self.addCleanup(memory.close)
        # A plain error has no name of its own; its words tell.
        with self.assertRaises(sqlite3.OperationalError) as caught:
            memory.execute("SELECT * FROM nowhere")
        self.assertIs(refusal_of(OperationalError(str(caught.exception))), OUTDATED)
