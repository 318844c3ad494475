"""A release: no hazard without a named person's reason, every change afterwards told with its lines, one seal."""

from __future__ import annotations

import unittest

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.finding import Finding
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.release.release import (
    Release,
    ReleasedFile,
    changed_since,
    checksum,
    differences,
    overridden,
    program_file,
    sealed,
    then,
)

FACE = "G21 G90\nG0 X1\nG1 Z-1 F100\nM30\n"
HAZARD = Finding("MEETS", "hazard", "Op 10", "It meets the jaw by {2:mm}.", "Raise it.", about="face")
OTHER = Finding("MEETS", "hazard", "Op 10", "It meets the stop.", "Move it.", about="pocket")
NOTE = Finding("SAID", "note", "", "So it is.", "Nothing.")


def release(findings=(HAZARD, NOTE), reasons=(("MEETS", "jaw is cut away there"),), **more):
    files = (program_file("a.nc", FACE), program_file("b.nc", "M30\n"),
             ReleasedFile(name="sheet.pdf", kind="sheet", sha256=checksum(b"pdf")))  # fmt: skip
    given = {
        "id": derived_id("r"), "at": "2026-03-09T07:30:00+01:00", "by": "Ada", "job": derived_id("j"), "title": "Lid",
        "job_checksum": checksum(b"job"), "setups": ("Op 10",), "files": files,
        "findings": tuple(map(then, findings)), "overrides": overridden(findings, dict(reasons), "Ada"),
    }  # fmt: skip
    return sealed(Release(**(given | more)))


def there(**changed):
    files = {"a.nc": FACE.encode(), "b.nc": b"M30\n", "sheet.pdf": b"pdf"}
    return {name: text for name, text in (files | changed).items() if text is not None}


class SealedTest(unittest.TestCase):
    def test_as_it_was(self):
        self.assertEqual(differences(release(), there()), [])
        again = Release.model_validate_json(release().model_dump_json())
        self.assertEqual(differences(again, there()), [])

    def test_what_was_changed_is_told_with_its_lines(self):
        for files, told in (
            (there(**{"a.nc": FACE.replace("Z-1", "Z-10").encode()}),
             ["a.nc was changed after it was released", "  line 3 was: G1 Z-1 F100", "  line 3 is:  G1 Z-10 F100"]),
            (there(**{"a.nc": None}), ["a.nc is missing"]),
            (there(**{"c.nc": b"M30\n"}), ["c.nc was not released"]),
            (there(**{"notes.txt": b"by hand"}), []),
            (there(**{"sheet.pdf": b"other"}), ["sheet.pdf was changed after it was released"]),
            (there(**{"b.nc": b"M30\r\n"}), ["b.nc was changed after it was released", "  only line ends differ"]),
            (there(**{"a.nc": FACE.replace("G0 X1\n", "").encode()}),
             ["a.nc was changed after it was released", "  line 2 was: G0 X1"]),
        ):  # fmt: skip
            self.assertEqual(differences(release(), files), told)
        long = differences(release(), there(**{"a.nc": b"\x1b[31mG1 X1\n" * 500}))
        self.assertLess(len(long), 20)
        self.assertNotIn("\x1b", "".join(long))

    def test_nothing_in_it_can_be_changed_unseen(self):
        whole = release()
        for field, value in (
            ("by", "Bo"), ("title", "Lamp"), ("overrides", ()), ("findings", ()), ("job_checksum", checksum(b"x")),
            ("setups", ("Op 20",)), ("files", whole.files[:1]), ("proof", ("said",)), ("at", "2026-03-10T07:30:00Z"),
        ):  # fmt: skip
            told = differences(whole.model_copy(update={field: value}), there())
            self.assertIn("the release itself was changed after it was sealed", told, field)

    def test_names_stay_in_its_folder(self):
        for name in ("../a.nc", "/etc/passwd", "..", "a/b.nc", "a\\b.nc", ""):
            with self.assertRaises(ValueError, msg=name):
                program_file(name, FACE)


class OverrideTest(unittest.TestCase):
    def test_a_hazard_needs_a_named_reason(self):
        with self.assertRaisesRegex(InvalidValueError, "MEETS: It meets the jaw by .*--override"):
            release(reasons=())
        with self.assertRaisesRegex(InvalidValueError, "has no reason"):
            release(reasons=(("MEETS", "  "),))
        with self.assertRaisesRegex(InvalidValueError, "no hazard SAID"):
            release(reasons=(("MEETS", "cut away"), ("SAID", "because")))
        (one,) = release().overrides
        self.assertEqual((one.finding.about, one.by, one.reason), ("face", "Ada", "jaw is cut away there"))
        self.assertEqual(len(release(findings=(HAZARD, OTHER)).overrides), 2)
        self.assertEqual(release(findings=(NOTE,), reasons=()).overrides, ())

    def test_it_stands_until_the_finding_changes(self):
        whole, same = release(), checksum(b"job")
        self.assertEqual(changed_since(whole, same, [HAZARD, NOTE]), [])
        self.assertEqual(
            changed_since(whole, checksum(b"new"), [HAZARD]), ["the job has been changed since it was released"]
        )
        more = Finding("MEETS", "hazard", "Op 10", "It meets the jaw by {3:mm}.", "Raise it.", about="face")
        told = changed_since(whole, same, [more])
        self.assertEqual(len(told), 2)
        self.assertIn("released without knowing: hazard MEETS", told[0])
        self.assertIn("override of MEETS by Ada does not stand", told[1])
        self.assertIn("does not stand", changed_since(whole, same, [])[0])
        self.assertIn("released without knowing", changed_since(whole, same, [HAZARD, OTHER])[0])
        new_note = Finding("LATER", "note", "", "A note.", "")
        self.assertEqual(changed_since(whole, same, [HAZARD, new_note]), [])


if __name__ == "__main__":
    unittest.main()
