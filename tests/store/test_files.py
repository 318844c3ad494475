"""Job files, models, recovery copies and the recent list: nothing is lost, everything wrong is named."""

from __future__ import annotations

import json
import os
import shutil
import stat
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.cutting.views import shadows_of
from ledgecliff.core.edits.profiles import own_copy
from ledgecliff.core.errors import JobFileError, ModelFileError, ReaderStartError
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.orientation import DIRECTIONS
from ledgecliff.core.model.part import ModelReference
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.released import probing_text
from ledgecliff.core.solids.meshes import Mesh
from ledgecliff.store import atomic, job_files, kernel_process, part_models, recent, recovery
from ledgecliff.store.demo import demo_job, demo_names
from ledgecliff.store.geometry_archive import read_shadows, write_shadows
from tests.draws import draws
from tests.helpers import changed, demo, geometry, models
from tests.older import version_5, version_7, without_ids


class FolderTest(unittest.TestCase):
    """A folder of its own with a copy of the demo in it."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.job_file = self.folder / "job.json"
        shutil.copy(demo_job("float-housing"), self.job_file)
        shutil.copy(demo_job("float-housing").parent / "float_housing.step", self.folder)


class MigrationTest(unittest.TestCase):
    def old(self, **stock):
        """The demo as version 1 had it: a block with one facing allowance, vises only, no kinds."""
        data = version_5(demo())
        data["version"] = 1
        del data["stock"]["form"], data["stock"]["allowance"], data["stock"]["grain"]
        data["stock"] |= {"facing": 1.5} | stock
        for setup in data["setups"]:
            for name in ("by", "jaws", "stop"):
                del setup["hold"][name]
            del setup["least_wall"]
        for kind in ("plates", "boards", "v_blocks", "chucks", "jigs"):
            del data["machine"][kind]
        return data

    def test_version_1_becomes_the_demo_of_today(self):
        job = job_files.parse_job(json.dumps(self.old()), "old.json")
        self.assertEqual(without_ids(job), without_ids(demo()))

    def test_version_4_is_read_as_it_was(self):
        """Before pins had a length: it is not stated, and nothing else changes."""
        job = job_files.read_job(demo_job("dial-ring-on-pins"))
        data = version_5(job) | {"version": 4}
        del data["setups"][0]["operations"][0]["pin_length"]
        old = job_files.parse_job(json.dumps(data), "old.json")
        expected = set_value(job, ("setups", 0, "operations", 0, "pin_length"), None)
        self.assertEqual(without_ids(old), without_ids(expected))

    def test_version_7_with_its_cycles_and_its_profile(self):
        """Old names of cycles and of a macro lead to the same programs; what was measured is not known of it."""
        cycles = (
            ProbeCycle(name="X web, stock", kind="outside width", on="stock", axis="x"),
            ProbeCycle(name="across", kind="inside width", on="feature", feature="pocket", axis="y"),
        )
        pocket = next(k for k, feature in enumerate(demo().part.features) if feature.name == "pocket")
        wide = {"length": 30.0, "width": 26.0, "lengthwise": "+Y"}
        measured = demo().part.features[pocket].model_copy(update=wide)
        job = own_copy(changed((("part", "features", pocket), measured), (("setups", 0, "probing", "cycles"), cycles)))
        data = version_7(job)
        self.assertEqual([c["kind"] for c in data["setups"][0]["probing"]["cycles"]], ["web", "pocket"])
        self.assertIn("macro protected(", data["machines"][0]["profiles"][0]["text"])
        old = job_files.parse_job(json.dumps(data), "old.json")
        self.assertEqual(without_ids(old), without_ids(job))
        self.assertEqual((old.stock.is_measured, job.stock.is_measured), (False, True))
        self.assertEqual(probing_text(make_plan(old, models()), 0), probing_text(make_plan(job, models()), 0))

    def test_the_facing_goes_to_the_side_that_is_up_first(self):
        data = self.old()
        data["setups"][0]["orientation"] = {"up": "-Y", "right": "+X"}
        job = job_files.parse_job(json.dumps(data), "old.json")
        self.assertEqual((job.stock.allowance.minus_y, job.stock.allowance.plus_z), (1.5, None))

    def test_what_is_damaged_is_named_and_not_guessed(self):
        for facing, words in (("much", "stock, allowance, plus z"), (None, "stock, facing")):
            with self.assertRaisesRegex(JobFileError, words):
                job_files.parse_job(json.dumps(self.old(facing=facing)), "old.json")
        data = self.old()
        data["setups"] = "none"
        with self.assertRaisesRegex(JobFileError, "setups: "):
            job_files.parse_job(json.dumps(data), "old.json")


class AtomicTest(FolderTest):
    def test_a_failed_write_leaves_the_old_file_and_no_litter(self):
        before = self.job_file.read_bytes()
        with (
            mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")),
            self.assertRaisesRegex(atomic.WriteError, "No space left"),
        ):
            atomic.write_atomic(self.job_file, "half")
        self.assertEqual(self.job_file.read_bytes(), before)
        self.assertEqual(len(list(self.folder.iterdir())), 2)

    def test_permissions_are_kept(self):
        self.job_file.chmod(0o600)
        atomic.write_atomic(self.job_file, "{}")
        self.assertEqual(stat.S_IMODE(self.job_file.stat().st_mode), 0o600)

    def test_a_folder_that_is_not_there(self):
        with self.assertRaisesRegex(atomic.WriteError, "cannot be written"):
            atomic.write_atomic(self.folder / "no" / "job.json", "x")


class JobFileTest(FolderTest):
    def assert_refused(self, text, words):
        self.job_file.write_text(text, encoding="utf-8")
        with self.assertRaisesRegex(JobFileError, words):
            job_files.read_job(self.job_file)

    def with_value(self, value, *path):
        data = json.loads(job_files.job_text(demo()))
        inner = data
        for step in path[:-1]:
            inner = inner[step]
        inner[path[-1]] = value
        return json.dumps(data)

    def test_round_trip_to_the_byte(self):
        job_files.write_job(demo(), self.job_file)
        again = job_files.read_job(self.job_file)
        self.assertEqual(again, demo())
        self.assertEqual(job_files.job_text(again), self.job_file.read_text(encoding="utf-8"))

    def test_cut_off_anywhere(self):
        """A file that lost its end is refused wherever it was cut, and never with a traceback."""
        text = job_files.job_text(demo()).rstrip()
        for share in (0.01, 0.3, 0.77, 0.999):
            with self.subTest(share):
                self.assert_refused(text[: int(len(text) * share)], "not a whole JSON document")

    def test_foreign_and_newer_files(self):
        self.assert_refused("[1, 2]", "not a Ledgecliff job")
        self.assert_refused('"text"', "not a Ledgecliff job")
        self.assert_refused('{"format": "other"}', "not a Ledgecliff job")
        self.assert_refused(self.with_value(9, "version"), "of version 9; this program reads up to 8")
        self.assert_refused("[" * 100_000, "nested too deeply|not a whole JSON")

    def test_fields(self):
        self.assert_refused(self.with_value(1, "colour"), "colour: is not a field this program knows")
        self.assert_refused(self.with_value(-3, "stock", "measured", "x"), r"stock, measured, x: .*\(it is -3\)")
        self.assert_refused(
            self.with_value("wide", "stock", "allowance", "plus_z"), "stock, allowance, plus z: .*number.*'wide'"
        )
        self.assert_refused(self.with_value(None, "title"), "title: ")
        self.assert_refused(self.with_value([], "setups"), "setups: ")
        self.assert_refused(self.with_value("far", "setups", 0, "datum", "x", "source"), "setup 1, datum, x, source")
        self.assert_refused(
            self.with_value({"features": [{}]}, "part"), "part, name: is missing.*more fields are wrong"
        )

    def test_numbers_that_are_none(self):
        for number in ("NaN", "Infinity", "-Infinity"):
            text = job_files.job_text(demo()).replace('"plus_z": 1.5', f'"plus_z": {number}')
            self.assert_refused(text, "which is no number")
        self.assert_refused(
            job_files.job_text(demo()).replace('"plus_z": 1.5', '"plus_z": 1e999'), "stock, allowance, plus z"
        )

    def test_not_text_not_there_and_too_large(self):
        self.job_file.write_bytes(b"\xff\xfe\x00binary")
        with self.assertRaisesRegex(JobFileError, "not a text file"):
            job_files.read_job(self.job_file)
        with self.assertRaisesRegex(JobFileError, "does not exist"):
            job_files.read_job(self.folder / "nothing.json")
        with self.assertRaisesRegex(JobFileError, "cannot be read"):
            job_files.read_job(self.folder)
        with mock.patch.object(job_files, "LARGEST_BYTES", 10), self.assertRaisesRegex(JobFileError, "too large"):
            job_files.read_job(demo_job("float-housing"))


def _reference(digit: str) -> ModelReference:
    return ModelReference(path="-", sha256=digit * 64)


class PartModelTest(FolderTest):
    def test_the_cache_gives_what_the_kernel_gave(self):
        path = self.folder / "float_housing.step"
        cached = part_models.read_model(path, demo().part.model)
        with (
            mock.patch.object(part_models, "cache_folder", return_value=self.folder / "cache"),
            mock.patch.object(part_models, "SHIPPED", self.folder / "none"),
        ):
            fresh = part_models.read_model(path, demo().part.model)
        self.assertEqual(fresh.planes, cached.planes)
        self.assertEqual(fresh.cylinders, cached.cylinders)
        self.assertEqual(fresh.coarse.triangles.tolist(), cached.coarse.triangles.tolist())

    def test_what_ships_is_what_the_kernel_gives(self):
        """Of every demo's model: the very same arrays and surfaces, read without starting the kernel."""
        for name in demo_names()[:: draws(2, 1)]:
            job = job_files.read_job(demo_job(name))
            if job.part.model is None:
                continue
            path = demo_job(name).parent / job.part.model.path
            with mock.patch.object(part_models, "cache_folder", return_value=self.folder / name):
                with mock.patch.object(kernel_process, "take", side_effect=OSError("no kernel here")):
                    shipped = part_models.read_model(path, job.part.model)
                with mock.patch.object(part_models, "SHIPPED", self.folder / "none"):
                    fresh = part_models.read_model(path, job.part.model)
            self.assertEqual((shipped.key, shipped.faces, shipped.notes), (fresh.key, fresh.faces, fresh.notes))
            for what in ("vertices", "triangles"):
                np.testing.assert_array_equal(getattr(shipped.coarse, what), getattr(fresh.coarse, what))
            np.testing.assert_array_equal(shipped.face_of, fresh.face_of)

    def test_the_shadows_that_ship_are_those_of_the_models(self):
        """Of every demo's model, as a space both ways: what is in the one and not in the other has no volume."""
        for name in ("float-housing", "lamp-lid"):
            job = job_files.read_job(demo_job(name))
            kept = part_models.read_model(demo_job(name).parent / job.part.model.path, job.part.model)
            self.assertEqual(set(kept.shadows), set(DIRECTIONS))
            for up, mesh in shadows_of(replace(kept, shadows={})).items():
                one, other = mesh.solid(), kept.shadows[up].solid()
                for differing in (one - other, other - one):
                    self.assertLess(float(differing.volume()), 1e-9 * float(one.volume()), (name, up))

    def test_shadows_of_another_mesh_or_a_damaged_file_are_not_used(self):
        geometry = part_models.read_model(self.folder / "float_housing.step", demo().part.model)
        whole = part_models.shipped_shadows(demo().part.model).read_bytes()
        file = self.folder / "shadows.npz"
        self.assertEqual(read_shadows(file, geometry.coarse), {})
        write_shadows(geometry.shadows, geometry.coarse, file)
        self.assertEqual(set(read_shadows(file, geometry.coarse)), set(DIRECTIONS))
        moved = geometry.coarse.vertices.copy()
        moved[7, 0] += 1e-9
        self.assertEqual(read_shadows(file, Mesh(moved, geometry.coarse.triangles)), {})
        for damaged in (b"", whole[: len(whole) // 2], whole.replace(whole[5000:5020], b"x" * 20), b"PK broken"):
            file.write_bytes(damaged)
            self.assertEqual(read_shadows(file, geometry.coarse), {})

    def test_a_damaged_cache_entry_is_read_anew(self):
        cache = self.folder / "cache"
        cache.mkdir()
        (cache / f"{demo().part.model.key}.npz").write_bytes(b"PK broken")
        with (
            mock.patch.object(part_models, "cache_folder", return_value=cache),
            mock.patch.object(part_models, "SHIPPED", self.folder / "none"),
        ):
            found = part_models.load_models(demo(), self.job_file).part
        self.assertEqual(found.face_count, geometry().face_count)

    def test_what_is_still_held_is_not_read_again(self):
        """By content and place: the same file is the same geometry, another body, unit or folder is read for itself."""
        first = part_models.load_models(demo(), self.job_file).part
        self.assertIs(part_models.load_models(demo(), self.job_file).part, first)
        inches = set_value(demo(), ("part", "model", "unit"), "in")
        self.assertIsNot(part_models.load_models(inches, self.job_file).part, first)
        (self.folder / "else").mkdir()
        shutil.copy(self.folder / "float_housing.step", self.folder / "else")
        self.assertIsNot(part_models.load_models(demo(), self.folder / "else" / "job.json").part, first)

    def test_a_missing_model(self):
        (self.folder / "float_housing.step").unlink()
        with self.assertRaisesRegex(ModelFileError, "part, model, path: the model 'float_housing.step' is not there"):
            part_models.load_models(demo(), self.job_file)

    def test_a_changed_model(self):
        with (self.folder / "float_housing.step").open("a") as file:
            file.write("\n")
        with self.assertRaisesRegex(ModelFileError, "not the model this job was made for"):
            part_models.load_models(demo(), self.job_file)

    def test_what_is_no_step_file(self):
        path = self.folder / "notes.step"
        path.write_text("solid words\nendsolid words\n")
        with self.assertRaisesRegex(ModelFileError, "'notes.step' is not a STEP file"):
            part_models.read_model(path, _reference("0"))

    def test_a_reader_that_does_not_start_blames_no_file(self):
        for program in (shutil.which("false"), str(self.folder / "no such program")):
            with (
                mock.patch.object(kernel_process.sys, "executable", program),
                self.assertRaisesRegex(ReaderStartError, "(did not start|cannot be started).*was not looked at"),
            ):
                part_models.read_model(self.folder / "float_housing.step", _reference("1"))

    def test_a_kernel_that_falls_over_is_reported(self):
        """A reader that was there and then died in the middle of the file."""
        reader = self.folder / "reader"
        reader.write_text("#!/bin/sh\necho '@progress 0' >&2\nread order\nkill -9 $$\n")
        reader.chmod(0o755)
        with (
            mock.patch.object(kernel_process.sys, "executable", str(reader)),
            self.assertRaisesRegex(ModelFileError, "made the CAD kernel fall over"),
        ):
            part_models.read_model(self.folder / "float_housing.step", _reference("1"))

    def test_reading_can_be_cancelled(self):
        with self.assertRaises(part_models.CancelledError):
            part_models.read_model(self.folder / "float_housing.step", _reference("2"), cancelled=lambda: True)

    def test_saving_elsewhere_takes_the_model_along(self):
        target = self.folder / "elsewhere"
        target.mkdir()
        (target / "float_housing.step").write_text("another part")
        carried = part_models.carry_models(demo(), self.folder, target)
        self.assertNotEqual(carried.part.model.path, "float_housing.step")
        job_files.write_job(carried, target / "job.json")
        self.assertIs(type(part_models.load_models(carried, target / "job.json").part), type(geometry()))
        self.assertEqual((target / "float_housing.step").read_text(), "another part")
        self.assertEqual(part_models.carry_models(demo(), self.folder, self.folder), demo())


class DemoTest(unittest.TestCase):
    def test_names(self):
        self.assertIn("float-housing", demo_names())
        with self.assertRaisesRegex(JobFileError, "no demo job 'nothing'; there are: dial-ring-in-a-frame"):
            demo_job("nothing")
        with self.assertRaises(JobFileError):
            demo_job("../store/demo")

    def test_shipped_files_are_what_the_tools_make(self):
        """The demo job is the worked example, made by tools/make_demo_jobs.py and not edited since."""
        code = "import tools.make_demo_jobs as m, sys; sys.stdout.write(m.job_text(m.float_housing()))"
        root = Path(__file__).parents[2]
        made = subprocess.run([sys.executable, "-c", code], cwd=root, capture_output=True, text=True, check=True).stdout
        self.assertEqual(made, demo_job("float-housing").read_text(encoding="utf-8"))


class RecentTest(FolderTest):
    def setUp(self):
        super().setUp()
        patch = mock.patch.dict(os.environ, XDG_CONFIG_HOME=str(self.folder / "config"))
        patch.start()
        self.addCleanup(patch.stop)

    def test_newest_first_without_doubles_or_lost_files(self):
        files = []
        for k in range(12):
            path = self.folder / f"{k}.json"
            path.write_text("{}")
            files.append(path.resolve())
            recent.remember_job(path)
        recent.remember_job(files[5])
        self.assertEqual(recent.recent_jobs()[0], files[5])
        self.assertEqual(len(recent.recent_jobs()), 10)
        files[11].unlink()
        self.assertNotIn(files[11], recent.recent_jobs())

    def test_a_damaged_list_is_empty(self):
        recent.remember_job(self.job_file)
        (self.folder / "config" / "ledgecliff" / "recent.json").write_text("{")
        self.assertEqual(recent.recent_jobs(), [])


class RecoveryTest(FolderTest):
    def setUp(self):
        super().setUp()
        patch = mock.patch.dict(os.environ, XDG_STATE_HOME=str(self.folder / "state"))
        patch.start()
        self.addCleanup(patch.stop)

    def test_a_killed_program_leaves_its_work(self):
        """Another process keeps a copy and is killed; the copy is found and whole."""
        code = (
            "import os, signal\nfrom pathlib import Path\n"
            "from ledgecliff.core.changing import set_value\n"
            "from ledgecliff.store import job_files, recovery\n"
            f"path = Path({str(self.job_file)!r})\n"
            "job = set_value(job_files.read_job(path), ('stock', 'allowance', 'plus_z'), 2.25)\n"
            "recovery.RecoveryCopy().keep(job, path, path.parent)\n"
            "os.kill(os.getpid(), signal.SIGKILL)\n"
        )
        done = subprocess.run([sys.executable, "-c", code], cwd=Path(__file__).parents[2], check=False)
        self.assertEqual(done.returncode, -9)
        (left,) = recovery.left_behind()
        self.assertEqual(left.job, set_value(demo(), ("stock", "allowance", "plus_z"), 2.25))
        self.assertEqual(left.origin, self.job_file)

    def test_a_running_program_keeps_its_copy_to_itself(self):
        copy = recovery.RecoveryCopy()
        copy.keep(demo(), None, self.folder)
        self.assertEqual(recovery.left_behind(), [])
        copy.drop()
        self.assertEqual(list(recovery.recovery_folder().iterdir()), [])

    def test_a_copy_whose_process_number_is_in_use_again(self):
        """Its lock is free: the program is dead, whatever runs under its number now; an old copy has no lock."""
        copy = recovery.RecoveryCopy()
        copy.keep(demo(), None, self.folder)
        (path,) = recovery.recovery_folder().glob("*.json")
        for number, process in (("dead", os.getpid()), ("init", 1)):
            record = json.loads(path.read_text()) | {"process": process}
            (path.parent / f"{number}.json").write_text(json.dumps(record))
        (path.parent / "dead.lock").touch()
        self.assertEqual({left.copy.name for left in recovery.left_behind()}, {"dead.json", "init.json"})
        for left in recovery.left_behind():
            left.discard()
        copy.drop()
        self.assertEqual(list(recovery.recovery_folder().iterdir()), [])

    def test_an_unreadable_copy_is_passed_over_and_kept(self):
        recovery.recovery_folder().mkdir(parents=True)
        broken = recovery.recovery_folder() / "1-2.json"
        broken.write_text('{"process": 999999999')
        self.assertEqual(recovery.left_behind(), [])
        self.assertTrue(broken.exists())
