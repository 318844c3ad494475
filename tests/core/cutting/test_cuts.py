"""What each kind of operation takes, against volumes worked out by hand; parts entered by dimensions."""

from __future__ import annotations

import math
import unittest

import manifold3d
import numpy as np

from ledgecliff.core.blanks import box, transformed
from ledgecliff.core.cutting.cuts import Cut, below, can_cut, cut_floor, into_part, region, split, states_its_shape
from ledgecliff.core.cutting.views import view_of
from ledgecliff.core.model.operations import Bore, EdgeBreak, Face, Hole, Outline, Pocket, Region, Seen, Slot
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.stations import AxisTurn
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.registration.removed import piece_area
from ledgecliff.core.solids.geometry import COARSE_DEFLECTION
from tests.jobs import block_job, feature, plan_of, setup
from tests.turn_jobs import ring_plan

HOLE = feature("hole", "hole", (20, 20, 20), diameter=8, depth=12)
THROUGH = feature("through", "hole", (45, 20, 20), diameter=6, through=True)
#: How deep it goes is not stated.
DEEP = feature("deep", "hole", (10, 30, 20), diameter=3)
POCKET = feature("pocket", "pocket", (30, 20, 12), length=20, width=16, depth=8, radius=3, lengthwise="+X")
SLOT = feature("slot", "slot", (30, 20, 20), length=60, width=10, depth=5, lengthwise="+X")
BREAK = feature("break", "edge break", (20, 20, 20), diameter=10, depth=1)


def ngon(radius, corners=16):
    """Area of a regular polygon on a circle: what a hole's coarse facets enclose."""
    return corners / 2 * radius**2 * math.sin(2 * math.pi / corners)


def taken(*operations, features=(), stock=(60, 40, 20), up="+Z", **more):
    """Volume that the last of ``operations`` takes."""
    plan = plan_of(block_job(setup(*operations, up=up), features=features, stock=stock, **more))
    return plan.setups[0].cutting.removed(len(operations) - 1).volume()


class HoleTest(unittest.TestCase):
    def test_blind_hole_with_and_without_the_drills_point(self):
        flat = taken(Hole(name="h", tool=3, on="hole"), features=(HOLE,))
        self.assertAlmostEqual(flat, ngon(4) * 12, places=3)
        pointed = taken(Hole(name="h", tool=3, on="hole", point=2.4), features=(HOLE,))
        self.assertAlmostEqual((pointed - flat) / (math.pi * 16 * 2.4 / 3), 1, delta=2e-3)

    def test_through_hole_goes_through_part_and_beyond(self):
        exact = taken(Hole(name="h", tool=3, on="through"), features=(THROUGH,), stock=(60, 40, 26))
        self.assertAlmostEqual(exact, ngon(3) * 23, places=3)  # 3 above and the part's 20
        beyond = taken(Hole(name="h", tool=3, on="through", beyond=2), features=(THROUGH,), stock=(60, 40, 26))
        self.assertAlmostEqual(beyond - exact, ngon(3) * 2, places=3)

    def test_a_through_hole_is_the_same_from_below(self):
        above = taken(Hole(name="h", tool=3, on="through"), features=(THROUGH,))
        below = taken(Hole(name="h", tool=3, on="through"), features=(THROUGH,), up="-Z")
        self.assertAlmostEqual(above, below, places=3)

    def test_a_blind_hole_cannot_be_made_from_below(self):
        self.assertEqual(taken(Hole(name="h", tool=3, on="hole"), features=(HOLE,), up="-Z"), 0)


class FloorTest(unittest.TestCase):
    """How low each operation sends its tool: a block 20 high in stock of 26."""

    def floor(self, operation, **more):
        plan = plan_of(
            block_job(setup(operation), features=(HOLE, THROUGH, DEEP, POCKET, SLOT), stock=(60, 40, 26), **more)
        )
        one = plan.setups[0]
        return cut_floor(one.geometry, one.cuts[0], float(one.before.u_corners(one.setup.orientation)[0][2]))

    def test_each_operation(self):
        bottom = 0.0
        for operation, expected in (
            (Face(name="f", tool=1, leave=0.25), 20.25),
            (Outline(name="o", tool=1, below=1.5), bottom - 1.5),
            (Seen(name="s", tool=1, below=-4.0), bottom + 4.0),
            (Hole(name="h", tool=3, on="hole", point=2.4), 20 - 12 - 2.4),
            (Hole(name="h", tool=3, on="hole", beyond=0.7, point=2.4), 20 - 12 - 0.7 - 2.4),
            (Hole(name="h", tool=3, on="through", point=2.4), bottom - 2.4),
            (Hole(name="h", tool=3, on="through", beyond=2, point=1.8), bottom - 2 - 1.8),
            (Pocket(name="p", tool=3, on="pocket"), 12.0),
            (Slot(name="t", tool=3, on="slot"), 15.0),
            (Hole(name="h", tool=3, on="deep", beyond=1.0), bottom - 1.0),
            (Region(name="r", tool=3, left=0, right=10, front=0, back=10, depth=6.0), 14.0),
        ):
            with self.subTest(operation.name, operation=operation):
                self.assertAlmostEqual(self.floor(operation), expected)

    def test_a_bore_and_pins_count_from_under_the_stock(self):
        """The bore goes through whatever the stock is high; pins stand in what lies under it."""
        bored = Bore(name="b", tool=3, on="through", beyond=0.5)
        self.assertAlmostEqual(self.floor(bored), self.stock_bottom() - 0.5)
        ring = ring_plan("on-pins")
        setup_plan = ring.setups[0]
        k, pins = next((k, o) for k, o in enumerate(setup_plan.setup.operations) if o.removes == "pin bores")
        low = float(setup_plan.before.u_corners(setup_plan.setup.orientation)[0][2])
        self.assertAlmostEqual(cut_floor(setup_plan.geometry, setup_plan.cuts[k], low), low - pins.into_board)

    def test_a_cut_ends_well_over_the_stock_and_what_goes_through_well_below(self):
        """So that no face of the one lies in a face of the other: of every kind of operation."""
        for job_plan in (ring_plan("on-pins"), ring_plan("in-a-frame")):
            for one in job_plan.setups:
                low, high = one.before.u_corners(one.setup.orientation)
                for cut in one.cuts:
                    made = region(low, high, one.geometry.coarse, one.geometry, cut)
                    ends = np.array(made.bounding_box()).reshape(2, 3)
                    with self.subTest(setup=one.setup.name, operation=cut.operation.name):
                        self.assertGreater(ends[1][2], high[2] + 1.0)
                        if cut.operation.removes == "pin bores":
                            self.assertAlmostEqual(ends[0][2], low[2] - cut.operation.into_board)
        one = plan_of(block_job(setup(Bore(name="b", tool=3, on="through", beyond=0.5)), features=(THROUGH,))).setups[0]
        low, high = one.before.u_corners(one.setup.orientation)
        ends = region(low, high, one.geometry.coarse, one.geometry, one.cuts[0]).bounding_box()
        self.assertAlmostEqual(ends[2], low[2] - 0.5)
        self.assertGreater(ends[5], high[2] + 1.0)

    def test_an_edge_is_broken_from_above_if_ever_so_little(self):
        """What looks up by a hundredth can be reached, what is level or looks down cannot."""
        level = feature("edge", "chamfer", (60, 20, 10), "+X", length=40, width=1, lengthwise="+Y")
        for degrees, reached in ((-0.65, True), (-0.5, False), (0.0, False), (0.65, False), (-45.0, True)):
            lies = Orientation(tilted=(AxisTurn(about="y", degrees=degrees),) if degrees else ())
            self.assertIs(can_cut(EdgeBreak(name="e", tool=3, on=("edge",)), (level,), lies), reached, degrees)

    def stock_bottom(self):
        one = plan_of(block_job(setup(), features=(HOLE, THROUGH), stock=(60, 40, 26))).setups[0]
        return float(one.before.u_corners(one.setup.orientation)[0][2])


class IntoPartTest(unittest.TestCase):
    """Only what states its own shape can cut into the part, and a facet's depth is no cut."""

    def into(self, operation, features):
        one = plan_of(block_job(setup(operation), features=features, stock=(60, 40, 20))).setups[0]
        return into_part(one.geometry, one.cuts[0], one.cutting.removed(0))

    def test_a_hole_deeper_than_the_parts_own(self):
        """Two deeper, less a facet's depth all round, above and below."""
        loss = 1.2 * COARSE_DEFLECTION
        found = self.into(Hole(name="h", tool=3, on="hole", beyond=2.0), (HOLE,))
        self.assertAlmostEqual(found / (math.pi * (4 - loss) ** 2 * (2 - 2 * loss)), 1.0, delta=0.06)
        self.assertEqual(self.into(Hole(name="h", tool=3, on="hole"), (HOLE,)), 0.0)

    def test_what_is_thinner_than_a_facets_depth_on_both_sides_is_none(self):
        """A plate deep in the part, thin along each axis in turn: it loses that depth on all of its sides."""
        whole = plan_of(block_job(setup(), features=(HOLE,), stock=(60, 40, 20))).setups[0]
        one = Cut(whole.setup.orientation, Hole(name="h", tool=3, on="hole"), (HOLE,))
        loss = 2.0 * 1.2 * COARSE_DEFLECTION
        for axis in range(3):
            for thick in (0.15, 0.3):
                size = np.full(3, 10.0)
                size[axis] = thick
                plate = box((35.0, 10.0, 3.0), tuple(np.array((35.0, 10.0, 3.0)) + size))
                expected = max(thick - loss, 0.0) * (10.0 - loss) ** 2
                self.assertAlmostEqual(into_part(whole.geometry, one, plate), expected, places=6)

    def test_a_setup_that_does_not_lie_square_cuts_the_same(self):
        """Turned about the spindle's axis a drill with its point takes what it takes lying square."""
        drill = Hole(name="h", tool=3, on="hole", beyond=2.0, point=1.5)
        square = setup(drill)
        taken = []
        for turns in ((), (AxisTurn(about="z", degrees=45.0),), (AxisTurn(about="z", degrees=-33.0),)):
            lying = square.model_copy(update={"orientation": square.orientation.model_copy(update={"tilted": turns})})
            one = plan_of(block_job(lying, features=(HOLE,), stock=(60, 40, 20))).setups[0]
            removed = one.cutting.removed(0)
            low, high = one.orient(removed)
            taken.append((removed.volume(), into_part(one.geometry, one.cuts[0], removed), float((high - low)[0])))
        for volume, lost, across in taken:
            self.assertAlmostEqual(volume, taken[0][0], delta=0.02 * taken[0][0])
            self.assertAlmostEqual(lost, taken[0][1], delta=0.1 * taken[0][1])
            self.assertAlmostEqual(across, taken[0][2], delta=0.1)
        self.assertGreater(taken[0][1], 0.0)

    def test_a_face_that_does_not_lie_square_is_cut_to_its_ends(self):
        """What a face or an outline takes of a stock larger all round is the same, however it is turned about Z."""
        for operation in (Face(name="f", tool=1), Outline(name="o", tool=1)):
            volumes = []
            for degrees in (0.0, 45.0, -72.0):
                square = setup(operation)
                lying = square.orientation.model_copy(update={"tilted": (AxisTurn(about="z", degrees=degrees),)})
                one = plan_of(
                    block_job(square.model_copy(update={"orientation": lying}), features=(HOLE,), stock=(70, 50, 26))
                ).setups[0]
                volumes.append(one.cutting.removed(0).volume())
            with self.subTest(operation=operation.name):
                self.assertGreater(volumes[0], 1000.0)
                np.testing.assert_allclose(volumes, volumes[0], rtol=1e-3)

    def test_a_drills_point_is_stated_and_no_cut_into_the_part(self):
        self.assertEqual(self.into(Hole(name="h", tool=3, on="hole", point=2.4), (HOLE,)), 0.0)
        flat = self.into(Hole(name="h", tool=3, on="hole", beyond=2.0), (HOLE,))
        pointed = self.into(Hole(name="h", tool=3, on="hole", beyond=2.0, point=2.4), (HOLE,))
        self.assertAlmostEqual(pointed, flat, delta=0.02 * flat)

    def test_a_bore_that_goes_through_what_ends_in_the_part(self):
        """The lower 8 of the block, where the hole ends 12 deep."""
        loss = 1.2 * COARSE_DEFLECTION
        found = self.into(Bore(name="b", tool=3, on="hole"), (HOLE,))
        self.assertAlmostEqual(found / (math.pi * (4 - loss) ** 2 * (8 - 2 * loss)), 1.0, delta=0.06)
        self.assertEqual(self.into(Bore(name="b", tool=3, on="through"), (THROUGH,)), 0.0)

    def test_all_others_leave_what_is_part(self):
        for operation in (Pocket(name="p", tool=3, on="pocket"), Seen(name="s", tool=1, below=-4.0)):
            self.assertFalse(states_its_shape(operation))
            self.assertEqual(self.into(operation, (POCKET,)), 0.0)
        whole = plan_of(block_job(setup(), stock=(60, 40, 20))).setups[0]
        one = Cut(whole.setup.orientation, Pocket(name="p", tool=3, on="pocket"), (POCKET,))
        self.assertEqual(into_part(whole.geometry, one, whole.geometry.solid), 0.0, "whatever it took")


class WhereItStandsTest(unittest.TestCase):
    def test_all_seen_above_a_height_and_below_the_part(self):
        """Stock 64 x 44 round a block 60 x 40 x 20: all round it, down to 4 over its underside or right down."""
        ring = 64 * 44 - 60 * 40
        for under, high in ((-4.0, 16.0), (0.0, 20.0)):
            volume = taken(Seen(name="s", tool=1, below=under), stock=(64, 44, 20))
            self.assertAlmostEqual(volume, ring * high, places=3)

    def test_below_a_height(self):
        block = box((0, 0, 0), (10, 10, 10))
        self.assertAlmostEqual(below(block, 3.0).volume(), 300.0)
        self.assertAlmostEqual(below(block.translate((0, 0, -20)), -12.0).volume(), 800.0)

    def test_which_way_a_feature_opens_decides_what_can_be_cut(self):
        up, over = Orientation(), Orientation(up="-Z", right="+X")
        pocket_through = POCKET.model_copy(update={"through": True})
        for operation, features, from_above, from_below in (
            (Hole(name="h", tool=3, on="hole"), (HOLE,), True, False),
            (Hole(name="h", tool=3, on="through"), (THROUGH,), True, True),
            (Bore(name="b", tool=3, on="hole"), (HOLE,), True, True),
            (Bore(name="b", tool=3, on="slot"), (SLOT,), False, False),
            (Pocket(name="p", tool=3, on="pocket"), (POCKET,), True, False),
            (Pocket(name="p", tool=3, on="pocket"), (pocket_through,), True, True),
            (Slot(name="t", tool=3, on="slot"), (SLOT,), True, False),
            (EdgeBreak(name="e", tool=3, on=("break",)), (BREAK,), True, False),
            (Face(name="f", tool=1), (), True, True),
        ):
            with self.subTest(operation.name, on=[f.name for f in features]):
                self.assertEqual((can_cut(operation, features, up), can_cut(operation, features, over)),
                                 (from_above, from_below))  # fmt: skip

    def test_the_border_of_a_frame_stays_behind(self):
        """The piece alone, wherever the border's stock ends; what is taken is all the rest."""
        plan = ring_plan("in-a-frame")
        one = plan.setups[0]
        slot = next(o for o in one.setup.operations if o.removes == "frame slot")
        matrix = one.setup.orientation.matrix()
        solid = transformed(one.after.solid, matrix)
        cut = Cut(one.setup.orientation, slot, (), piece_only=True)
        left, gone = split(solid, one.geometry.coarse, one.geometry, cut)
        middle = view_of(one.geometry.coarse, one.geometry, one.setup.orientation).middle
        high = box((-1e4, -1e4, -1e3), (1e4, 1e4, 1e3))
        piece = manifold3d.Manifold.extrude(piece_area(slot, middle), 2e3).translate((0, 0, -1e3)) ^ high
        self.assertAlmostEqual((left - piece).volume(), 0.0, places=3)
        self.assertAlmostEqual(left.volume(), (solid ^ piece).volume(), places=2)
        self.assertAlmostEqual(left.volume() + gone.volume(), solid.volume(), places=2)


class PocketAndSlotTest(unittest.TestCase):
    #: Corners of radius 3, in facets.
    AREA = 20 * 16 - (4 * 9 - ngon(3))

    def test_what_leaves_more_than_there_is_takes_nothing(self):
        """More than the depth: nothing is cut.  More than the stock is high: no cut stands on its head."""
        for leave in (8.0, 30.0, 1e4):
            stock = {"stock": (60, 40, 20)}
            self.assertAlmostEqual(
                taken(Pocket(name="p", tool=3, on="pocket", leave=leave), features=(POCKET,), **stock), 0.0
            )
            self.assertAlmostEqual(
                taken(Slot(name="s", tool=3, on="slot", leave=leave), features=(SLOT,), **stock), 0.0
            )

    def test_pocket_to_its_floor_and_short_of_it(self):
        whole = taken(Pocket(name="p", tool=3, on="pocket"), features=(POCKET,))
        self.assertAlmostEqual(whole, self.AREA * 8, places=3)
        short = taken(Pocket(name="p", tool=3, on="pocket", leave=0.5), features=(POCKET,))
        self.assertAlmostEqual(whole - short, self.AREA * 0.5, places=3)

    def test_stock_over_the_pocket_goes_too(self):
        high = taken(
            Pocket(name="p", tool=3, on="pocket"), features=(POCKET,), stock=(60, 40, 23),
            allowance=Allowance(plus_z=3),
        )  # fmt: skip
        self.assertAlmostEqual(high, self.AREA * 11, places=3)

    def test_a_hole_in_a_boss_is_not_the_pockets(self):
        """A boss of 10 with a hole of 4 stands in the pocket: its ring stays, and so does what is in the hole."""
        boss = feature("boss", "boss", (30, 20, 18), diameter=10, depth=6)
        hole = feature("pin", "hole", (30, 20, 18), diameter=4, depth=5)
        whole = taken(Pocket(name="p", tool=3, on="pocket"), features=(POCKET,))
        round_it = taken(Pocket(name="p", tool=3, on="pocket"), features=(POCKET, boss, hole))
        self.assertAlmostEqual((whole - round_it) / (math.pi * 25 * 6), 1, delta=0.04)
        drilled = taken(
            Pocket(name="p", tool=3, on="pocket"), Hole(name="h", tool=3, on="pin"), features=(POCKET, boss, hole)
        )
        self.assertAlmostEqual(drilled / (math.pi * 4 * 5), 1, delta=0.04)

    def test_a_slot_open_at_its_ends_runs_out_of_the_stock(self):
        self.assertAlmostEqual(taken(Slot(name="s", tool=3, on="slot"), features=(SLOT,)), 60 * 10 * 5, places=3)
        longer = taken(Slot(name="s", tool=3, on="slot"), features=(SLOT,), stock=(70, 40, 20))
        self.assertAlmostEqual(longer, 70 * 10 * 5, places=3)

    def test_a_closed_slot_stays_closed(self):
        closed = SLOT.model_copy(update={"length": 30.0})
        volume = taken(Slot(name="s", tool=3, on="slot"), features=(closed,), stock=(70, 40, 20))
        self.assertAlmostEqual(volume, 30 * 10 * 5, places=3)


class RegionAndEdgeTest(unittest.TestCase):
    def test_a_region_spares_the_part(self):
        """Left of x = 30, 4 below the finished top: only the 3 over the part are stock to cut."""
        volume = taken(
            Region(name="r", tool=2, left=-5, right=30, front=-5, back=45, depth=4),
            stock=(60, 40, 23), allowance=Allowance(plus_z=3),
        )  # fmt: skip
        self.assertAlmostEqual(volume, 30 * 40 * 3, places=3)

    def test_an_edge_break_takes_a_ring_of_triangles(self):
        """Pappus: a triangle of half a square millimetre, its centre of gravity at radius 4 + 1/3."""
        features = (HOLE, BREAK)
        volume = taken(Hole(name="h", tool=3, on="hole"), EdgeBreak(name="e", tool=4, on=("break",)), features=features)
        self.assertAlmostEqual(volume / (0.5 * 2 * math.pi * (4 + 1 / 3)), 1, delta=2e-2)


class OutlineTest(unittest.TestCase):
    def test_a_slot_leaves_the_border_standing(self):
        """Round 60 x 40: two long and two short runs 8 wide, and four quarter circles of radius 8."""
        cut = Outline(name="o", tool=3, slot=8)
        volume = taken(cut, stock=(100, 80, 20))
        self.assertAlmostEqual(volume / ((2 * 60 + 2 * 40) * 8 + math.pi * 64) / 20, 1, delta=1e-3)

    def test_tabs_stay_evenly(self):
        without = taken(Outline(name="o", tool=3, slot=8), stock=(100, 80, 20))
        tabbed = taken(Outline(name="o", tool=3, slot=8, tabs=4, tab_width=6, tab_height=2), stock=(100, 80, 20))
        self.assertAlmostEqual(without - tabbed, 4 * 6 * 8 * 2, delta=0.02 * 4 * 6 * 8 * 2)
        plan = plan_of(block_job(setup(Outline(name="o", tool=3, slot=8, tabs=4)), stock=(100, 80, 20)))
        self.assertEqual(len(plan.setups[0].after.pieces), 1, "tabs hold part and border together")
        free = plan_of(block_job(setup(Outline(name="o", tool=3, slot=8)), stock=(100, 80, 20)))
        self.assertEqual(len(free.setups[0].after.pieces), 2)

    def test_overlap_below(self):
        level = taken(Outline(name="o", tool=2), stock=(70, 50, 26))
        deeper = taken(Outline(name="o", tool=2, below=1), stock=(70, 50, 26))
        self.assertAlmostEqual(deeper - level, 70 * 50 - 60 * 40, places=3)


class InvariantTest(unittest.TestCase):
    """What is taken and what is left make up what was there; order and lie do not matter."""

    FEATURES = (HOLE, THROUGH, POCKET)
    CUTS = (
        Face(name="f", tool=1),
        Outline(name="o", tool=2),
        Hole(name="h", tool=3, on="hole"),
        Hole(name="t", tool=3, on="through"),
        Pocket(name="p", tool=3, on="pocket"),
        Seen(name="s", tool=3),
    )

    def test_nothing_is_lost(self):
        plan = plan_of(block_job(setup(*self.CUTS), features=self.FEATURES, stock=(70, 50, 27)))
        cutting = plan.setups[0].cutting
        for k in range(len(self.CUTS)):
            whole = cutting.before(k).volume
            self.assertAlmostEqual(cutting.after(k).volume + cutting.removed(k).volume(), whole, delta=1e-3)

    def test_any_order_leaves_the_same(self):
        volumes = []
        for cuts in (self.CUTS, self.CUTS[::-1], self.CUTS[2:] + self.CUTS[:2]):
            plan = plan_of(block_job(setup(*cuts), features=self.FEATURES, stock=(70, 50, 27)))
            volumes.append(plan.setups[0].after.volume)
        np.testing.assert_allclose(volumes, volumes[0], atol=1e-2)

    def test_a_spin_on_the_table_changes_nothing(self):
        volumes = []
        for right in ("+X", "+Y", "-X", "-Y"):
            one = setup(*self.CUTS, right=right)
            self.assertEqual(one.orientation, Orientation(up="+Z", right=right))
            volumes.append(plan_of(block_job(one, features=self.FEATURES, stock=(70, 50, 27))).setups[0].after.volume)
        np.testing.assert_allclose(volumes, volumes[0], rtol=1e-7)
