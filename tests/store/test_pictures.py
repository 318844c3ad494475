"""Pictures of notes: beside the record here, in the shop's database for others, along with an export; nothing else."""

from __future__ import annotations

import hashlib
import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.store.pictures import (
    LARGEST,
    PICTURES,
    beside_export,
    fetch_picture,
    keep_picture,
    picture_here,
    pictures_folder,
)
from ledgecliff.store.record_db import RecordDb
from ledgecliff.store.record_files import export_with_pictures, import_with_pictures
from ledgecliff.store.record_keeper import RecordKeeper
from tests.store.servers import server

PNG = b"\x89PNG\r\n\x1a\n" + bytes(range(64))


class _PictureTests:
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.sit_at("here")
        self.file = self.folder / "jaw.png"
        self.file.write_bytes(PNG)
        self.sha = hashlib.sha256(PNG).hexdigest()

    def sit_at(self, name):
        patch = mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.folder / name)})
        patch.start()
        self.addCleanup(patch.stop)

    def entry(self, **data):
        return RecordEntry(id=derived_id("pic", str(data)), kind="note", at="2026-03-01T07:00:00+00:00", by="Ada",
                           what="jaw chipped", data=data)  # fmt: skip

    def kept(self):
        entry = self.entry(**{PICTURES: [keep_picture(self.file)]})
        keeper = RecordKeeper(self.place)
        self.assertEqual(keeper.add([entry]).words, "")
        keeper.close()
        return entry

    def test_of_one_workstation_at_another(self):
        self.kept()
        self.assertEqual(picture_here(self.sha).read_bytes(), PNG)
        self.file.unlink()  # what was attached is a copy
        self.sit_at("there")
        self.assertIsNone(picture_here(self.sha))
        self.assertEqual(fetch_picture(self.place, self.sha).read_bytes(), PNG)
        self.assertIsNotNone(picture_here(self.sha))
        self.assertIsNone(fetch_picture(self.place, "0" * 64))

    def test_along_with_an_export(self):
        entry = self.kept()
        path = self.folder / "all.jsonl"
        self.assertEqual(export_with_pictures(self.place, [entry], path), 1)
        self.assertEqual([each.read_bytes() for each in beside_export(path).iterdir()], [PNG])
        self.sit_at("elsewhere")
        other = self.folder / "other.db"
        self.assertEqual(import_with_pictures(other, path), [entry])
        self.assertEqual(fetch_picture(other, self.sha).read_bytes(), PNG)


class FileTest(_PictureTests, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.place = self.folder / "shop.db"

    def test_what_is_no_picture_is_refused(self):
        for content, words in (
            (b"hello", "neither a PNG nor a JPEG"),
            (b"", "neither"),
            (PNG + bytes(LARGEST), "larger"),
        ):
            self.file.write_bytes(content)
            with self.assertRaisesRegex(InvalidValueError, words):
                keep_picture(self.file)
        with self.assertRaisesRegex(InvalidValueError, "cannot be read"):
            keep_picture(self.folder / "none.png")
        self.assertFalse(pictures_folder().exists() and any(pictures_folder().iterdir()))

    def test_what_an_entry_names_is_no_other_file(self):
        """A record from elsewhere may name anything."""
        secret = self.folder / "here" / "ledgecliff" / "secret.png"
        secret.parent.mkdir(parents=True)
        secret.write_bytes(PNG)
        for named in ("../secret", "../secret.png", "/etc/passwd", "x" * 64, "A" * 64, "", "..%2f"):
            self.assertIsNone(picture_here(named))
            self.assertIsNone(fetch_picture(self.place, named))
        entry = self.entry(**{PICTURES: [{"sha256": "../secret"}, "x", {"name": 5}, None]})
        RecordDb(self.place).close()
        self.assertEqual(export_with_pictures(self.place, [entry], self.folder / "a.jsonl"), 0)
        import_with_pictures(self.place, self.folder / "a.jsonl")

    def test_one_that_was_changed_in_the_export_is_not_taken_in(self):
        entry, path = self.kept(), self.folder / "all.jsonl"
        export_with_pictures(self.place, [entry], path)
        next(beside_export(path).iterdir()).write_bytes(PNG + b"x")
        self.sit_at("elsewhere")
        import_with_pictures(self.folder / "other.db", path)
        self.assertIsNone(fetch_picture(self.folder / "other.db", self.sha))


class ServerTest(_PictureTests, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.place = server().fresh()


if __name__ == "__main__":
    unittest.main()
