"""A release on the command line: written once, sealed, compared with what is there now; refused with a hazard."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

from ledgecliff.core.changing import set_value
from ledgecliff.core.release.release import Release, sealed
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job, write_job
from ledgecliff.store.record_db import RecordDb
from tests.command_line.test_main import DEMO, CommandTest, run


class ReleasesTest(CommandTest):
    def setUp(self):
        super().setUp()
        self.out, self.place = self.folder / "out", str(self.folder / "shop.db")
        self.job = self.folder / "job.json"
        shutil.copy(demo_job("float-housing").parent / "float_housing.step", self.folder)
        write_job(read_job(demo_job("float-housing")), self.job)
        RecordDb(Path(self.place)).close()

    def released(self, *more, status=0):
        found, out, error = run(
            "release", str(self.job), "--by", "Ada", "-o", str(self.out), "--register", self.place, *more, "--json"
        )
        self.assertEqual(found, status, error)
        return json.loads(out) if not status else error

    def verified(self, *more):
        status, out, error = run("release", "verify", str(self.out), "--register", self.place, *more, "--json")
        self.assertEqual(error, "")
        told = json.loads(out)["differences"]
        self.assertEqual(status, int(bool(told)))
        return told

    def test_sealed_verified_and_changed_afterwards(self):
        told = self.released()
        self.assertEqual(self.verified(), [])
        self.assertEqual(self.verified("--against", str(self.job)), [])
        names = {Path(each).name for each in told["files"]}
        self.assertEqual(names | {"release.json"}, {path.name for path in self.out.iterdir()})
        program = next(path for path in sorted(self.out.iterdir()) if path.suffix == ".ngc")
        text = program.read_text(encoding="utf-8")
        program.write_text(text.replace("G21", "G20", 1), encoding="utf-8")
        (changed, was, now) = self.verified()
        self.assertIn(program.name, changed)
        self.assertTrue("G21" in was and "G20" in now)
        program.write_text(text, encoding="utf-8")
        # Sealed anew by somebody, the record knows better.
        path = self.out / "release.json"
        whole = path.read_text(encoding="utf-8")
        forged = sealed(Release.model_validate_json(whole).model_copy(update={"by": "Bo"}))
        path.write_text(forged.model_dump_json(), encoding="utf-8")
        self.assertEqual(self.verified(), ["the record has another seal for this release"])
        path.write_text(whole, encoding="utf-8")
        write_job(set_value(read_job(self.job), ("title",), "Float housing 2"), self.job)
        self.assertEqual(self.verified("--against", str(self.job)), ["the job has been changed since it was released"])
        self.assertIn("has a release in it", self.released(status=2))
        status, out, _ = run("record", "list", "--kind", "release", "--register", self.place, "--json")
        (entry,) = json.loads(out)["entries"]
        self.assertEqual((status, entry["data"]["seal"]), (0, told["seal"]))

    def test_one_setup_only(self):
        self.released("--setup", "Op 20")
        programs = [path.name for path in self.out.glob("*.ngc")]
        self.assertTrue(programs)
        self.assertTrue(all("op-20" in name for name in programs), programs)

    def test_a_hazard_is_released_by_a_named_reason_only(self):
        write_job(set_value(read_job(self.job), ("setups", 0, "hold", "parallels_height"), 36.0), self.job)
        _, out, _ = run("check", str(self.job), "--register", self.place, "--json")
        hazards = sorted({each["code"] for each in json.loads(out)["findings"] if each["severity"] == "hazard"})
        self.assertTrue(hazards)
        error = self.released(status=2)
        self.assertIn(hazards[0], error)
        self.assertFalse(self.out.exists())
        reasons = [f'--override={code}=both zeros are one place here; "quoted" <b>' for code in hazards]
        self.assertIn("has no reason", self.released(*(f"--override={code}= " for code in hazards), status=2))
        told = self.released(*reasons)
        self.assertEqual(sorted({each["code"] for each in told["overrides"]}), hazards)
        _, out, _ = run("record", "list", "--kind", "override", "--register", self.place, "--json")
        self.assertEqual(len(json.loads(out)["entries"]), len(told["overrides"]))

    def test_what_is_missing(self):
        for words, why in (
            (("release", DEMO, "-o", str(self.out)), "--by"), (("release", DEMO, "--by", "Ada"), "-o"),
            (("release", DEMO, "x", "--by", "Ada"), "is named by -o"), (("release", "verify"), "DIR"),
            (("release", "verify", str(self.folder)), "cannot be read"),
            (("release", DEMO, "--by", "Ada", "-o", str(self.folder)), "has something in it"),
            (("release", DEMO, "--by", "Ada", "-o", str(self.out), "--override", "X"), "CODE=REASON"),
        ):  # fmt: skip
            status, _, error = run(*words)
            self.assertEqual(status, 2, words)
            self.assertIn(why, error)
