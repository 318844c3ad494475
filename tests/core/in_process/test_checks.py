"""What must hold of in-process stock, on shapes that are hard on it; and that a violation is never a plan."""

from __future__ import annotations

import itertools
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from ledgecliff.core.blanks import transformed
from ledgecliff.core.cutting.cuts import Cut
from ledgecliff.core.errors import InternalError, PlanError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.in_process import states as states_module
from ledgecliff.core.in_process import stock as stock_module
from ledgecliff.core.in_process.checks import check_balance, check_cuts, check_part_is_left
from ledgecliff.core.in_process.stock import cut_setups
from ledgecliff.core.model.base import Size
from ledgecliff.core.model.operations import Face, Hole, Outline, Pocket, Seen
from ledgecliff.core.model.orientation import DIRECTIONS, Orientation, PartDirection
from ledgecliff.core.model.stock import BlockStock
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.solids.geometry import Freeform, PartGeometry
from ledgecliff.core.solids.meshes import mesh_of
from ledgecliff.store.outputs import write_programs, write_sheet
from tests.columns import lacking, places_over
from tests.corpus import corpus_part
from tests.hard_shapes import HARD, block, terrain
from tests.helpers import demo, models
from tests.jobs import block_job, feature, plan_of, setup


def part_of(solid, name) -> PartGeometry:
    """A part that is but triangles of one face."""
    mesh = mesh_of(solid)
    return PartGeometry(name, mesh, lambda: mesh, (Freeform(0.0),), np.zeros(len(mesh.triangles), dtype=np.int64))


def block_round(geometry, over=3.0) -> BlockStock:
    size = Size(**dict(zip("xyz", geometry.high - geometry.low + 2.0 * over, strict=True)))
    return BlockStock(material="brass", nominal=size, measured=size)


def right_of(up: PartDirection) -> PartDirection:
    return next(way for way in DIRECTIONS if way[1] != up[1] and way[0] == "+")


def cut_from(geometry, *sides):
    """The setups that cut a part from a block with everything seen from each side."""
    cuts = tuple(
        tuple(
            Cut(Orientation(up=up, right=right_of(up)), operation, ())
            for operation in (Face(name=f"face {up}", tool=1), Outline(name=f"outline {up}", tool=1),
                              Seen(name=f"seen {up}", tool=1))
        ) for up in sides
    )  # fmt: skip
    return cut_setups(block_round(geometry), geometry, None, cuts).cuttings


class ContainsTest(unittest.TestCase):
    def assert_contains(self, geometry, sides, label):
        """Column by column, after every operation: the part lies in the stock, the stock in what was there before."""
        states = [each.before(k) for each in cut_from(geometry, *sides) for k in range(4)]
        places = places_over(geometry.coarse, count=80)
        for state in states:
            self.assertLess(lacking(geometry.coarse, mesh_of(state.solid), places), 1e-5, label)
        for before, after in itertools.pairwise(states):
            self.assertLess(lacking(mesh_of(after.solid), mesh_of(before.solid), places), 1e-5, label)

    def test_hard_shapes(self):
        for name, make in HARD.items():
            self.assert_contains(part_of(make(), name), ("+Z", "-Z", "+X"), name)

    def test_terrains_by_lot(self):
        for lot in range(8):
            self.assert_contains(part_of(terrain(lot), f"terrain {lot}"), ("+Z", "-X", "+Y"), f"lot {lot}")

    def test_parts_of_a_shop(self):
        for name in ("grooved block", "wedge block", "lever", "ported housing"):
            self.assert_contains(corpus_part(name), ("-Z", "+Z", "+Y"), name)


class PocketTest(unittest.TestCase):
    def test_a_window_with_a_ledge_keeps_its_ledge(self):
        """A pocket right through whose ring is narrower below: cut from above it must not take the ledge."""
        geometry = part_of(
            block((0, 0, 0), (60, 40, 20)) - block((10, 10, 12), (50, 30, 21)) - block((20, 15, -1), (40, 25, 13)), "w"
        )
        window = feature("window", "pocket", (30, 20, 0), length=40, width=20, depth=20, through=True, lengthwise="+X")
        one = Cut(Orientation(), Pocket(name="window", tool=1, on="window"), (window,))
        stock = block_round(geometry, over=0.0)
        (cutting,) = cut_setups(stock, geometry, None, ((one,),)).cuttings
        self.assertAlmostEqual(cutting.after(0).volume, 60 * 40 * 20 - 40 * 20 * 8 - 20 * 10 * 12, places=4)


class CheckTest(unittest.TestCase):
    """The checks are made to fire, and name the operation."""

    PART = block((0, 0, 0), (10, 10, 10))

    def cut(self, name, operation=Seen):
        more = {"on": "hole"} if operation is Hole else {}
        return Cut(Orientation(), operation(name=name, tool=1, **more), ())

    def test_what_takes_part_is_named(self):
        stock = block((-5, -5, -5), (15, 15, 15))
        first, second = block((-5, -5, 10), (15, 15, 15)), block((-5, -5, 9), (15, 15, 10))
        states = [stock, stock - first, stock - first - second]
        with self.assertRaisesRegex(InternalError, r"operation 'second': the stock it leaves lacks 100 mm³ of the"):
            check_cuts([self.cut("first"), self.cut("second")], states, [first, second], self.PART)
        check_cuts([self.cut("first")], states[:2], [first], self.PART)

    def test_an_operation_that_states_its_shape_takes_what_it_states(self):
        """A hole through the part is the job's own doing, told by a finding; what it did not state is an error."""
        stock = block((-5, -5, -5), (15, 15, 15))
        hole = block((4, 4, -5), (6, 6, 15))
        check_cuts([self.cut("drill", Hole)], [stock, stock - hole], [hole], self.PART)
        with self.assertRaisesRegex(InternalError, "operation 'drill'"):
            more = hole + block((0, 0, 9), (2, 2, 15))
            check_cuts([self.cut("drill", Hole)], [stock, stock - more], [hole], self.PART)

    def test_volumes_that_do_not_balance_are_named(self):
        stock = block((-5, -5, -5), (15, 15, 15))
        top = block((-5, -5, 10), (15, 15, 15))
        with self.assertRaisesRegex(InternalError, r"operation 'face': 8000 mm³ were there, 2000 are removed and 7000"):
            check_cuts([self.cut("face", Face)], [stock, stock - block((-5, -5, 12.5), (15, 15, 15))], [top], self.PART)

    def test_a_library_that_answers_wrongly_gives_no_plan(self):
        """A region that runs into the part, as if from a wrong boolean: the whole plan is refused, with the name."""
        right = stock_module.region

        def wrong(low, high, mesh, geometry, one):
            made = right(low, high, mesh, geometry, one)
            if one.operation.name == demo().setups[0].operations[1].name:
                return made + block((40, 20, 10), (60, 40, 60))
            return made

        stock_module._setup_cut.cache_clear()
        stock_module._region_of.cache_clear()
        stock_module._cut_off.cache_clear()
        self.addCleanup(stock_module._region_of.cache_clear)
        self.addCleanup(stock_module._cut_off.cache_clear)
        name = demo().setups[0].operations[1].name
        with (
            mock.patch.object(stock_module, "region", wrong),
            self.assertRaisesRegex(PlanError, f"Internal error in operation '{name}': .*No plan is shown"),
        ):
            make_plan(demo(), models())


class OfTheBlankTest(unittest.TestCase):
    """What is kept of any blank is right, and only its share in this one comes out wrong."""

    CHUNK = block((10, 10, 5), (20, 20, 10))

    def job(self):
        return block_job(setup(Face(name="face top", tool=1)), stock=(60, 40, 26))

    def spoil(self, *, taken: bool) -> None:
        """What is left lacks a piece of the part; with ``taken`` the cut is said to have taken it, so that it
        balances."""
        right_within, right_shared = states_module._within, states_module._shared

        def within(start, kept):
            made = right_within(start, kept)
            return made if kept.is_envelope else made.less(made.solid - self.CHUNK)

        def shared(start, solid):
            return right_shared(start, solid) + self.CHUNK if taken else right_shared(start, solid)

        for name, wrong in (("_within", within), ("_shared", shared)):
            patch = mock.patch.object(states_module, name, wrong)
            patch.start()
            self.addCleanup(patch.stop)
        for check in (check_balance, check_part_is_left):
            check.cache_clear()
            self.addCleanup(check.cache_clear)

    def test_what_does_not_balance_gives_no_plan(self):
        self.spoil(taken=False)
        with self.assertRaisesRegex(InternalError, r"operation 'face top': .* are removed and"):
            plan_of(self.job())

    def test_what_balances_and_lacks_some_of_the_part_goes_nowhere(self):
        """Nothing is found of it, and nothing is rehearsed or written."""
        self.spoil(taken=True)
        plan = plan_of(self.job())
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        out = Path(folder.name) / "out"
        for ask in (
            lambda: findings_of(plan),
            lambda: written_plan(plan),
            lambda: write_programs(plan, out),
            lambda: write_sheet(plan, out / "sheet.html"),
        ):
            with self.assertRaisesRegex(InternalError, r"operation 'face top': the stock it leaves lacks 500 mm³ of"):
                ask()
        self.assertFalse(out.exists())

    def test_a_sound_plan_is_handed_over(self):
        plan = plan_of(self.job())
        plan.check_part_is_left()
        self.assertIsInstance(findings_of(plan), tuple)


class BatchTest(unittest.TestCase):
    """Cuts in places of their own are worked out in a run: the same as one after the other."""

    def test_a_run_of_cuts_that_meet_agrees_with_one_by_one(self):
        features = (
            feature("wide", "hole", (20, 20, 20), diameter=16, depth=6),
            feature("deep", "hole", (26, 20, 20), diameter=10, depth=12),
            feature("through", "hole", (24, 24, 20), diameter=8, through=True),
            feature("slot", "pocket", (35, 20, 14), length=30, width=10, depth=6, radius=3, lengthwise="+X"),
            feature("apart", "hole", (50, 32, 20), diameter=5, depth=9),
        )
        operations = tuple(
            (Pocket if each.kind == "pocket" else Hole)(name=f"make {each.name}", tool=1, on=each.name)
            for each in features
        )
        plan = plan_of(block_job(setup(*operations), features=features))
        cutting = plan.setups[0].cutting
        solid = cutting.before(0).solid
        for k, one in enumerate(plan.setups[0].cuts):
            corners = np.array(solid.bounding_box()).reshape(2, 3)
            taking = stock_module.region(*corners, plan.geometry.coarse, plan.geometry, one)
            taking = transformed(taking, np.eye(3))
            self.assertAlmostEqual(float((solid ^ taking).volume()), float(cutting.removed(k).volume()), places=5)
            solid = solid - taking
            self.assertAlmostEqual(float(solid.volume()), cutting.after(k).volume, places=5)
            self.assertAlmostEqual(float((solid - cutting.after(k).solid).volume()), 0.0, places=5)
