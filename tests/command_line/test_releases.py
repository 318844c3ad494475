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

    def seals(self):
        status, out, error = run("seals", str(self.job), "--register", self.place, "--json")
        self.assertEqual(status, 0, error)
        return [(each["stage"], each["changed"]) for each in json.loads(out)["seals"]]

    def codes(self):
        _, out, _ = run("check", str(self.job), "--register", self.place, "--json")
        return {each["code"]: each for each in json.loads(out)["findings"]}

    def test_seals_and_what_takes_them_back(self):
        self.assertEqual(self.seals(), [("checked", []), ("checked", [])])
        run("rehearse", str(self.job), "--keep", "--register", self.place)
        self.assertEqual(self.seals(), [("rehearsed", []), ("rehearsed", [])])
        self.released("--setup", "Op 10", "--trials", "2")
        self.assertEqual(self.seals(), [("released", []), ("rehearsed", [])])
        self.assertIn("2 trials", " ".join(json.loads((self.out / "release.json").read_text())["proof"]))
        write_job(set_value(read_job(self.job), ("setups", 0, "probing", "overtravel"), 6.0), self.job)
        self.assertEqual(self.seals(), [("checked", ["probing"]), ("checked", ["what is done before"])])

    def test_what_lies_there_now_is_found_without_being_asked(self):
        self.released()
        self.assertFalse({"RELEASED_FILES_DIFFER", "RELEASED_ON_OTHER_FINDINGS"} & set(self.codes()))
        program = next(path for path in sorted(self.out.iterdir()) if path.suffix == ".ngc")
        text = program.read_text(encoding="utf-8")
        program.write_text(text + "G0 X0\n", encoding="utf-8")
        told = self.codes()["RELEASED_FILES_DIFFER"]
        self.assertIn(program.name, told["message"])
        self.assertIn("G0 X0", told["message"])
        program.write_text(text, encoding="utf-8")
        self.assertNotIn("RELEASED_FILES_DIFFER", self.codes())
        shutil.rmtree(self.out)
        self.assertNotIn("RELEASED_FILES_DIFFER", self.codes(), "it went to the machine")

    def test_an_override_stands_for_the_next_release_until_its_finding_changes(self):
        write_job(set_value(read_job(self.job), ("setups", 0, "hold", "parallels_height"), 36.0), self.job)
        hazards = {code for code, each in self.codes().items() if each["severity"] == "hazard"}
        self.released(*(f"--override={code}=guarded by hand" for code in sorted(hazards)))
        self.out = self.folder / "again"
        told = self.released()["overrides"]
        self.assertEqual({(each["code"], each["reason"], each["by"]) for each in told},
                         {(code, "guarded by hand", "Ada") for code in hazards})  # fmt: skip
        write_job(set_value(read_job(self.job), ("setups", 0, "hold", "parallels_height"), 35.5), self.job)
        self.out = self.folder / "third"
        self.assertIn("a hazard stands", self.released(status=2))

    def test_toolpath_programs_go_along_and_two_of_a_name_do_not(self):
        job = read_job(self.job)
        job = set_value(job, ("setups", 0, "operations", 0, "program"), "face.ngc")
        job = set_value(job, ("setups", 0, "operations", 1, "program"), "gone.ngc")
        write_job(job, self.job)
        (self.folder / "face.ngc").write_bytes(b"G21 G90 G54\nT1 M6\nG43 H1\n(\xff)\nM30\n")
        self.released()
        self.assertEqual((self.out / "face.ngc").read_bytes(), (self.folder / "face.ngc").read_bytes())
        proof = json.loads((self.out / "release.json").read_text())["proof"]
        self.assertIn("toolpath program not at hand, so not released: gone.ngc", proof)
        (self.out / "face.ngc").write_bytes(b"G21 G90 G55\nT1 M6\nG43 H1\n(\xff)\nM30\n")
        told = self.verified()
        self.assertIn("face.ngc was changed", told[0])
        self.assertIn("line 1 was: G21 G90 G54", told[1])
        write_job(set_value(job, ("setups", 0, "operations", 0, "program"), "01-op-10-probe.ngc"), self.job)
        (self.folder / "01-op-10-probe.ngc").write_text("M30\n")
        self.out = self.folder / "again"
        self.assertIn("two files would be called '01-op-10-probe.ngc'", self.released(status=2))
        self.assertFalse(self.out.exists())

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
