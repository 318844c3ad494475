"""The record in a file and on a server: added once, never changed, found by what it is about, by time and by words."""

from __future__ import annotations

import random
import shutil
import tempfile
import threading
import unittest
from datetime import datetime, timedelta, timezone
from pathlib import Path

from sqlalchemy import create_engine

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.record.entries import KINDS, RecordEntry, Subject
from ledgecliff.core.record.times import moment
from ledgecliff.store.record_db import PAGE, RecordDb, Wanted
from ledgecliff.store.shop_schema import CHANGES, MACHINES, SCHEMA
from tests.draws import draws
from tests.store.servers import server

VISE = Subject(kind="fixture", id="m1/left vise", name="left vise")
JOB = Subject(kind="job", id="0123456789ab", name="Lamp lid")
NASTY = "a\"b'c\\d\n<e>&{f}%s; DROP TABLE record_entries; -- =SUM(A1) %_ Ünïcödé 🙂"


def entry(number, **more):
    at = datetime(2026, 3, 9, 7, tzinfo=timezone(timedelta(hours=1))) + timedelta(minutes=number)
    given = {"id": derived_id("entry", str(number)), "kind": "note", "at": at.isoformat(), "by": "Ada"}
    given["what"] = f"note {number}"
    return RecordEntry(**(given | more))


def many(count, seed=1):
    chance = random.Random(seed)
    things = [Subject(kind="fixture", id=f"m1/f{k}", name=f"fixture {k}") for k in range(20)]
    for k in range(count):
        yield entry(
            k, kind=chance.choice(KINDS), on=tuple(chance.sample(things, chance.randint(0, 3))),
            what=chance.choice((f"found {k} at {chance.random():.3f}", NASTY)), workstation=f"hall {k % 3}",
            numbers={name: chance.uniform(-500, 500) for name in chance.sample("xyz", chance.randint(0, 3))},
            data={"step": k, "words": [NASTY, None, True, {"deep": 1.5e-17}]} if k % 2 else {},
        )  # fmt: skip


class _RecordTests:
    """What holds of either database."""

    def setUp(self):
        self.db = self.open()

    def open(self):
        db = RecordDb(self.place)
        self.addCleanup(db.close)
        return db

    def test_what_is_added_is_read_again_whole(self):
        told = tuple(many(60))
        self.assertEqual(self.db.add(told), 60)
        self.assertEqual(tuple(self.open().every()), told)
        self.assertEqual(self.db.page(Wanted()), tuple(reversed(told)))
        self.assertEqual(self.db.entry(told[7].id), told[7])
        self.assertIsNone(self.db.entry("0" * 12))
        odd = entry(100, what="nought \x00", on=(VISE.model_copy(update={"name": "x"}),), data={"\x00": ["\x00"]})
        self.assertNotIn("\x00", odd.model_dump_json())
        self.db.add([odd])
        self.assertEqual(self.db.entry(odd.id), odd)

    def test_each_once_and_none_another(self):
        told = tuple(many(5))
        self.db.add(told[:3])
        self.assertEqual(self.db.add(told), 2)
        self.assertEqual(self.db.add((*told, told[0])), 0)
        before = tuple(self.db.every())
        for wrong in (told[1].model_copy(update={"what": "another"}), entry(9, corrects="f" * 12)):
            with self.assertRaisesRegex(InvalidValueError, "is there already|no entry ffffffffffff"):
                self.db.add([entry(50), wrong])
            self.assertEqual(tuple(self.db.every()), before, "all or none")
        right = entry(9, corrects=told[1].id)
        self.db.add([right, entry(10, corrects=right.id)])
        self.assertEqual([each.what for each in self.db.corrections([told[1].id])], ["note 9", "note 10"])
        self.assertEqual(self.db.corrections(["0" * 12]), ())

    def test_found(self):
        told = [
            entry(1, on=(VISE,), what="Jaw chipped"),
            entry(2, kind="touch", on=(VISE, JOB), numbers={"deviation": 0.01}),
            entry(3, on=(VISE.model_copy(update={"name": "old vise"}), JOB), what="100% clean_"), entry(4, by="Bo"),
        ]  # fmt: skip
        self.db.add(told)

        def found(**wanted):
            page = self.db.page(Wanted(**wanted))
            self.assertEqual(self.db.count(Wanted(**wanted)), len(page))
            return [told.index(each) + 1 for each in page]

        self.assertEqual(found(subject=("fixture", VISE.id)), [3, 2, 1])
        self.assertEqual(found(name="left vise"), [2, 1])
        self.assertEqual(found(kind="touch"), [2])
        self.assertEqual(found(words="VISE chipped"), [1])
        self.assertEqual(found(words="0% c"), [3])
        self.assertEqual(found(words="clean_"), [3])
        self.assertEqual(found(words="_lean"), [], "a sign stands for itself")
        self.assertEqual(found(words="bo"), [4])
        self.assertEqual(found(words="deviation"), [2])
        self.assertEqual(found(since=moment(told[2].at)), [4, 3])
        self.assertEqual(found(until=moment(told[1].at), subject=("job", JOB.id)), [2])
        self.assertEqual(self.db.subjects("old vise"), (told[2].on[0],))

    def test_times_of_several_zones_follow_each_other(self):
        early = entry(1, at="2026-03-09T07:30:00+01:00")
        late = entry(2, at="2026-03-09T06:45:00+00:00")
        self.db.add([late, early])
        self.assertEqual(list(self.db.every()), [early, late])

    def test_page_for_page_each_once(self):
        told = [replace_at(each, k // 7) for k, each in enumerate(many(PAGE * 2 + 30))]
        random.Random(2).shuffle(told)
        self.db.add(told)
        pages = [each for skip in range(0, len(told), PAGE) for each in self.db.page(Wanted(), skip)]
        self.assertEqual(sorted(each.id for each in pages), sorted(each.id for each in told))
        self.assertEqual([each.id for each in reversed(pages)], [each.id for each in self.db.every()])

    def test_eight_writers_lose_nothing(self):
        each, wrong = draws(12, 60), []

        def write(writer):
            db = RecordDb(self.place)
            try:
                for k in range(each):
                    db.add([entry(1000 * writer + k, by=f"writer {writer}")])
            except Exception as error:
                wrong.append(error)
            finally:
                db.close()

        writers = [threading.Thread(target=write, args=(number,)) for number in range(8)]
        for writer in writers:
            writer.start()
        for writer in writers:
            writer.join()
        self.assertEqual(wrong, [])
        self.assertEqual(self.db.count(Wanted()), 8 * each)


def replace_at(one, minute):
    return one.model_copy(update={"at": entry(minute).at})


class FileTest(_RecordTests, unittest.TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)
        self.place = self.folder / "shop.db"
        super().setUp()


class ServerTest(_RecordTests, unittest.TestCase):
    def setUp(self):
        self.place = server().fresh()
        super().setUp()

    def test_tables_of_before_the_record_are_taken_over(self):
        place = server().fresh()
        engine = create_engine(place)
        with engine.begin() as connection:
            for table in (SCHEMA, MACHINES, CHANGES):
                table.create(connection)
            connection.execute(SCHEMA.insert().values(version=2))
        engine.dispose()
        with engine.begin() as connection:
            connection.execute(MACHINES.insert().values(id=1, identity="0123456789ab", name="Mill 2"))
            plain = dict.fromkeys(("label", "resident", "what", "readings"), "") | {"lines": "[]", "by": "Ada"}
            for k in (1, 2):
                at = f"2026-01-0{k}T07:00:00+01:00"
                connection.execute(CHANGES.insert().values(
                    id=k, machine=1, code="G54", revision=k, at=at, x=1.5 * k, y=0, z=0, turn_deg=0, **plain
                ))  # fmt: skip
        engine.dispose()
        db = RecordDb(place)
        self.addCleanup(db.close)
        self.assertEqual([each.numbers["x"] for each in db.every()], [1.5, 3.0])
        self.assertEqual(db.add([entry(1), entry(2)]), 2)
        self.assertEqual(db.count(Wanted(subject=("offset", "0123456789ab/G54"))), 2)


if __name__ == "__main__":
    unittest.main()
