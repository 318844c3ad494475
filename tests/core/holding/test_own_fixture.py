"""Stock in a fixture of the shop's own: where it comes to lie, what is told, and what the simulated machine finds.

A block of 60 x 40 x 20 lies in the nest (``tests.own_fixture_models``), whose zero stands at (-300, -200, -400): pushed
against pads at X -40 and Y -30 its middle is at (-310, -210), its top at -380.
"""

from __future__ import annotations

import unittest

import numpy as np
from pydantic import ValidationError

from ledgecliff.core.blanks import box, transformed
from ledgecliff.core.budget.sides import off_its_zero
from ledgecliff.core.changing import set_value
from ledgecliff.core.datums import datum_choices
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.frames import AXES
from ledgecliff.core.holding.giving_place import gives_place, pushed_toward
from ledgecliff.core.holding.own_fixtures import Lying, OwnNeeds, hold_in_own, pushed_in
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import OwnHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Bore, Outline
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.own_fixture import FixtureFace, FixtureScrew, OverSpigot, OwnFixture, Spigot
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stations import AxisTurn, Mount
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.on_table import on_table
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.true_world import TrueClamping, TrueWorld
from tests.jobs import block_job, feature, point, setup
from tests.own_fixture_models import BORE, FRONT, LEFT, NEST, SEAT, TOE, models, nest, rod
from tests.rehearsals import rehearsed

ZERO = np.array([-300.0, -200.0, -400.0])
#: Where a spigot 5 to the right of it and 3 behind it stands.
PEG = np.array([-295.0, -197.0])
ROUTINE = ProbingRoutine(depth=4, guess=0.6)
#: Each source of a zero that the fixture has, and where it is from the fixture's own zero.
SOURCES = (
    ("x", {"source": "fixture face", "face": "left pad"}, -40.0),
    ("y", {"source": "fixture face", "face": "front pad"}, -30.0),
    ("z", {"source": "fixture face", "face": "seat"}, 0.0),
    ("x", {"source": "fixture bore"}, 50.0),
    ("y", {"source": "fixture bore"}, 30.0),
    ("z", {"source": "parallels"}, 0.0),
    ("x", {"source": "fixture value"}, 0.0),
)
#: Fixture off, part off in it, blank larger than measured (mm).
WORLDS = (
    ((0, 0, 0), (0, 0, 0), (0, 0, 0)), ((0.2, -0.1, 0.1), (0.05, 0.1, 0), (0.2, 0.2, 0)),
    ((-0.1, 0.3, 0), (0, 0.1, 0), (-0.25, -0.25, 0.1)), ((0, 0, -0.2), (0.1, 0, 0), (0.1, 0.1, -0.2)),
    ((0.3, 0.3, 0.05), (0.1, 0.1, 0), (0, 0, 0.3)),
)  # fmt: skip
CENTRE = {"x": AxisDatum(source="stock centre"), "y": AxisDatum(source="stock centre")}


def job(fixture=NEST, hold=None, *, routine=ROUTINE, datum=None, operations=(), lies=None, **more):
    axes = {**CENTRE, "z": AxisDatum(source="stock top"), **(datum or {})}
    one = setup(*operations, hold=hold or OwnHold(), datum=Datum(**axes), probing=routine)
    if lies is not None:
        one = one.model_copy(update={"orientation": lies})
    return block_job(one, fixtures=(fixture,), **more)


def plan(*arguments, of=(), **more):
    return make_plan(job(*arguments, **more), models(*of))


def codes(plan):
    return {finding.code for finding in findings_of(plan)}


def world(fixture_off=(0, 0, 0), part_off=(0, 0, 0), stock_off=(0, 0, 0)):
    clamping = TrueClamping(name="Op 10", fixture_off=point(*fixture_off), part_off=point(*part_off), skew_deg=0.0)
    return TrueWorld(seed=1, stock_off=point(*stock_off), setups=(clamping,))


class PlaceTest(unittest.TestCase):
    def test_it_lies_on_its_seat_against_its_pads(self):
        held = plan().setups[0]
        np.testing.assert_allclose(held.located.m_offset, (-310, -210, -380), atol=1e-9)
        self.assertEqual(held.holding.own.ways, (("toe", 50.0),))
        toe = held.holding.block("moving part toe")
        self.assertAlmostEqual(toe.low[0], float(held.holding.u_stock[1][0]), 9)
        self.assertEqual(codes(plan()), set())

    def test_a_hat_does_not_meet_what_ends_under_it(self):
        """Turned over, a hat stands 2 out all round over the finished walls of 20: pads of 12 meet the walls, one that
        is 22 high the hat."""
        first = setup(Outline(name="round", tool=2), name="Op 10", probing=ROUTINE)
        sides = {axis: AxisDatum(source="part centre") for axis in "xy"}
        datum = Datum(**sides, z=AxisDatum(source="stock top"))
        second = setup(name="Op 20", up="-Z", hold=OwnHold(), offset="G55", probing=ROUTINE, datum=datum)
        sizes = {"part": (60, 40, 20), "stock": (64, 44, 26), "allowance": Allowance(plus_z=0.0)}
        made = block_job(first, second, fixtures=(NEST,), **sizes)
        higher = nest() + box((-50, -20, 5), (-40, 20, 22))
        for solid, x in ((nest(), -340 + 30), (higher, -340 + 32)):
            held = make_plan(made, models(("nest", solid))).setups[1]
            np.testing.assert_allclose(held.located.m_offset, (x, -230 + 20, -400 + 26), atol=1e-9)

    def test_a_step_is_pushed_by_what_meets_first(self):
        """A turned block touches the pad with its corner: held against bodies moved for themselves."""
        for degrees in (7.0, 30.0, -18.0):
            with self.subTest(degrees=degrees):
                lies = Orientation(tilted=(AxisTurn(about="z", degrees=degrees),))
                held = plan(lies=lies).setups[0].holding
                stock = transformed(held.stock.solid, held.orientation.matrix())
                body = held.block("fixture").solid()
                self.assertLess((stock ^ body).volume(), 1e-6)
                for way in ((-0.01, 0, 0), (0, -0.01, 0)):
                    pushed = stock.translate((0, 0, 0.001)).translate(way)
                    self.assertGreater((pushed ^ body).volume(), 0.0)

    def test_pins(self):
        """Two pins of 10 whose free side is at Y -30 hold a block as the pad does."""
        solid = box((-60, -40, -20), (60, 40, 0)) + box((-50, -20, -1), (-40, 20, 12))
        solid += rod(-20, -35, -1, 12, 10) + rod(20, -35, -1, 12, 10)
        pins = tuple(FixtureFace(name=f"pin {x}", use="against", facing="+Y", at=point(x, -30, 6)) for x in (-20, 20))
        fixture = NEST.model_copy(update={"faces": (SEAT, LEFT, *pins), "bores": ()})
        held = plan(fixture, of=(("nest", solid),)).setups[0]
        np.testing.assert_allclose(held.located.m_offset, (-310, -210, -380), atol=1e-6)
        self.assertEqual(held.holding.own.lost, ())

    def test_a_round_lies_against_its_true_side(self):
        """Of a round of 30 whose 16 flats stand inside of it, the round itself meets the pads: not the flats."""
        flats = rod(0, 0, 0, 20, 30, corners=16).rotate((0.0, 0.0, 11.25))
        self.assertLess(flats.bounding_box()[3], 14.9)
        lying = Lying(flats, (np.array([-15.0, -15, 0]), np.array([15.0, 15, 20])), Orientation())
        pushed = pushed_in(NEST, OwnHold(), lying, OwnNeeds(models().fixtures))
        np.testing.assert_allclose(pushed.shift, (-25.0, -15.0, 0.0), atol=1e-9)

    def test_what_hangs_into_the_fixture_is_not_what_it_lies_on(self):
        """A boss of 8 under a block goes into a hole of the base: the block lies on the seat. Where there is no hole it
        stands on its boss, and where nothing of it is over the seat that is told."""
        block = box((0, 0, 0), (60, 40, 20)) + box((25, 15, -8), (35, 25, 1))
        lying = Lying(block, (np.array([0.0, 0, -8]), np.array([60.0, 40, 20])), Orientation())
        holed = nest() - box((-20, -20, -15), (0, 0, 1))
        for solid, height in ((holed, 0.0), (nest(), 8.0)):
            pushed = pushed_in(NEST, OwnHold(), lying, OwnNeeds(models(("nest", solid)).fixtures))
            np.testing.assert_allclose(pushed.shift, (-40.0, -30.0, height), atol=1e-9)
            self.assertEqual(pushed.missed, ())
            bed, _ = hold_in_own(NEST, OwnHold(), lying, OwnNeeds(models(("nest", solid)).fixtures))
            self.assertAlmostEqual(bed.seat, -height, 9)  # in u, where the block's own underside is at nought
        fixture = NEST.model_copy(update={"faces": (SEAT,)})
        beside = pushed_in(fixture, OwnHold(x=300.0), lying, OwnNeeds(models().fixtures))
        self.assertEqual(beside.missed, ("seat",))

    def test_the_first_of_several_pads_stops_it(self):
        """Of pads at -40 and at -37, the second: where both stand before the stock, and not where one does not."""
        for y, x in ((-15.0, -37.0), (25.0, -40.0)):
            solid = nest() + box((-39, y - 2, -1), (-37, y + 2, 12))
            more = LEFT.model_copy(update={"name": "stud", "at": point(-37, y, 6)})
            fixture = NEST.model_copy(update={"faces": (SEAT, LEFT, more, FRONT)})
            held = plan(fixture, of=(("nest", solid),)).setups[0]
            np.testing.assert_allclose(held.located.m_offset[:2], (ZERO[0] + x + 30, -210), atol=1e-9)

    def test_a_spigot(self):
        """A bore of 12 over a spigot of 11.9 at (5, 3): its axis lies there, and up to 0.05 to any side of it."""
        bore = feature("eye", "bore", (20, 10, 20), diameter=12, through=True)
        fixture = NEST.model_copy(
            update={"faces": (SEAT,), "spigots": (Spigot(name="peg", x=5, y=3, diameter=11.9),), "moving": ()}
        )
        hold = OwnHold(over=OverSpigot(feature="eye", spigot="peg"))
        datum = {axis: AxisDatum(source="feature", feature="eye") for axis in "xy"}
        made = plan(fixture, hold, features=(bore,), datum=datum)
        held = made.setups[0]
        np.testing.assert_allclose(held.located.m_offset[:2], PEG, atol=1e-9)
        self.assertAlmostEqual(held.holding.own.play, 0.05, 12)
        self.assertAlmostEqual(held.holding.clamping_along(0).standard, 0.025, 12)
        written = written_plan(make_plan(job(fixture, hold, features=(bore,), datum=datum, routine=ROUTINE), models()))
        off = [np.hypot(*np.array(drawn_world(written, seed).setups[0].part_off.as_tuple())[:2]) for seed in range(40)]
        self.assertLessEqual(max(off), 0.05)
        self.assertGreater(max(off), 0.04)
        grips = fixture.model_copy(update={"spigots": (fixture.spigots[0].model_copy(update={"expands": True}),)})
        self.assertEqual(plan(grips, hold, features=(bore,), datum=datum).setups[0].holding.own.play, 0.0)

    def test_what_nothing_gives_is_put_there(self):
        fixture = NEST.model_copy(update={"faces": (SEAT, FRONT)})
        made = plan(fixture, OwnHold(x=12.0, y=99.0))
        held = made.setups[0]
        np.testing.assert_allclose(held.located.m_offset[:2], (-288, -210), atol=1e-9)
        self.assertFalse(gives_place(held.holding, 0))
        self.assertTrue(gives_place(held.holding, 1))
        self.assertEqual(pushed_toward(held.holding, 1), -1)

    def test_as_its_model_stands(self):
        """A model drawn with Y up and its zero elsewhere, said so, holds the same."""
        turn = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])  # (x, y, z) to (x, z, -y)
        other = transformed(nest(), turn, np.array([7.0, 5.0, -3.0]))
        stands = Orientation(up="+Y", right="+X")
        at = stands.matrix() @ np.array([7.0, 5.0, -3.0])
        fixture = NEST.model_copy(
            update={"stands": stands, "zero": Point(**dict(zip("xyz", at.tolist(), strict=True))), "moving": ()}
        )
        held = plan(fixture, of=(("nest", other),)).setups[0]
        np.testing.assert_allclose(held.located.m_offset, (-310, -210, -380), atol=1e-9)
        self.assertEqual(held.holding.own.lost, ())

    def test_on_the_table(self):
        """Empty it takes the room of its model, open."""
        of = block_job(fixtures=(NEST,))
        place = next(each for each in on_table(make_plan(of, models()), of.machine) if each.station.name == "nest")
        np.testing.assert_allclose(place.m_low, (-360, -240, -420))
        np.testing.assert_allclose(place.m_high, (-210, -160, -388))

    def test_inches_and_a_turned_station_change_nothing_of_it(self):
        made = job()
        number = next(k for k, each in enumerate(made.machine.stations) if each.name == "nest")
        turned = set_value(made, ("machines", 0, "stations", number, "turn_deg"), 90.0)
        held = make_plan(turned, models()).setups[0]
        np.testing.assert_allclose(held.located.m_offset, (-290, -210, -380), atol=1e-9)

    def test_its_faces_at_a_turned_station(self):
        """A quarter on about Z its zero turns along: -40, -30 from the station at (-300, -200) is then 30, -40."""
        face = {"x": "left pad", "y": "front pad", "z": "seat"}
        made = job(datum={axis: AxisDatum(source="fixture face", face=name) for axis, name in face.items()})
        number = next(k for k, each in enumerate(made.machine.stations) if each.name == "nest")
        plan = make_plan(set_value(made, ("machines", 0, "stations", number, "turn_deg"), 90.0), models())
        np.testing.assert_allclose(plan.setups[0].located.m_offset, (-270, -240, -400), atol=1e-9)

    def test_its_faces_on_a_tilted_carrier(self):
        """Tipped a quarter about X, what looked up looks to the front, and what looked to the back up: touched so,
        and offered so; tipped by less, only what still looks along an axis."""
        made = job()
        number = next(k for k, each in enumerate(made.machine.stations) if each.name == "nest")
        for degrees, looks in (
            (90.0, {"seat": (1, -1), "left pad": (0, 1), "front pad": (2, 1)}), (30.0, {"left pad": (0, 1)}),
        ):  # fmt: skip
            mount = Mount(
                id=derived_id("tipped"), name="tipped", at=point(0, 0, 0),
                turned=(AxisTurn(about="x", degrees=degrees),),
            )  # fmt: skip
            tipped = set_value(made, ("machines", 0, "carriers"), (mount,))
            tipped = set_value(tipped, ("machines", 0, "stations", number, "on"), mount.id)
            faces = make_plan(tipped, models()).setups[0].holding.own.faces
            self.assertEqual({face.name: (face.axis, face.sign) for face in faces}, looks)
            offered = [
                {choice.face for choice in datum_choices(axis, tipped, 0) if choice.face is not None} for axis in "xyz"
            ]
            wanted = [{name for name, (axis, _) in looks.items() if axis == k} for k in range(3)]
            self.assertEqual(offered, wanted)
            for face in faces:
                self.assertAlmostEqual(float(np.abs(face.region[:, :, face.axis] - face.level).max()), 0.0, 9)


class TruthTest(unittest.TestCase):
    def test_each_source_in_five_worlds(self):
        for axis, source, at in SOURCES:
            if source["source"] == "fixture value":
                continue
            made = plan(datum={axis: AxisDatum(**source)})
            k = AXES.index(axis)
            for fixture_off, part_off, stock_off in WORLDS:
                with self.subTest(axis=axis, source=source, world=fixture_off):
                    result = rehearsed(made, world=world(fixture_off, part_off, stock_off)).setups[0]
                    self.assertFalse(result.stopped)
                    wanted = ZERO[k] + fixture_off[k] + at
                    self.assertAlmostEqual(float(result.true[k]), wanted, 6)
                    self.assertAlmostEqual(float(result.found[k]), wanted, delta=0.004)

    def test_larger_blanks_stay_against_the_pads(self):
        """The middle of a blank that is larger by d lies d/2 further off the pads, not where it was planned."""
        made = plan()
        for fixture_off, part_off, stock_off in WORLDS:
            with self.subTest(stock_off=stock_off):
                result = rehearsed(made, world=world(fixture_off, part_off, stock_off)).setups[0]
                middle = np.array([-310.0, -210.0, -380.0]) + fixture_off + part_off
                middle += np.array([stock_off[0] / 2.0, stock_off[1] / 2.0, stock_off[2]])
                np.testing.assert_allclose(result.true, middle, atol=1e-6)
                np.testing.assert_allclose(result.found, middle, atol=0.004)

    def test_a_bore_lies_over_its_spigot_where_it_was_really_cut(self):
        """Op 20 counts on a vise that stands 0.3 off, and cuts a hole: from then on the part is taken from there. The
        eye that Op 10 has cut still lies over the spigot in Op 30, wherever the plan's numbers have it by then."""
        eye = feature("eye", "bore", (20, 10, 20), diameter=12, through=True)
        hole = feature("hole", "hole", (45, 25, 20), diameter=6, through=True)
        fixture = NEST.model_copy(
            update={"faces": (SEAT,), "spigots": (Spigot(name="peg", x=5, y=3, diameter=12),), "moving": ()}
        )
        fast, top = {axis: AxisDatum(source="fixture value") for axis in "xy"}, AxisDatum(source="stock top")
        at_eye = {axis: AxisDatum(source="feature", feature="eye") for axis in "xy"}
        route = (
            setup(Bore(name="eye", tool=2, on="eye"), name="Op 10", probing=ROUTINE),
            setup(
                Bore(name="hole", tool=2, on="hole"), name="Op 20", offset="G55", probing=ROUTINE,
                datum=Datum(**fast, z=top),
            ),
            setup(
                name="Op 30", hold=OwnHold(over=OverSpigot(feature="eye", spigot="peg")), offset="G56", probing=ROUTINE,
                datum=Datum(**at_eye, z=top),
            ),
        )  # fmt: skip
        made = make_plan(block_job(*route, features=(eye, hole), fixtures=(fixture,)), models())
        stated = TrueWorld(
            seed=3,
            setups=(
                TrueClamping(name="Op 10"), TrueClamping(name="Op 20", fixture_off=point(0.3, -0.2, 0)),
                TrueClamping(name="Op 30"),
            ),
        )  # fmt: skip
        result = rehearsed(made, world=stated)
        self.assertGreater(abs(float((result.setups[1].found - result.setups[1].true)[0])), 0.25)
        np.testing.assert_allclose(result.setups[2].true[:2], PEG, atol=1e-4)
        np.testing.assert_allclose(result.setups[2].found[:2], PEG, atol=0.005)


class FindingTest(unittest.TestCase):
    def test_what_stands_in_the_way(self):
        """A stud where the stock comes to lie; one that ends under it is no matter."""
        for high, fires in ((3.0, True), (0.0, False)):
            solid = nest() + box((0, 0, -5), (6, 6, high))
            with self.subTest(high=high):
                found = [
                    each for each in findings_of(plan(of=(("nest", solid),))) if each.code == "FIXTURE_DOES_NOT_GO_ON"
                ]
                self.assertEqual(bool(found), fires)
                if fires:
                    # In the WCS, whose zero is at the stock's middle and top: 10 from the nest's own, 20 under it.
                    self.assertIn("X +10.000 to +16.000", found[0].message())

    def test_a_pad_that_nothing_meets(self):
        self.assertNotIn("FIXTURE_FACE_MISSED", codes(plan()))
        side = FixtureFace(name="side pad", use="against", facing="+X", at=point(-40, 0, 6))
        beyond = nest() + box((-60, 60, -20), (-40, 70, 12))
        other = side.model_copy(update={"name": "far pad", "at": point(-40, 65, 6)})
        fixture = NEST.model_copy(update={"faces": (SEAT, side, FRONT, other)})
        found = [each for each in findings_of(plan(fixture, of=(("nest", beyond),))) if each.code.endswith("MISSED")]
        self.assertEqual([each.about for each in found], ["far pad"])

    def test_a_face_that_the_model_does_not_have(self):
        gone = LEFT.model_copy(update={"at": point(-41, 0, 6)})
        fixture = NEST.model_copy(update={"faces": (SEAT, gone, FRONT)})
        self.assertIn("FIXTURE_FACE_NOT_THERE", codes(plan(fixture)))
        beside = LEFT.model_copy(update={"at": point(-40, 25, 6)})  # in the pad's plane, but not on it
        self.assertIn("FIXTURE_FACE_NOT_THERE", codes(plan(NEST.model_copy(update={"faces": (SEAT, beside, FRONT)}))))

    def test_sliding_along_an_edge_is_no_rest(self):
        """At 45 degrees one edge lies against a corner of each pad: where both corners are on one such line it rests,
        where they are a little off it slides along the edge."""
        lies = Orientation(tilted=(AxisTurn(about="z", degrees=-45.0),))
        base = box((-60, -40, -20), (60, 40, 0)) + box((-30, -20, -1), (-20, 0, 12))
        fixture = NEST.model_copy(update={"bores": (), "moving": ()})
        left, front = (
            pad.model_copy(update={"at": point(*at)}) for pad, at in ((LEFT, (-20, -10, 6)), (FRONT, (-8, -20, 6)))
        )
        faces = fixture.model_copy(update={"faces": (SEAT, left, front)})
        for corner, fires in ((0.0, False), (-0.2, True)):
            solid = base + box((-15, -30, -1), (corner, -20, 12))
            with self.subTest(corner=corner):
                self.assertEqual("FIXTURE_NO_REST" in codes(plan(faces, of=(("nest", solid),), lies=lies)), fires)

    def test_a_clamp_that_does_not_reach(self):
        for travel, fires in ((50.0, False), (49.9, True)):
            fixture = NEST.model_copy(update={"moving": (TOE.model_copy(update={"travel": travel}),)})
            self.assertEqual("MOVING_PART_SHORT" in codes(plan(fixture)), fires, travel)
            toe = plan(fixture).setups[0].holding.block("moving part toe")
            self.assertAlmostEqual(toe.low[0] - plan(fixture).setups[0].holding.u_zero[0], 70 - travel, 9)
        away = NEST.model_copy(update={"moving": (TOE.model_copy(update={"to": "+X"}),)})
        found = next(each for each in findings_of(plan(away)) if each.code == "MOVING_PART_SHORT")
        self.assertIn("never meets the stock", found.message())

    def test_spigots(self):
        fixture = NEST.model_copy(
            update={"faces": (SEAT,), "spigots": (Spigot(name="peg", x=5, y=3, diameter=11.9),), "moving": ()}
        )
        for bore, code in (
            (feature("eye", "bore", (20, 10, 20), diameter=12, through=True), None),
            (feature("eye", "bore", (20, 10, 20), diameter=11, through=True), "SPIGOT_TOO_WIDE"),
            (feature("eye", "bore", (60, 10, 10), "+X", diameter=12, through=True), "SPIGOT_ASKEW"),
        ):
            over = OwnHold(over=OverSpigot(feature="eye", spigot="peg"))
            found = {each for each in codes(plan(fixture, over, features=(bore,))) if each.startswith("SPIGOT")}
            self.assertEqual(found, {code} if code else set())
        lost = OwnHold(over=OverSpigot(feature="eye", spigot="stud"))
        bore = feature("eye", "bore", (20, 10, 20), diameter=12, through=True)
        self.assertIn("SPIGOT_NOT_THERE", codes(plan(fixture, lost, features=(bore,))))

    def test_what_holds_it(self):
        """Faced down to nothing but what the toe presses on, it is held; without the toe nothing does."""
        cut = (Bore(name="eye", tool=1, on="eye"),)
        bore = feature("eye", "bore", (30, 20, 20), diameter=12, through=True)
        self.assertNotIn("PART_FREED", codes(plan(operations=cut, features=(bore,))))
        bare = NEST.model_copy(update={"moving": ()})
        self.assertIn("PART_FREED", codes(plan(bare, operations=cut, features=(bore,))))
        screwed = bare.model_copy(update={"screws": (FixtureScrew(x=-20, y=-20),)})
        self.assertNotIn("PART_FREED", codes(plan(screwed, operations=cut, features=(bore,))))

    def test_zeros_it_has(self):
        words = [choice.words for choice in datum_choices("x", job(), 0)]
        self.assertIn("fixture face left pad", words)
        self.assertNotIn("fixture face front pad", words)
        self.assertIn("fixture bore", words)
        self.assertIn("fixture face front pad", [choice.words for choice in datum_choices("y", job(), 0)])
        bare = NEST.model_copy(update={"bores": ()})
        self.assertNotIn("fixture bore", [choice.words for choice in datum_choices("x", job(bare), 0)])


class ModelTest(unittest.TestCase):
    def test_what_it_must_have(self):
        for changed, words in (
            ({"faces": (LEFT,)}, "no face of it is a seat"),
            ({"faces": (SEAT, SEAT.model_copy(update={"name": "ledge", "at": point(0, 0, 2)}))}, "not at one height"),
            ({"faces": (SEAT, LEFT, LEFT)}, "share the name"),
            ({"faces": (SEAT, LEFT, LEFT.model_copy(update={"name": "right", "facing": "-X"}))}, "both ways along X"),
            ({"bores": (BORE, BORE)}, "share the name"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(ValidationError, words):
                OwnFixture.model_validate(dict(NEST) | changed)
        with self.assertRaisesRegex(ValidationError, "a seat looks up"):
            FixtureFace(name="a", use="seat", facing="+X", at=point(0, 0, 0))
        with self.assertRaisesRegex(ValidationError, "nothing is pushed against it"):
            FixtureFace(name="a", use="against", facing="+Z", at=point(0, 0, 0))

    def test_names_that_lead_nowhere(self):
        with self.assertRaisesRegex(ValidationError, "'nest' has no face 'back pad'"):
            job(datum={"x": AxisDatum(source="fixture face", face="back pad")})
        with self.assertRaisesRegex(ValidationError, "no feature 'eye'"):
            job(hold=OwnHold(over=OverSpigot(feature="eye", spigot="peg")))

    def test_without_its_model_it_says_so(self):
        from ledgecliff.core.errors import PlanError
        from ledgecliff.core.solids.geometry import Models

        with self.assertRaisesRegex(PlanError, r"model 'nest\.step' has not been read"):
            make_plan(job(), Models())


class BetweenSidesTest(unittest.TestCase):
    """What a blank's size does where it is pushed against a pad: all of it where it is raw there, nothing where the
    wall was cut, whatever a hat over it is."""

    @staticmethod
    def _error(operations, up="-Z", hold=None, features=()):
        first = setup(*operations, name="Op 10", probing=ROUTINE)
        at = {axis: AxisDatum(source="fixture value") for axis in "xyz"}
        second = setup(
            name="Op 20", up=up, hold=hold or OwnHold(), offset="G55", probing=ROUTINE, datum=Datum(**at)
        )  # fmt: skip
        pegged = NEST.model_copy(update={"spigots": (Spigot(name="peg", x=5, y=3, diameter=12),)})
        made = make_plan(
            block_job(
                first, second, fixtures=(pegged,), part=(60, 40, 20), stock=(64, 44, 26), varies=(0.5, 0.5, 0.5),
                allowance=Allowance(plus_z=0.0), features=features,
            ),
            models(),
        )  # fmt: skip
        return any(each.source.kind == "blank" for each in off_its_zero(made, 1, "x").enters)

    def test_raw_or_cut(self):
        self.assertTrue(self._error(()))
        self.assertFalse(self._error((Outline(name="round", tool=2),)))

    def test_over_a_spigot(self):
        eye = feature("eye", "bore", (20, 10, 20), diameter=12, through=True)
        hold = OwnHold(over=OverSpigot(feature="eye", spigot="peg"))
        self.assertFalse(self._error((Bore(name="eye", tool=1, on="eye"),), hold=hold, features=(eye,)))


class AllowanceTest(unittest.TestCase):
    def test_off_centre_stock(self):
        """What is pushed is the stock, wherever the part lies in it."""
        made = plan(part=(50, 30, 20), allowance=Allowance(minus_x=1.0, minus_y=2.0), datum={
            "x": AxisDatum(source="part minus side"), "y": AxisDatum(source="part minus side"),
        })  # fmt: skip
        np.testing.assert_allclose(made.setups[0].located.m_offset[:2], (-339, -228), atol=1e-9)


if __name__ == "__main__":
    unittest.main()
