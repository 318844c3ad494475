"""What the kernel is asked of a shape: exact sizes, what faces really are, and a mesh as closed as the shape."""

from __future__ import annotations

import math
import unittest
from unittest import mock

import numpy as np
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeSolid,
    BRepBuilderAPI_NurbsConvert,
    BRepBuilderAPI_Sewing,
    BRepBuilderAPI_Transform,
)
from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere, BRepPrimAPI_MakeTorus
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Quaternion, gp_Trsf
from OCP.TopAbs import TopAbs_FACE, TopAbs_SHELL
from OCP.TopoDS import TopoDS
from scipy.spatial.transform import Rotation

from ledgecliff.core.datums import place_wcs
from ledgecliff.core.drawing.items import Dimension
from ledgecliff.core.drawing.part_views import part_views
from ledgecliff.core.errors import ModelFileError
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.part import ModelReference
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.new_job import first_plan, job_for_model
from ledgecliff.core.plan import make_plan
from ledgecliff.core.recognition.recognise import recognise
from ledgecliff.core.solids import kernel
from ledgecliff.core.solids.geometry import Cone, Cylinder, Freeform, Models, Plane
from ledgecliff.core.solids.kernel_mesh import explore, meshed
from ledgecliff.core.solids.meshes import Mesh, is_closed
from ledgecliff.store.shop import shipped_shop
from tests.corpus import CORPUS, corpus_part
from tests.models import box, cone, cylinder, geometry_from, less, moved, plus, turned


def skewed(shape, turn: Rotation, scale=1.0):
    move = gp_Trsf()
    x, y, z, w = turn.as_quat()
    move.SetRotation(gp_Quaternion(x, y, z, w))
    if scale != 1.0:
        size = gp_Trsf()
        size.SetScale(gp_Pnt(0, 0, 0), scale)
        move = move.Multiplied(size)
    return BRepBuilderAPI_Transform(shape, move, True).Shape()


class ExtentTest(unittest.TestCase):
    """Sizes are those of the surfaces; the expected ones follow from the shape's own equation."""

    def test_a_lever_ends_where_its_round_does(self):
        low, high = corpus_part("lever").low, corpus_part("lever").high
        np.testing.assert_allclose([low, high], [(-18, -18, 0), (93, 18, 18)], atol=1e-6)
        self.assertLess(corpus_part("round ended plate").facet_corners[1][0] - 0.001, 45.0)
        np.testing.assert_allclose(corpus_part("round ended plate").low, (-45, -20, 0), atol=1e-6)

    def test_cylinders_in_any_turn_and_size(self):
        """Along an axis a cylinder reaches |d| L/2 + r sqrt(1 - d²) from its middle, d the axis' own share."""
        for k in range(12):
            turn, scale = Rotation.random(random_state=k), (1.0, 25.4, 0.02)[k % 3]
            part = geometry_from(skewed(cylinder((0, 0, -15), 24, 30), turn, scale), f"rod {k}")
            d = turn.apply((0, 0, 1))
            half = scale * (np.abs(d) * 15.0 + 12.0 * np.sqrt(1.0 - d**2))
            np.testing.assert_allclose([part.low, part.high], [-half, half], atol=2e-6 * max(scale, 1.0))

    def test_balls_and_tori_in_any_turn(self):
        """A torus reaches R sqrt(1 - d²) + r along an axis."""
        axes = gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))
        for k in range(6):
            turn = Rotation.random(random_state=k)
            ring = geometry_from(skewed(BRepPrimAPI_MakeTorus(axes, 30.0, 7.0).Shape(), turn), f"torus {k}")
            half = 30.0 * np.sqrt(1.0 - turn.apply((0, 0, 1)) ** 2) + 7.0
            np.testing.assert_allclose([ring.low, ring.high], [-half, half], atol=1e-4)
        ball = geometry_from(BRepPrimAPI_MakeSphere(axes, 12.5).Shape(), "ball")
        np.testing.assert_allclose([ball.low, ball.high], [(-12.5,) * 3, (12.5,) * 3], atol=1e-5)

    def test_spline_faces_too(self):
        shape = BRepBuilderAPI_NurbsConvert(skewed(CORPUS["lever"](), Rotation.random(random_state=3)), True).Shape()
        stated = geometry_from(skewed(CORPUS["lever"](), Rotation.random(random_state=3)), "stated")
        spline = geometry_from(shape, "spline")
        np.testing.assert_allclose([spline.low, spline.high], [stated.low, stated.high], atol=1e-4)


class CanonicalTest(unittest.TestCase):
    """Splines that are planes, cylinders and cones are read as those, with how far they stand off."""

    def same(self, a, b):
        key = {Plane: lambda f: (0, *np.round(f.normal, 4) + 0.0, round(f.offset, 4) + 0.0, round(f.area)),
               Cylinder: lambda f: (1, round(f.radius, 4), f.inside, round(f.sweep_deg), round(f.end - f.start, 2)),
               Cone: lambda f: (2, round(abs(f.start_radius - f.end_radius), 3), f.inside, round(f.sweep_deg)),
               Freeform: lambda f: (3, f.kind, round(f.area))}  # fmt: skip
        for part in (a, b):
            for face in part.faces:
                self.assertLess(face.residual, 1e-6)
        self.assertEqual(*(sorted(str(key[type(f)](f)) for f in part.faces) for part in (a, b)))

    def test_every_face_of_a_part_written_as_splines(self):
        for name in ("countersunk strip", "lever", "rounded shell", "wedge block", "domed block", "ear bracket"):
            spline = geometry_from(BRepBuilderAPI_NurbsConvert(CORPUS[name](), True).Shape(), f"spline {name}")
            self.same(corpus_part(name), spline)
            self.assertTrue(any("recognised as" in note for note in spline.notes), spline.notes)
            found = [sorted((f.kind, round(f.diameter or 0, 3)) for f in recognise(part))
                     for part in (corpus_part(name), spline)]  # fmt: skip
            self.assertEqual(*found)

    def test_turned_out_of_square_and_half_rounds(self):
        half = less(cylinder((0, 0, 0), 40, 20), box((-30, -30, -1), (0, 30, 30)), cone((0, 0, 12), 10, 26, 8))
        for k in range(3):
            shape = skewed(half, Rotation.random(random_state=k))
            self.same(
                geometry_from(shape, "stated"), geometry_from(BRepBuilderAPI_NurbsConvert(shape, True).Shape(), "s")
            )

    def test_a_wavy_face_stays_what_it_is(self):
        """0.05 of wave is no plane; the import says that one face is none, and of what kind."""
        wavy = geometry_from(_wavy_block(0.05), "wavy")
        self.assertEqual([face.kind for face in wavy.faces if isinstance(face, Freeform)], ["spline"])
        self.assertIn("1 of 6 faces are no planes, cylinders or cones: 1 spline", wavy.notes)

    def test_what_is_nearly_a_plane_says_by_how_much(self):
        """0.002 of wave is a plane within 0.002, and said to be."""
        nearly = geometry_from(_wavy_block(0.002), "nearly")
        (face,) = [f for f in nearly.faces if getattr(f, "was_spline", False)]
        self.assertIsInstance(face, Plane)
        self.assertAlmostEqual(face.residual, 0.001, delta=0.0012)
        self.assertGreater(face.residual, 1e-4)
        self.assertTrue(
            any("1 spline face recognised as 1 plane, within" in note for note in nearly.notes), nearly.notes
        )


def _wavy_block(height: float):
    """A block 40 x 30 x 10 whose top is a spline through a wave of this height."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeHalfSpace
    from OCP.collections import Array2_gp_Pnt
    from OCP.GeomAPI import GeomAPI_PointsToBSplineSurface

    points = Array2_gp_Pnt(1, 9, 1, 7)
    for i in range(9):
        for j in range(7):
            x, y = -5.0 + 50.0 * i / 8.0, -5.0 + 40.0 * j / 6.0
            points.SetValue(i + 1, j + 1, gp_Pnt(x, y, 10.0 + height * math.sin(1.1 * i) * math.cos(0.9 * j) / 2.0))
    surface = GeomAPI_PointsToBSplineSurface(points).Surface()
    face = BRepBuilderAPI_MakeFace(surface, 1e-6).Face()
    above = BRepPrimAPI_MakeHalfSpace(face, gp_Pnt(20.0, 15.0, 50.0)).Solid()
    return less(box((0, 0, 0), (40, 30, 20)), above)


class WeldTest(unittest.TestCase):
    def test_a_sewn_shape_with_gaps_is_closed(self):
        """Faces that meet with a gap, sewn to one solid, share edges; by the places of their corners they do not."""
        shape = CORPUS["flange"]()
        sewing = BRepBuilderAPI_Sewing(2e-3)
        for k, face in enumerate(explore(shape, TopAbs_FACE)):
            sewing.Add(moved(face, (4e-4 * math.sin(k), 3e-4 * math.cos(2.0 * k), 2e-4 * (k % 3))))
        sewing.Perform()
        (shell,) = explore(sewing.SewedShape(), TopAbs_SHELL)
        sewn = BRepBuilderAPI_MakeSolid(TopoDS.Shell(shell)).Solid()
        part = geometry_from(sewn, "sewn")
        self.assertTrue(is_closed(part.coarse.triangles))
        self.assertAlmostEqual(
            float(part.solid.volume()) / float(corpus_part("flange").solid.volume()), 1.0, delta=1e-4
        )

    def test_a_file_is_blamed_only_when_it_is_at_fault(self):
        """An open shell called a solid has gaps of its own; a closed one that cannot be triangulated has not."""
        faces = explore(box((0, 0, 0), (10, 10, 10)), TopAbs_FACE)
        sewing = BRepBuilderAPI_Sewing(1e-6)
        for face in faces[:-1]:
            sewing.Add(face)
        sewing.Perform()
        (shell,) = explore(sewing.SewedShape(), TopAbs_SHELL)
        with self.assertRaisesRegex(ModelFileError, "its faces leave gaps"):
            geometry_from(BRepBuilderAPI_MakeSolid(TopoDS.Shell(shell)).Solid(), "open")
        torn = corpus_part("plain plate").coarse
        gap = (Mesh(torn.vertices, torn.triangles[1:]), np.zeros(11, dtype=np.int64))
        with (
            mock.patch.object(kernel, "meshed", return_value=gap),
            self.assertRaisesRegex(ModelFileError, "is a closed solid, but the CAD kernel could not triangulate it"),
        ):
            geometry_from(box((0, 0, 0), (10, 10, 10)), "closed")

    def test_a_finer_mesh_is_tried_where_one_has_gaps(self):
        shape, made = box((0, 0, 0), (10, 10, 10)), []
        real = kernel.meshed

        def torn_at_first(body, faces, deflection, angle):
            mesh, owner = real(body, faces, deflection, angle)
            made.append(deflection)
            return (Mesh(mesh.vertices, mesh.triangles[1:]), owner[1:]) if len(made) == 1 else (mesh, owner)

        with mock.patch.object(kernel, "meshed", torn_at_first):
            self.assertAlmostEqual(float(geometry_from(shape, "at second").solid.volume()), 1000.0, places=6)
        self.assertLess(made[1], made[0])

    def test_closed_at_poles_tips_and_seams(self):
        axes = gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))
        for name, shape, volume in (
            ("ball", BRepPrimAPI_MakeSphere(axes, 10.0).Shape(), 4.0 / 3.0 * math.pi * 1000.0),
            ("tip", cone((0, 0, 0), 20, 0, 15), math.pi * 100.0 * 15.0 / 3.0),
            ("torus", BRepPrimAPI_MakeTorus(axes, 20.0, 5.0).Shape(), 2.0 * math.pi**2 * 20.0 * 25.0),
            ("two in one edge", plus(box((0, 0, 0), (20, 20, 5)), cylinder((10, 10, 5), 8, 4)), 2000 + math.pi * 64),
        ):
            mesh, owner = meshed(shape, [TopoDS.Face(face) for face in explore(shape, TopAbs_FACE)], 0.002, 0.1)
            self.assertTrue(is_closed(mesh.triangles), name)
            self.assertEqual(len(owner), len(mesh.triangles))
            self.assertAlmostEqual(float(mesh.solid().volume()) / volume, 1.0, delta=2e-3, msg=name)

    def test_hundreds_of_small_faces(self):
        """A casting-like block with many small rounds: sound, and read as such."""
        body = box((0, 0, 0), (60, 40, 20))
        for k in range(12):
            body = less(body, turned(box((5 + 4 * k, 4, 16), (7 + 4 * k, 36, 30)), (0, 0, 1), 1e-6 * k))
        part = geometry_from(body, "ribs")
        self.assertTrue(is_closed(part.coarse.triangles))
        self.assertAlmostEqual(float(part.solid.volume()), 60 * 40 * 20 - 12 * 2 * 32 * 4, delta=0.01)


class ShownSizesTest(unittest.TestCase):
    """What is shown and set up from a round part is its true size, through setups, jaws and drawings."""

    def test_a_disc_turned_over_is_as_wide_as_it_is(self):
        geometry = corpus_part("disc")
        shop = shipped_shop()
        job = job_for_model(
            ModelReference(path="disc.step", sha256="0" * 64), geometry, "disc", shop, derived_id("disc")
        )
        plan = make_plan(first_plan(job, Models(geometry), shop).job, Models(geometry))
        second = plan.setups[1].holding
        self.assertEqual(second.hold.jaws.kind, "soft")
        self.assertAlmostEqual(second.opening, 80.0, places=6)
        self.assertLess(geometry.facet_corners[1][1], 39.995)
        sizes = [item.mm for view in part_views(plan, "") for item in view.items if isinstance(item, Dimension)]
        np.testing.assert_allclose(sorted(sizes), (20, 80, 80), atol=1e-6)
        rows = {found.name: (found.length, found.width) for found in recognise(geometry)}
        np.testing.assert_allclose(rows["face +Z"], (80, 80), atol=1e-6)

    def test_a_round_end_gives_a_zero_where_it_is(self):
        """A zero on the lever's round end: the end reads nought, and the far boss what the drawing says."""
        geometry = corpus_part("lever")
        shop = shipped_shop()
        job = job_for_model(
            ModelReference(path="lever.step", sha256="0" * 64), geometry, "lever", shop, derived_id("lever")
        )
        first = make_plan(job, Models(geometry)).setups[0]
        end = AxisDatum(source="part minus side")
        wcs = place_wcs(Datum(x=end, y=end, z=AxisDatum(source="stock top")), first.holding, ())
        np.testing.assert_allclose(wcs.reads((-18.0, -18.0, 0.0))[:2], (0, 0), atol=1e-6)
        np.testing.assert_allclose(wcs.reads((80.0, 0.0, 0.0))[:2], (98, 18), atol=1e-6)
