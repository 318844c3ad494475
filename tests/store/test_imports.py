"""Models in: STEP and STL files as other programs write them, good and bad."""

from __future__ import annotations

import struct
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.Interface import Interface_Static
from OCP.Message import Message, Message_PrinterOStream
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer
from OCP.TopoDS import TopoDS_Compound

from ledgecliff.core.errors import ModelFileError, SeveralBodiesError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.plan import make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.solids.meshes import Mesh
from ledgecliff.store import part_models
from ledgecliff.store.imports import import_model, plan_imported
from tests.draws import draws
from tests.helpers import demo, geometry, models
from tests.models import box, moved, trial_plate, trial_plate_shape


def write_step(path, *shapes, unit="MM"):
    compound, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(compound)
    for shape in shapes:
        builder.Add(compound, shape)
    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())
    writer = STEPControl_Writer()
    Interface_Static.SetCVal_s("write.step.unit", unit)
    writer.Transfer(shapes[0] if len(shapes) == 1 else compound, STEPControl_AsIs)
    writer.Write(str(path))
    Interface_Static.SetCVal_s("write.step.unit", "MM")


def write_stl(path, mesh: Mesh, scale=1.0, *, skip=0, flipped=()):
    """A binary STL; ``skip`` leaves triangles out, ``flipped`` turns some inside out."""
    with path.open("wb") as file:
        triangles = mesh.triangles[skip:]
        file.write(b"\0" * 80 + struct.pack("<I", len(triangles)))
        for k, triangle in enumerate(triangles):
            corners = mesh.vertices[triangle[::-1] if k in flipped else triangle] * scale
            file.write(struct.pack("<12f", 0, 0, 0, *corners.reshape(-1)) + b"\0\0")


class ImportTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        patch = mock.patch.object(part_models, "cache_folder", return_value=self.folder / "cache")
        patch.start()
        self.addCleanup(patch.stop)


class StepTest(ImportTest):
    def test_the_unit_of_the_file_counts(self):
        """The same block written in inches and in millimetres is the same block."""
        for unit in ("MM", "INCH"):
            path = self.folder / f"block-{unit}.step"
            write_step(path, box((0, 0, 0), (60, 40, 20)), unit=unit)
            self.assertIn("INCH" if unit == "INCH" else "MILLI", path.read_text())
            found = import_model(path).models.part
            np.testing.assert_allclose(found.high - found.low, (60, 40, 20), atol=1e-4)

    def test_several_bodies_are_asked_about(self):
        path = self.folder / "pair.step"
        write_step(path, box((0, 0, 0), (60, 40, 20)), moved(box((0, 0, 0), (10, 10, 30)), (100, 0, 0)))
        with self.assertRaises(SeveralBodiesError) as caught:
            import_model(path)
        self.assertEqual(caught.exception.sizes, [(60, 40, 20), (10, 10, 30)])
        second = import_model(path, body=2).models.part
        np.testing.assert_allclose(second.high - second.low, (10, 10, 30), atol=1e-4)
        both = import_model(path, body=0).models.part
        self.assertAlmostEqual(both.solid.volume(), 60 * 40 * 20 + 10 * 10 * 30, places=2)
        self.assertIn("an assembly of 2 bodies", both.notes)
        with self.assertRaisesRegex(ModelFileError, "there is no body 3"):
            import_model(path, body=3)

    def test_a_plan_follows_at_once(self):
        path = self.folder / "trial_plate.step"
        write_step(path, trial_plate_shape())
        bare = import_model(path)
        self.assertEqual([setup.operations for setup in bare.job.setups], [()], "shown before its sides are planned")
        imported, cannot = plan_imported(bare, 120.0)
        plan = make_plan(imported.job, imported.models)
        self.assertEqual(cannot, "")
        self.assertEqual(imported.job.title, "Trial plate")
        self.assertEqual(plan.finished.solid.status().name, "NoError")
        self.assertIn("hole 1", [feature.name for feature in imported.job.part.features])
        self.assertFalse([f for f in findings_of(plan) if f.code in ("STOCK_TOO_SMALL", "FEATURE_NOT_REACHED")])

    def test_an_older_job_is_carried_over(self):
        path = self.folder / "housing.step"
        path.write_bytes((Path(part_models.__file__).parents[1] / "demo" / "float_housing.step").read_bytes() + b"\n")
        imported = import_model(path, keep=(demo(), models()))
        self.assertEqual(imported.report.lost, ())
        self.assertEqual(imported.job.setups, demo().setups)
        self.assertEqual(imported.job.part.model.path, "housing.step")
        np.testing.assert_allclose(imported.models.part.high, geometry().high)

    def test_what_is_no_model(self):
        for name, words in (("notes.txt", "is no model file"), ("gone.step", "does not exist")):
            if name == "notes.txt":
                (self.folder / name).write_text("words")
            with self.assertRaisesRegex(ModelFileError, words):
                import_model(self.folder / name)

    def test_too_far_from_its_zero(self):
        """Refused with the remedy, in the file's own unit too; up to there it is taken."""
        path = self.folder / "away.step"
        write_step(path, moved(box((0, 0, 0), (60, 40, 20)), (0, -10_001.0, 0)))
        with self.assertRaisesRegex(ModelFileError, "'away.step' reaches 10.0 m from .* move the part"):
            import_model(path)
        write_step(path, moved(box((0, 0, 0), (60, 40, 20)), (0, -9_990.0, 0)))
        self.assertAlmostEqual(import_model(path).models.part.high[1], -9_950.0, places=6)
        stl = self.folder / "away.stl"
        write_stl(stl, Mesh(100.0 * StlTest.MESH.vertices, StlTest.MESH.triangles))
        with self.assertRaisesRegex(ModelFileError, "check its length unit"):
            import_model(stl, unit="m")

    def test_progress_is_told_and_cancelling_works(self):
        path = self.folder / "block.step"
        write_step(path, box((0, 0, 0), (60, 40, 20)))
        told = []
        import_model(path, progress=lambda done, of: told.append((done, of)))
        self.assertTrue(told)
        self.assertTrue(all(0 <= done <= of for done, of in told))
        write_step(path, box((0, 0, 0), (61, 40, 20)))
        with self.assertRaises(part_models.CancelledError):
            import_model(path, cancelled=lambda: True)


class StlTest(ImportTest):
    MESH = trial_plate().coarse

    def test_features_in_any_unit(self):
        for unit, scale in (("mm", 1.0), ("in", 1 / 25.4), ("cm", 0.1)):
            path = self.folder / f"plate-{unit}.stl"
            write_stl(path, self.MESH, scale)
            imported = import_model(path, unit)
            np.testing.assert_allclose(imported.models.part.high, (120, 80, 25), atol=1e-3)
            holes = sorted(f.diameter for f in imported.job.part.features if f.kind == "hole")
            np.testing.assert_allclose(holes, (6, 8), atol=0.01)
            self.assertIn("watertight as it came", imported.models.part.notes)

    def test_a_gap_is_mended_and_said(self):
        path = self.folder / "gap.stl"
        write_stl(path, self.MESH, skip=1)
        notes = import_model(path).models.part.notes
        self.assertTrue(any("open edges closed" in note for note in notes), notes)

    def test_flipped_triangles_are_turned(self):
        path = self.folder / "flipped.stl"
        write_stl(path, self.MESH, flipped=range(0, 400, 3))
        part = import_model(path).models.part
        self.assertIn("mended: faces turned outward", part.notes)
        self.assertAlmostEqual(part.solid.volume() / trial_plate().solid.volume(), 1, delta=1e-5)

    def test_triangles_without_area_close_what_they_close(self):
        """Edges split on one side only, the split filled with a triangle of no area: closed, and read as such."""
        vertices, triangles = list(self.MESH.vertices), [list(t) for t in self.MESH.triangles]
        for k in range(0, 400, 20):
            a, b, c = triangles[k]
            middle = len(vertices)
            vertices.append((vertices[a] + vertices[b]) / 2.0)
            triangles[k] = [a, middle, c]
            triangles += [[middle, b, c], [b, middle, a]]
        path = self.folder / "split.stl"
        write_stl(path, Mesh(np.array(vertices), np.array([*triangles, [0, 0, 1]])))
        part = import_model(path).models.part
        self.assertAlmostEqual(part.solid.volume() / trial_plate().solid.volume(), 1, delta=1e-5)
        words = " ".join(part.notes)
        self.assertIn("1 triangles without a third corner dropped", words)
        self.assertRegex(words, r"\d+ triangles without area taken up by those beside them")

    def test_corners_a_little_apart_are_joined(self):
        """Each triangle's corners off by a ten-thousandth: sound, and said."""
        draw = np.random.default_rng(1)
        corners = self.MESH.vertices[self.MESH.triangles].reshape(-1, 3)
        corners = corners + draw.uniform(-5e-5, 5e-5, corners.shape)
        path = self.folder / "loose.stl"
        write_stl(path, Mesh(corners, np.arange(len(corners)).reshape(-1, 3)))
        part = import_model(path).models.part
        self.assertAlmostEqual(part.solid.volume() / trial_plate().solid.volume(), 1, delta=1e-4)
        self.assertTrue(any("apart joined" in note for note in part.notes), part.notes)

    def test_sizes_say_what_facets_allow(self):
        """A coarse rod Ø20 of 12 flats stands 10 (1 - cos 15°) inside of its round, and so it does where it tapers."""
        turns = np.arange(12) * np.pi / 6 + 0.3
        ring = np.column_stack([10 * np.cos(turns), 10 * np.sin(turns)])
        sides = [t for k in range(12) for t in ([k, (k + 1) % 12, 12 + (k + 1) % 12], [k, 12 + (k + 1) % 12, 12 + k])]
        ends = [t for k in range(1, 11) for t in ([0, k + 1, k], [12, 12 + k, 13 + k])]
        for name, share in (("rod", 1.0), ("taper", 0.4)):
            low, high = np.column_stack([ring, np.zeros(12)]), np.column_stack([share * ring, np.full(12, 30.0)])
            path = self.folder / f"{name}.stl"
            write_stl(path, Mesh(np.vstack([low, high]), np.array(sides + ends)))
            words = " ".join(spell(note, "mm") for note in import_model(path).models.part.notes)
            self.assertIn("its sizes are those of its facets; round faces stand up to 0.341 further out", words)

    def test_no_stl_at_all_is_said_in_our_words(self):
        path = self.folder / "words.stl"
        contents = (b"\0" * 84 + b"short", b"solid x\nfacet normal a b c\n", b"", b"a shopping list")
        for content in contents[: draws(2, 4)]:
            path.write_bytes(content)
            with self.assertRaisesRegex(ModelFileError, "'words.stl' (is not an STL file that can|holds no triangles)"):
                import_model(path)
        write_stl(path, Mesh(np.full((3, 3), np.nan), np.array([[0, 1, 2]])))
        with self.assertRaisesRegex(ModelFileError, "corners that are no numbers"):
            import_model(path)

    def test_what_cannot_be_mended_is_refused(self):
        path = self.folder / "half.stl"
        write_stl(path, self.MESH, skip=len(self.MESH.triangles) // 2)
        with self.assertRaisesRegex(ModelFileError, "not watertight|not a closed solid|gaps"):
            import_model(path)
        path.write_bytes(b"solid nothing\nendsolid nothing\n")
        with self.assertRaises(ModelFileError):
            import_model(path)
