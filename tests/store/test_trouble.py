"""Trouble with disks, rights, clocks and databases: said in clear words, and nothing that was told is lost."""

from __future__ import annotations

import shutil
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from contextlib import closing
from pathlib import Path
from unittest import mock

from ledgecliff.core.changing import set_value
from ledgecliff.core.first_article.lines import lines_of
from ledgecliff.core.first_article.measured import article, of_values
from ledgecliff.core.model.part import Tolerance
from ledgecliff.core.record.made import Draft
from ledgecliff.store.atomic import WriteError
from ledgecliff.store.library import keep_shop, library
from ledgecliff.store.outputs import write_sheet
from ledgecliff.store.record_keeper import RecordKeeper
from ledgecliff.store.recording import record, signed
from ledgecliff.store.release_files import write_release
from ledgecliff.store.release_folder import read_release
from ledgecliff.store.release_wish import Wish
from ledgecliff.store.shop import shipped_shop
from ledgecliff.store.shop_database import ShopDatabaseError
from tests.helpers import demo, demo_plan

#: Adds notes to a record on a disk on which no file may grow beyond so many bytes, and says which were kept.
_ON_A_FULL_DISK = """
import resource, sys
from pathlib import Path
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.record.made import Draft
from ledgecliff.store.record_keeper import RecordKeeper
from ledgecliff.store.recording import signed
keeper = RecordKeeper(Path(sys.argv[1]), Path(sys.argv[2]))
keeper.add(signed([Draft("note", "first", ())]))
resource.setrlimit(resource.RLIMIT_FSIZE, (int(sys.argv[3]), resource.RLIM_INFINITY))
for k in range(400):
    try:
        kept = keeper.add(signed([Draft("note", f"{k} " + "x" * 2000, ())]))
    except LedgecliffError as error:
        print("refused", error)
        break
    print("kept", k, kept.waiting)
"""


class TroubleTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)
        self.place, self.waiting = self.folder / "shop.db", self.folder / "waiting.db"
        homes = {f"XDG_{kind}_HOME": str(self.folder / kind) for kind in ("CONFIG", "DATA")}
        patch = mock.patch.dict("os.environ", homes)
        patch.start()
        self.addCleanup(patch.stop)

    def keeper(self):
        keeper = RecordKeeper(self.place, self.waiting)
        self.addCleanup(keeper.close)
        return keeper

    def test_a_disk_that_runs_full(self):
        """What was told as kept is there once there is room again, each once; the rest is refused with the reason."""
        command = [sys.executable, "-c", _ON_A_FULL_DISK, str(self.place), str(self.waiting), "400000"]
        done = subprocess.run(command, capture_output=True, text=True, cwd=Path.cwd(), check=False)
        kept = [line.split() for line in done.stdout.splitlines() if line.startswith("kept")]
        refused = [line for line in done.stdout.splitlines() if line.startswith("refused")]
        self.assertEqual(len(refused), 1, done.stdout[-500:] + done.stderr[-500:])
        self.assertIn("Look at the disk", refused[0])
        self.assertGreater(len(kept), 20)
        keeper = self.keeper()
        self.assertEqual(keeper.send().words, "")
        words = [entry.what.split()[0] for entry in keeper.opened().every()]
        self.assertEqual(sorted(words), sorted(["first", *(each[1] for each in kept)]))

    def test_a_database_that_somebody_else_holds(self):
        """Entries wait here, and go as soon as it is free; the library says that it was not written."""
        keep_shop(shipped_shop(), set_value(shipped_shop(), ("material",), "brass"), self.place)
        self.keeper().add(signed([Draft("note", "before", ())]))
        short = mock.patch("ledgecliff.store.shop_database.PATIENCE_S", 0.2)
        with short, closing(sqlite3.connect(self.place, isolation_level=None)) as other:
            other.execute("BEGIN IMMEDIATE")
            kept = self.keeper().add(signed([Draft("note", "meanwhile", ())]))
            self.assertEqual(kept.waiting, 1)
            self.assertIn("locked", kept.words)
            with self.assertRaisesRegex(ShopDatabaseError, "cannot be written: .*locked.*Nothing in it was changed"):
                keep_shop(library(self.place), set_value(library(self.place), ("material",), "steel"), self.place)
            other.execute("ROLLBACK")
        self.assertEqual(self.keeper().send().waiting, 0)
        self.assertEqual([each.what for each in self.keeper().opened().every()], ["before", "meanwhile"])
        self.assertEqual(library(self.place).material, "brass")

    def test_a_folder_that_nothing_can_be_written_into(self):
        """A file stands where the folder should be, which not even root writes into."""
        (self.folder / "no").write_text("")
        plan = demo_plan()
        for write in (
            lambda: write_sheet(plan, self.folder / "no" / "sheet.html"),
            lambda: write_release(plan, None, self.folder / "no" / "out", Wish("Ada"), self.place),
        ):
            with self.assertRaisesRegex(WriteError, "no"):
                write()
        kept = record([Draft("note", "x", ())], self.folder / "no" / "shop.db")
        self.assertEqual((kept.waiting, "cannot be opened" in kept.words), (1, True))

    def test_a_release_that_ends_half_way_is_none(self):
        """What says that all of it is there comes last, so that half of it is never taken for a release."""
        plan, out = demo_plan(), self.folder / "out"
        full = mock.patch("ledgecliff.store.release_files.write_sheet", side_effect=WriteError("the disk is full"))
        with full, self.assertRaisesRegex(WriteError, "the disk is full"):
            write_release(plan, None, out, Wish("Ada"), self.place)
        self.assertTrue(any(out.iterdir()))
        with self.assertRaisesRegex(Exception, "cannot be read"):
            read_release(out)
        self.assertEqual(list(self.keeper().opened().every()), [], "nor is it in the record")

    def test_a_clock_that_was_set_back(self):
        """Nothing is lost or refused, and a correction stands in the place of what it corrects."""
        job = set_value(demo(), ("part", "features", 0, "tolerance"), Tolerance(size=0.02))
        times = iter(("2026-03-02T10:00:00.000001+01:00", "2026-03-02T09:00:00.000001+01:00"))
        with mock.patch("ledgecliff.store.recording.this_moment", side_effect=lambda: next(times)):
            for value in (22.5, 22.0):
                record(of_values(job, "1", [(lines_of(job)[0], value)], "Ada", ""), self.place)
        entries = tuple(self.keeper().opened().every())
        self.assertEqual(len(entries), 2)
        wrong = max(entries, key=lambda each: each.at)
        mended = wrong.model_copy(
            update={
                "id": "f" * 12,
                "at": "2026-03-02T08:00:00+01:00",
                "corrects": wrong.id,
                "numbers": {"diameter": 22.01},
            }
        )
        self.keeper().opened().add([mended])
        first = article(job, tuple(self.keeper().opened().every()))[0]
        self.assertEqual((first.value, first.verdict), (22.01, "pass"))


if __name__ == "__main__":
    unittest.main()
