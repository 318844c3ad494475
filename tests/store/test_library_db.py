"""The library in a file and on a server: kept thing by thing, nobody's change lost, models along with it."""

from __future__ import annotations

import hashlib
import os
import shutil
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

from sqlalchemy import create_engine, inspect

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.shop import SHELVES, keep_fixture, remove
from ledgecliff.core.library.things import things_of
from ledgecliff.core.model.own_fixture import OwnFixture
from ledgecliff.store.demo import demo_job
from ledgecliff.store.library import current_shop, keep_shop, library
from ledgecliff.store.library_db import LibraryDb, ThingChangedError
from ledgecliff.store.shop import fixtures_folder, for_shop, read_shop, shipped_shop
from ledgecliff.store.shop_backup import back_up, restore
from ledgecliff.store.shop_database import ShopDatabase, ShopDatabaseError
from ledgecliff.store.shop_schema import CHANGES, ENTRIES, MACHINES, SCHEMA, SUBJECTS
from tests.helpers import shipped_plan
from tests.store.servers import server

JAW = ("machine", "fixtures", 0, "jaw_height")
OTHER = ("machine", "fixtures", 1, "jaw_height")


class _LibraryTests:
    """What holds of either database."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.sit_at("here")

    def sit_at(self, workstation):
        """At another workstation of the same shop."""
        places = {f"XDG_{kind}_HOME": str(self.folder / workstation / kind) for kind in ("CONFIG", "DATA")}
        patch = mock.patch.dict(os.environ, places)
        patch.start()
        self.addCleanup(patch.stop)

    def kept(self, path, value, before=None):
        shop = library(self.place) if before is None else before
        keep_shop(shop, set_value(shop, path, value), self.place)

    def test_what_one_keeps_the_other_has(self):
        self.assertEqual(library(self.place), shipped_shop())
        self.kept(JAW, 41.0)
        self.sit_at("there")
        self.assertEqual(read_shop(), shipped_shop())
        self.assertEqual(library(self.place), set_value(shipped_shop(), JAW, 41.0))
        self.assertEqual(read_shop(), library(self.place), "kept here too, for when the shop's database is away")

    def test_two_at_different_things_do_not_meet(self):
        self.kept(JAW, 41.0)
        mine = theirs = library(self.place)
        self.kept(OTHER, 42.0, theirs)
        self.kept(JAW, 43.0, mine)
        both = library(self.place)
        self.assertEqual([each.jaw_height for each in both.machine.fixtures[:2]], [43.0, 42.0])
        # One takes another thing out, so that all after it move up: nobody else's business.
        mine = library(self.place)
        shelf = next(each for each in SHELVES if each.title == "Parallels")
        keep_shop(mine, remove(mine, shelf, 0), self.place)
        self.kept(("parallels", len(mine.parallels) - 1, "thickness"), 9.5, mine)
        self.assertEqual(library(self.place).parallels[-1].thickness, 9.5)

    def test_two_at_one_thing_and_both_values_are_told(self):
        self.kept(JAW, 41.0)
        mine = library(self.place)
        self.kept(JAW, 42.0, mine)
        for path, value, words in ((JAW, 43.0, "jaw height: here 43, there 42"),):
            with self.assertRaisesRegex(ThingChangedError, f"was changed by .*{words}.*Theirs stands"):
                self.kept(path, value, mine)
        self.assertEqual(library(self.place).machine.fixtures[0].jaw_height, 42.0)
        with self.assertRaises(ThingChangedError):
            self.kept(("machine", "fixtures", 0, "jaw_width"), 99.0, mine)
        self.kept(JAW, 42.0, mine)  # the same is no quarrel
        self.kept(JAW, 43.0)
        db = LibraryDb(self.place)
        self.addCleanup(db.close)
        mine = [key for key in db.history() if key.kind == "fixture" and key.which == "left vise"]
        told = [each.body["thing"]["jaw_height"] for key in mine for each in db.history()[key] if key.where != "shelf"]
        self.assertEqual(told, [41.0, 42.0, 43.0], "everything that it was, once each")

    def test_of_a_refused_change_nothing_is_written(self):
        self.kept(JAW, 41.0)
        mine = library(self.place)
        self.kept(JAW, 42.0, mine)
        both = set_value(set_value(mine, OTHER, 55.0), JAW, 43.0)
        with self.assertRaises(ThingChangedError):
            keep_shop(mine, both, self.place)
        self.assertNotEqual(library(self.place).machine.fixtures[1].jaw_height, 55.0)

    def test_eight_at_once_lose_nothing(self):
        """Each adds its own number again and again: whoever was too late looks and does it once more."""
        self.kept(JAW, 100.0)
        refused = []

        def work(mine):
            for _ in range(4):
                while True:
                    db = LibraryDb(self.place)
                    things = db.things()
                    key = next(
                        k for k in things if k.kind == "fixture" and k.where != "shelf" and k.which == "left vise"
                    )
                    body = things[key]
                    more = body | {"thing": body["thing"] | {"jaw_height": body["thing"]["jaw_height"] + mine}}
                    try:
                        db.write(things, {key: more})
                        break
                    except ThingChangedError:
                        refused.append(1)
                    finally:
                        db.close()

        threads = [threading.Thread(target=work, args=(1.0 + k / 64,)) for k in range(8)]
        for each in threads:
            each.start()
        for each in threads:
            each.join()
        self.assertEqual(library(self.place).machine.fixtures[0].jaw_height, 132.0 + 4 * 28 / 64)
        self.assertTrue(refused, "they met")

    def test_a_fixtures_model_goes_along(self):
        plan = shipped_plan("gate-hinge")
        fixture = next(each for each in plan.job.machines[0].fixtures if isinstance(each, OwnFixture))
        station = next(each for each in plan.job.machines[0].stations if each.fixture == fixture.name)
        shop = library(self.place)
        keep_shop(shop, keep_fixture(shop, for_shop(fixture, demo_job("gate-hinge").parent), station), self.place)
        self.sit_at("there")
        self.assertFalse(fixtures_folder().exists())
        got = next(each for each in library(self.place).fixtures if each.name == fixture.name)
        for here, model in zip(got.models, fixture.models, strict=True):
            self.assertEqual(Path(here.path).parent, fixtures_folder())
            self.assertTrue(Path(here.path).is_file())
            self.assertEqual(here.sha256, model.sha256)

    def test_backed_up_and_put_back(self):
        self.kept(JAW, 41.0)
        self.kept(JAW, 42.0)
        one, path = ShopDatabase(self.place, "shop"), self.folder / "backup"
        self.addCleanup(one.close)
        LibraryDb(self.place).keep_files([b"\x00\xff", b"solid"])
        back_up(one, path)
        other = ShopDatabase(self.folder / "other.db", "shop")
        self.addCleanup(other.close)
        restore(other, path)
        self.assertEqual(things_of(library(self.folder / "other.db")), things_of(library(self.place)))
        for content in (b"\x00\xff", b"solid"):
            self.assertEqual(LibraryDb(self.folder / "other.db").file(hashlib.sha256(content).hexdigest()), content)


class FileTest(_LibraryTests, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.place = self.folder / "shop.db"

    def test_away_it_is_as_it_was_last_seen_and_that_is_said(self):
        self.kept(JAW, 41.0)
        shutil.rmtree(self.folder / "no", ignore_errors=True)
        self.place.write_bytes(b"no database at all, but something long enough to be looked at as one ...")
        for each in self.folder.glob("shop.db-*"):
            each.unlink()
        told = []
        self.assertEqual(current_shop(self.place, told.append).machine.fixtures[0].jaw_height, 41.0)
        self.assertIn("as this workstation last saw it", told[0])
        with self.assertRaises(ShopDatabaseError):
            self.kept(JAW, 42.0, read_shop())
        self.assertEqual(read_shop().machine.fixtures[0].jaw_height, 41.0, "nothing is kept here alone")

    def test_tables_of_before_the_library_are_taken_over(self):
        engine = create_engine(f"sqlite:///{self.place}")
        with engine.begin() as connection:
            for table in (SCHEMA, MACHINES, CHANGES, ENTRIES, SUBJECTS):
                table.create(connection)
            connection.execute(SCHEMA.insert().values(version=3))
        self.kept(JAW, 41.0)
        self.assertIn("library_things", inspect(engine).get_table_names())
        engine.dispose()


class ServerTest(_LibraryTests, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.place = server().fresh()


if __name__ == "__main__":
    unittest.main()
