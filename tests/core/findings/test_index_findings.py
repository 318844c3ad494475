"""Findings about going from index to index, and about what is known of axes: each fired and kept silent."""

from __future__ import annotations

import itertools
import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from ledgecliff.core.alternatives.ways import weighed_ways
from ledgecliff.core.budget.sides import far_side
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.turns import with_way
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.holding import ViseHold
from ledgecliff.core.model.part import Tolerance
from ledgecliff.core.model.setup import AxisDatum
from ledgecliff.core.model.stations import Happened, IndexAngle
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.true_world import TrueWorld
from ledgecliff.core.remedies.tried import with_fix
from ledgecliff.core.sweeps import highest_swept, swept_span
from ledgecliff.core.turns.offers import way_offers
from ledgecliff.core.turns.turn_plan import turns_of
from tests.core.rehearsal.test_indexed import along_job
from tests.core.rehearsal.test_rotary_axis import chuck_job
from tests.core.test_rotary_schools import TABLE, TILTING, indexed_job
from tests.helpers import shipped_plan
from tests.jobs import plan_of, point

TWO = ((0, 0), (90, 0))
SWEPT = TILTING.model_copy(update={"flat_swept_on": "2026-03-02"})


def codes(job, *, only):
    found = [finding for finding in findings_of(plan_of(job)) if finding.code in only.split()]
    return [(finding.code, finding.setup) for finding in found]


class KnownTest(unittest.TestCase):
    def test_sense(self):
        level = {"indexes": ((0, 0),)}
        self.assertEqual(codes(indexed_job(SWEPT, TABLE, **level), only="SENSE_UNKNOWN"), [])
        unseen = SWEPT.model_copy(update={"sense": None})
        self.assertEqual(codes(indexed_job(unseen, TABLE, **level), only="SENSE_UNKNOWN"), [("SENSE_UNKNOWN", "Op 10")])

    def test_a_shift_that_stands(self):
        shifted = SWEPT.model_copy(update={"shift_in_place": 3.0})
        job = indexed_job(shifted, TABLE, indexes=((0, 0),))
        self.assertEqual(codes(job, only="SHIFT_IN_PLACE"), [("SHIFT_IN_PLACE", "Op 10")])
        self.assertEqual(codes(indexed_job(SWEPT, TABLE, indexes=((0, 0),)), only="SHIFT_IN_PLACE"), [])

    def test_flat(self):
        self.assertEqual(codes(indexed_job(SWEPT, TABLE, indexes=TWO), only="FLAT_MISSING"), [])
        self.assertEqual(
            codes(indexed_job(TILTING, TABLE, indexes=TWO), only="FLAT_MISSING"), [("FLAT_MISSING", "Op 20")]
        )
        self.assertEqual(codes(indexed_job(TILTING, TABLE, indexes=((0, 0),)), only="FLAT_MISSING"), [], "never turned")

    def test_stale(self):
        """On the same day or later a mishap counts, before the centre was found it does not."""
        for found_on, day, fires in (
            ("2026-03-02", "2026-03-01", False), ("2026-03-02", "2026-03-02", True), ("2026-03-02", "2026-04-01", True),
            (None, "2026-01-01", True),
        ):  # fmt: skip
            cradle = SWEPT.model_copy(update={"found_on": found_on, "happened": (Happened(what="crash", on=day),)})
            job = along_job(cradle, TABLE, indexes=TWO)
            self.assertEqual(codes(job, only="CENTRE_STALE"), [("CENTRE_STALE", "Op 20")] * fires, (found_on, day))
            self.assertEqual(codes(indexed_job(cradle, TABLE, indexes=TWO), only="CENTRE_STALE"), [], "each is probed")
        with self.assertRaisesRegex(ValueError, "is no day; write it as year-month-day"):
            Happened(what="crash", on="2026-02-30")

    def test_a_tolerance_that_the_centre_eats(self):
        for position, severity in ((0.2, None), (0.015, "warning"), (0.009, "error")):
            job = along_job(SWEPT, TABLE, indexes=TWO)
            job = set_value(job, ("part", "features", 1, "tolerance"), Tolerance(position=position))
            made = {"removes": "hole", "name": "port", "tool": 2, "on": "back port", "features": ("back port",)}
            job = set_value(job, ("setups", 1, "operations"), (made,))
            found = [each.severity for each in findings_of(plan_of(job)) if each.code == "CENTRE_EATS_TOLERANCE"]
            self.assertEqual(found, [severity] if severity else [])

    def test_a_zero_on_the_axis_itself_hangs_on_no_centre(self):
        """A bar's zero found on the axis and carried over: turning about it takes nothing away."""
        over = AxisDatum(source="carried over")
        job = chuck_job()
        second = job.setups[0].model_copy(
            update={"id": "0" * 12, "name": "Op 20", "index": (IndexAngle(word="A", degrees=90),)}
        )
        job = set_value(job, ("setups",), (*job.setups, second))
        for axis in "xyz":
            job = set_value(job, ("setups", 1, "datum", axis), over)
        axis = job.machine.carriers[0].model_copy(update={"origin": "assumed"})
        job = set_value(job, ("machines", 0, "carriers"), (axis,))
        self.assertEqual(codes(job, only="CENTRE_ASSUMED"), [])
        self.assertEqual(plan_of(job).setups[1].clamping.turned, ())
        job = set_value(job, ("setups", 0, "datum", "y"), AxisDatum(source="stock centre"))
        self.assertEqual(codes(job, only="CENTRE_ASSUMED"), [("CENTRE_ASSUMED", "Op 20")])


class GoingTest(unittest.TestCase):
    def test_round_and_round(self):
        for (first, second), way, wanted in (
            ((0, 270), "counts turns", "INDEX_LONG_WAY"), ((0, 270), "nearer way", ""), ((0, 180), "counts turns", ""),
            ((350, 0), "counts turns", "INDEX_LONG_WAY"), ((90, -90), "counts turns", ""),
        ):  # fmt: skip
            table = TABLE.model_copy(update={"way_round": way})
            job = indexed_job(SWEPT, table, indexes=((90, first), (90, second)))
            found = codes(job, only="INDEX_LONG_WAY INDEX_WINDS_UP")
            self.assertEqual([code for code, _ in found], [wanted] if wanted else [], (first, second, way))
        table = TABLE.model_copy(update={"flat_deg": -90.0})
        job = indexed_job(SWEPT, table, indexes=((90, 0), (90, 300)))
        self.assertEqual(codes(job, only="INDEX_WINDS_UP"), [("INDEX_WINDS_UP", "Op 20")])
        ends = TABLE.model_copy(update={"lowest_deg": 0.0, "highest_deg": 350.0})
        self.assertEqual(codes(indexed_job(SWEPT, ends, indexes=((0, 0), (0, 270))), only="INDEX_LONG_WAY"), [])

    def test_what_is_swept(self):
        """Against turning every corner through both axes: the upper one with the lower as it stands, and the lower with
        the upper anywhere, since that turns first, wherever somebody has left the other."""
        plan = plan_of(indexed_job(SWEPT, TABLE, indexes=((30, 20), (90, 45))))
        for setup, (a, c) in zip(plan.setups, ((30, 20), (90, 45)), strict=True):
            blocks = [np.asarray(b.solid().to_mesh().vert_properties)[:, :3] for b in setup.holding.blocks]
            stock = setup.holding.stock.mesh.vertices @ setup.setup.orientation.matrix().T
            now = np.vstack([stock, *blocks]) @ setup.located.tf_m_u.turn.T + setup.located.tf_m_u.shift
            c_a, c_c = np.array([0, -210.5, -388.25]), np.array([-402.12, -210.74, 0])
            tilt = Rotation.from_euler("x", a, degrees=True)
            level = tilt.inv().apply(now - c_a) + c_a
            # And what the plate is taken to stand on, 20 thick: as long and as wide, under it while all is level.
            nought = Rotation.from_euler("z", -c, degrees=True).apply(level - c_c) + c_c
            under = nought[nought[:, 2] < nought[:, 2].min() + 1e-6] - (0, 0, 20)
            level = np.vstack([level, Rotation.from_euler("z", c, degrees=True).apply(under - c_c) + c_c])
            tops = []
            for t in range(0, 360, 2):
                about_c = Rotation.from_euler("z", t, degrees=True)
                turned = about_c.apply(level - c_c) + c_c
                tops.append((tilt.apply(turned - c_a) + c_a)[:, 2].max())
                tops.append(c_a[2] + np.hypot(*(turned - c_a)[:, 1:].T).max())
            found = highest_swept(setup)
            self.assertTrue(max(tops) - 1e-6 <= found <= max(tops) + 0.1, (a, c, found, max(tops)))

    def test_beyond_the_travel(self):
        """By hand: the plate's corners go round C, and the lower edge of what it is taken to stand on round A, which
        lies 81 over that; 0.3 either way of the travel."""
        high_up = SWEPT.model_copy(update={"centre": point(0, -210.5, -300.0)})
        job = set_value(indexed_job(high_up, TABLE, indexes=((0, 0),)), ("machines", 0, "travel_max", "z"), 400.0)
        setup = plan_of(job).setups[0]
        plate = setup.holding.blocks[0]
        corners = list(itertools.product(*zip(plate.low, plate.high, strict=True))) + setup.located.tf_m_u.shift
        round_c = np.hypot(corners[:, 0] + 402.12, corners[:, 1] + 210.74).max()
        round_a = np.hypot(0.24 + round_c, 300.0 - 381.0)
        for k, (middle, reach) in enumerate(((-402.12, round_c), (-210.5, round_a))):
            low, high = swept_span(setup, k)
            self.assertAlmostEqual(high - middle, reach, delta=0.1)
            self.assertAlmostEqual(middle - low, reach, delta=0.1)
            for spare, fires in ((0.3, False), (-0.3, True)):
                wide = job
                for axis in "xy":
                    for end, sign in (("travel_min", -1), ("travel_max", 1)):
                        wide = set_value(wide, ("machines", 0, end, axis), sign * 2000.0)
                wide = set_value(wide, ("machines", 0, "travel_max", "xy"[k]), high + spare)
                self.assertEqual(bool(codes(wide, only="SWEEP_BEYOND_TRAVEL")), fires, (k, spare))
                wide = set_value(wide, ("machines", 0, "travel_max", "xy"[k]), 2000.0)
                wide = set_value(wide, ("machines", 0, "travel_min", "xy"[k]), low - spare)
                self.assertEqual(bool(codes(wide, only="SWEEP_BEYOND_TRAVEL")), fires, (k, spare))

    def test_along_its_own_axis_nothing_is_swept(self):
        plan = shipped_plan("hinge-leaves")
        self.assertIsNone(swept_span(plan.setups[0], 1))
        self.assertEqual(told(plan, "SWEEP_BEYOND_TRAVEL"), [])
        narrow = set_value(plan.job, ("machines", 0, "travel_max", "x"), -200.0)
        self.assertEqual(told(make_plan(narrow, plan.models), "SWEEP_BEYOND_TRAVEL"), ["Op 10", "Op 20"])

    def test_what_a_chuck_stands_on_does_not_turn(self):
        """Of the gland spindle's chuck only 50 round its axis turn, whatever is under it."""
        plan = shipped_plan("gland-spindle")
        alone = set_value(plan.job, ("machines", 0, "carriers"), plan.job.machine.carriers[:1])
        setup = make_plan(alone, plan.models).setups[0]
        self.assertAlmostEqual(highest_swept(setup), -330.0 + 50.0, delta=0.2)

    def test_the_lower_axis_turns_first_however_the_upper_stands(self):
        """From C0 to C200: while the cradle turns the plate still stands as at C0, longer to that side.  What is let
        pass runs on the simulated machine, and what runs into the tool there is told."""
        for c in (0, 40, 200, 300):
            job = along_job(SWEPT, TABLE.model_copy(update={"uncertainty": 0.005}), indexes=((0, 0), (15, c)))
            for top in (-60.0, -20.0, 0.0, 30.0):
                plan = plan_of(set_value(job, ("machines", 0, "travel_max", "z"), top))
                told = {each.setup for each in findings_of(plan) if each.code == "SWEEP_MEETS_TOOL"}
                alarms = rehearse(written_plan(plan), TrueWorld()).setups[1].alarms
                if "Op 20" not in told:
                    self.assertFalse(any("within its sweep" in alarm for alarm in alarms), (c, top))

    def test_a_sweep_into_the_tool_and_past_a_neighbour(self):
        job = set_value(indexed_job(SWEPT, TABLE, indexes=((0, 0),)), ("machines", 0, "travel_max", "z"), 100.0)
        only = "SWEEP_MEETS_TOOL SWEEP_MEETS_NEIGHBOUR"
        self.assertEqual(codes(job, only=only), [])
        setup = plan_of(job).setups[0]
        top = highest_swept(setup)
        longest = max(setup.machine.probe.length, *(cutter.tip_length for cutter in setup.machine.cutters[:3]))
        for spare, fires in ((1.0, False), (-1.0, True)):
            low = set_value(job, ("machines", 0, "travel_max", "z"), top + longest + spare)
            self.assertEqual(bool(codes(low, only=only)), fires)
        # A vise beside the cradle, with a setup of its own: in the circle of the plate, far from it, or in the plate's
        # own place, where both are never there at once.
        hold = ViseHold(parallels_height=20, parallels_thickness=10, parallels_length=100)
        more = {"id": "1" * 12, "name": "Op 90", "index": (), "station": job.machine.stations[0].id, "hold": hold}
        job = set_value(job, ("setups",), (*job.setups, job.setups[0].model_copy(update=more)))
        for y, z, fires in ((-400.0, -420.0, True), (400.0, -420.0, False), (-330.0, -420.0, False)):
            at = {"x": -402.0, "y": y, "z": z}
            moved = set_value(job, ("machines", 0, "stations", 0, "at"), at)
            self.assertEqual(("SWEEP_MEETS_NEIGHBOUR", "Op 10") in codes(moved, only=only), fires, y)

    def test_offsets_and_one_clamping(self):
        job = along_job(SWEPT, TABLE, indexes=TWO)
        only = "OFFSETS_FEWER_THAN_INDEXES INDEX_NOT_ONE_CLAMPING"
        self.assertEqual(codes(job, only=only), [])
        shared = set_value(job, ("setups", 1, "offset"), "G54")
        self.assertEqual(codes(shared, only=only), [("OFFSETS_FEWER_THAN_INDEXES", "Op 20")])
        (finding,) = (each for each in findings_of(plan_of(shared)) if each.code == "OFFSETS_FEWER_THAN_INDEXES")
        self.assertEqual(codes(with_fix(shared, finding.fixes[0]), only=only), [])
        held = set_value(job, ("setups", 1, "hold", "x"), 12.0)
        self.assertEqual(codes(held, only=only), [("INDEX_NOT_ONE_CLAMPING", "Op 20")])

    def test_a_sense_that_the_touch_does_not_tell(self):
        plan = shipped_plan("sluice-valve-block")
        told = [each.setup for each in findings_of(plan) if each.code == "SENSE_NOT_TOLD"]
        self.assertEqual(told, ["Op 30"], "the block is alike from left and right; the other way A brings up nothing")


class WayTest(unittest.TestCase):
    def test_a_turn_that_the_axes_make(self):
        """Chosen, the part stays clamped, the angles bring up what was wanted, and the error is that of the law."""
        job = indexed_job(SWEPT, TABLE.model_copy(update={"uncertainty": 0.005}), indexes=((0, 0), (0, 0)))
        for up, right, index in (("+Y", "+X", {"A": 90.0, "C": 0.0}), ("-X", "+Y", {"A": 90.0, "C": -90.0})):
            lies = {"up": up, "right": right}
            wanted = set_value(set_value(job, ("setups", 1, "orientation"), lies), ("setups", 1, "hold", "x"), 3.0)
            plan = plan_of(wanted)
            (turn,) = turns_of(plan)
            self.assertEqual((turn.stays, turn.way == "rotary index"), (False, False))
            offer = next(each for each in way_offers(plan, turn) if each.way == "rotary index")
            self.assertTrue(offer.fits)
            weighed = {each.offer.way: each for each in weighed_ways(plan, 1)}
            chosen = with_way(wanted, 1, "rotary index", plan)
            plan = plan_of(chosen)
            (turn,) = turns_of(plan)
            self.assertEqual((turn.way, turn.stays), ("rotary index", True))
            self.assertEqual({each.word: each.degrees for each in chosen.setups[1].index}, index)
            np.testing.assert_allclose(plan.setups[1].setup.orientation.matrix()[2], _direction(up), atol=1e-12)
            self.assertNotEqual(chosen.setups[0].offset, chosen.setups[1].offset)
            pair = far_side(turn, plan)
            self.assertAlmostEqual(weighed["rotary index"].pair.expanded, pair.expanded, delta=1e-9)
            self.assertEqual({each.source.kind for each in pair.enters} - {"lands", "centre", "index"}, set())
        unseen = set_value(wanted, ("machines", 0, "carriers", 1, "sense"), None)
        near = SWEPT.model_copy(update={"lowest_deg": -45.0, "highest_deg": 45.0})
        near = set_value(wanted, ("machines", 0, "carriers", 0), near)
        for changed, why in (
            (unseen, "which way the axis turns is not known"),
            (set_value(wanted, ("setups", 1, "orientation"), {"up": "-Z", "right": "+X"}), ""),
            (near, "no square angles"),
        ):
            plan = plan_of(changed)
            offer = next(each for each in way_offers(plan, turns_of(plan)[0]) if each.way == "rotary index")
            self.assertIn(why, offer.why_not) if why else self.assertTrue(offer.fits)
            if why:
                with self.assertRaisesRegex(InvalidValueError, why):
                    with_way(changed, 1, "rotary index", plan)


def _direction(words):
    return np.eye(3)["XYZ".index(words[1])] * (1.0 if words[0] == "+" else -1.0)


class GravityTest(unittest.TestCase):
    def test_what_nothing_stands_below(self):
        """A leaf of the demo lies against three dowels: two of them below it, and turned over, above."""
        plan = shipped_plan("hinge-leaves")
        self.assertEqual(told(plan, "NOTHING_BELOW"), ["Op 20"])
        upright = set_value(plan.job, ("machines", 0, "spindle"), "vertical")
        self.assertEqual(told(make_plan(upright, plan.models), "NOTHING_BELOW"), [])
        # Without those two, the third beside it bears nothing; a quarter further round it does.
        beside = set_value(plan.job, ("setups", 0, "hold", "dowels"), plan.setups[0].setup.hold.dowels[:1])
        self.assertEqual(told(make_plan(beside, plan.models), "NOTHING_BELOW"), ["Op 10", "Op 20"])
        stands = next(k for k, each in enumerate(beside.machine.stations) if each.id == beside.setups[0].station)
        turned = set_value(beside, ("machines", 0, "stations", stands, "turn_deg"), 90.0)
        self.assertEqual(told(make_plan(turned, plan.models), "NOTHING_BELOW"), ["Op 20"])


def told(plan, code):
    return [each.setup for each in findings_of(plan) if each.code == code]


if __name__ == "__main__":
    unittest.main()
