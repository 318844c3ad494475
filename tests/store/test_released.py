"""What earlier versions wrote opens as it did then: jobs, shop libraries and registers of each released version."""

from __future__ import annotations

import json
import shutil
import sqlite3
import tempfile
import unittest
from pathlib import Path

from ledgecliff.core.model.job import Job
from ledgecliff.core.register.allocation import allocate, use_of
from ledgecliff.core.register.entries import labelled
from ledgecliff.store import shop as shop_store
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import job_text, parse_job, read_job
from ledgecliff.store.migrations import migrated_shop
from ledgecliff.store.record_db import RecordDb, Wanted
from ledgecliff.store.register_db import RegisterDb
from ledgecliff.store.shop_database import ShopDatabaseError
from tests.older import without_ids

RELEASED = sorted((Path(__file__).parents[1] / "released").iterdir())
JOBS = [path for version in RELEASED for path in sorted(version.glob("*.json")) if path.name != "shop.json"]
REGISTERS = [version / "register.db" for version in RELEASED if (version / "register.db").exists()]


class ReleasedJobsTest(unittest.TestCase):
    def test_there_is_one_of_each(self):
        self.assertEqual([version.name for version in RELEASED], [f"0.{k}.0" for k in range(1, 9)])

    def test_each_opens_and_is_the_same_once_saved(self):
        for path in JOBS:
            with self.subTest(path=path.parent.name + "/" + path.name):
                job = read_job(path)
                self.assertEqual(parse_job(job_text(job), path.name), job)

    def test_ids_are_the_same_each_time_and_no_two_jobs_share_one(self):
        ids = {}
        for path in JOBS:
            job = read_job(path)
            self.assertEqual(read_job(path).id, job.id)
            self.assertEqual(len({setup.id for setup in job.setups}), len(job.setups))
            ids.setdefault(job.id, set()).add(json.dumps(without_ids(job), sort_keys=True))
        self.assertTrue(all(len(texts) == 1 for texts in ids.values()), "jobs that differ have ids that do")

    def test_their_machine_is_the_shops_machine(self):
        """Registers are kept by machine: jobs of all versions must come to the same one."""
        self.assertEqual({read_job(path).machine.id for path in JOBS}, {shop_store.shipped_shop().machine.id})

    def test_jobs_of_the_last_version_are_the_demos_of_today(self):
        last = RELEASED[-1]
        for name in ("lamp_lid", "dial_ring_on_pins"):
            then, now = read_job(last / f"{name}.json"), read_job(demo_job(name.replace("_", "-")))
            self.assertEqual(without_ids(then), without_ids(now))


class ReleasedShopTest(unittest.TestCase):
    def test_each_opens(self):
        for path in sorted(version / "shop.json" for version in RELEASED if (version / "shop.json").exists()):
            with self.subTest(version=path.parent.name):
                shop = shop_store.Shop.model_validate(migrated_shop(json.loads(path.read_text())))
                self.assertEqual(shop.machine.id, shop_store.shipped_shop().machine.id)

    def test_a_newer_one_is_refused_in_words(self):
        data = json.loads(shop_store.shop_text(shop_store.shipped_shop())) | {"version": 99}
        path = shop_store.shop_file()
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(json.dumps(data))
        self.addCleanup(path.unlink)
        with self.assertRaisesRegex(shop_store.ShopFileError, "is of version 99; this program reads up to 4"):
            shop_store.read_shop()


class ReleasedRegisterTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)

    def opened(self, path: Path) -> tuple[RegisterDb, Job]:
        copy = self.folder / f"{path.parent.name}.db"
        shutil.copy(path, copy)
        register = RegisterDb(copy)
        self.addCleanup(register.close)
        return register, read_job(path.with_name("float_housing.json"))

    def test_values_users_labels_and_history_are_all_there(self):
        for path in REGISTERS:
            with self.subTest(version=path.parent.name):
                register, job = self.opened(path)
                g54, g55, _, g57 = register.entries(job.machine)[:4]
                self.assertEqual((g54.value.x, g54.value.y, g54.value.z), (-412.125, -208.5, -391.25))
                self.assertEqual((g55.value.turn_deg, g55.label, g57.resident), (0.25, "second side", "tide plate"))
                self.assertEqual((g54.use.job, g54.use.setup), ("Float housing", "Op 10"))
                self.assertEqual([each.what for each in register.history(job.machine, "G54")],
                                 ["value (typed)", "claimed"])  # fmt: skip
                self.assertEqual(register.machines(), (job.machine.name,))

    def test_codes_stay_with_the_setups_that_had_them(self):
        for path in REGISTERS:
            register, job = self.opened(path)
            with self.subTest(version=path.parent.name):
                given = allocate(job, register.entries(job.machine))
                self.assertEqual([(each.code, each.why) for each in given],
                                 [("G54", "has it already"), ("G55", "has it already")])  # fmt: skip

    def test_a_value_kept_with_its_meaning_still_counts(self):
        """From 0.7.0 on it was kept what a number means; before, values count as unproven, as they did in 0.7.0."""
        for path in REGISTERS:
            register, job = self.opened(path)
            with self.subTest(version=path.parent.name):
                g54 = register.entries(job.machine)[0]
                self.assertEqual(g54.was_found_for(use_of(job, job.setups[0])), path.parent.name >= "0.7.0")

    def test_its_history_is_where_the_record_begins(self):
        for path in REGISTERS:
            register, job = self.opened(path)
            with self.subTest(version=path.parent.name):
                record = RecordDb(self.folder / f"{path.parent.name}.db")
                self.addCleanup(record.close)
                told = list(record.every())
                self.assertEqual(len(told), register.last_change())
                held = [each.numbers["x"] for each in told if each.data["code"] == "G54" and each.numbers]
                history = reversed(register.history(job.machine, "G54"))
                self.assertEqual(held, [each.value.x for each in history if each.value is not None])
                register.write(job.machine, [labelled(register.entries(job.machine)[2], "after it")])
                self.assertEqual(record.count(Wanted()), len(told) + 1)

    def test_it_is_written_on_in_the_new_version(self):
        register, job = self.opened(REGISTERS[0])
        entry = register.entries(job.machine)[2]
        register.write(job.machine, [labelled(entry, "third")])
        again = RegisterDb(self.folder / f"{REGISTERS[0].parent.name}.db")
        self.addCleanup(again.close)
        self.assertEqual(again.entries(job.machine)[2].label, "third")
        self.assertEqual(again.entries(job.machine)[0].value.x, -412.125)

    def test_one_of_a_newer_version_is_refused_and_left_alone(self):
        register, job = self.opened(REGISTERS[-1])
        path = self.folder / f"{REGISTERS[-1].parent.name}.db"
        register.close()
        with sqlite3.connect(path) as connection:
            connection.execute("UPDATE schema SET version = 5")
        connection.close()
        with self.assertRaisesRegex(ShopDatabaseError, "is of version 5; this program reads up to 4"):
            RegisterDb(path)
        with sqlite3.connect(path) as connection:
            self.assertEqual(connection.execute("SELECT count(*) FROM changes").fetchone(), (5,))
        connection.close()
        self.assertEqual(job.title, "Float housing")


if __name__ == "__main__":
    unittest.main()
