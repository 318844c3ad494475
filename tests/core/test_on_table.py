"""What stands on a machine: places, drawings to scale and the tape, against the plan's own offsets."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.items import Fill, Label, Stroke, Zero
from ledgecliff.core.drawing.table_instances import instance_items
from ledgecliff.core.drawing.table_views import table_views
from ledgecliff.core.edits.carriers import with_distance
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.stations import AxisTurn, IndexAngle, Mount
from ledgecliff.core.on_table import moved_to, on_table, shown_index
from ledgecliff.core.plan import make_plan
from ledgecliff.core.register.entries import Entry, Use
from ledgecliff.core.tape.table import station_tape
from tests.helpers import changed, demo, demo_plan, models, plan_with, shipped_plan
from tests.turn_jobs import ring_plan


class OnTableTest(unittest.TestCase):
    def test_each_station_with_who_is_clamped_there(self):
        left, right = on_table(demo_plan(), demo().machine)
        self.assertEqual((left.words, right.words), ("left vise · Op 10 G54", "right vise · Op 20 G55"))

    def test_the_box_holds_the_stock_where_the_offset_says_it_is(self):
        """The stock's own corners by the work offset: 100 by 68 about X and Y zero, from 1.5 above Z zero down 34."""
        left = on_table(demo_plan(), demo().machine)[0]
        offset = demo_plan().setups[0].planned_offset
        low, high = offset + np.array([-50.0, -34.0, -32.5]), offset + np.array([50.0, 34.0, 1.5])
        self.assertTrue((left.m_low <= low + 1e-9).all() and (left.m_high >= high - 1e-9).all())

    def test_a_turned_station_turns_its_box(self):
        """A quarter about Z: what was wide is deep."""
        path = ("machines", 0, "stations", 0, "turn_deg")
        before, after = (on_table(plan, plan.job.machine)[0] for plan in (demo_plan(), plan_with((path, 90.0))))
        wide, deep = (before.m_high - before.m_low)[:2]
        np.testing.assert_allclose((after.m_high - after.m_low)[:2], (deep, wide), atol=1e-6)

    def test_an_empty_vise_takes_the_room_it_opens_to(self):
        job = demo().model_copy(update={"setups": demo().setups[:1]})
        free = on_table(make_plan(job, models()), job.machine)[1]
        vise = job.machine.fixture("right vise")
        self.assertEqual(free.words, "right vise · free")
        size = free.m_high - free.m_low
        self.assertAlmostEqual(size[0], vise.jaw_width)
        self.assertAlmostEqual(size[1], vise.opening_max + 2.0 * vise.jaw_thickness)
        self.assertAlmostEqual(size[2], vise.jaw_height + vise.bed_height)

    def test_boards_and_what_is_on_them(self):
        plan = ring_plan("on-pins")
        used = [each for each in on_table(plan, plan.job.machine) if each.setups]
        self.assertEqual([len(each.setups) for each in used], [2], "both sides lie on one board")

    def test_a_drag_comes_to_a_whole_place(self):
        left = on_table(demo_plan(), demo().machine)[0]
        self.assertEqual(moved_to(left, (10.4, -3.6), 1.0), (-510.0, -184.0))
        self.assertEqual(moved_to(left, (0.0, 0.0), 1.0), (left.station.at.x, left.station.at.y))


class TableViewsTest(unittest.TestCase):
    def test_zeros_travel_and_reach_are_where_the_machine_has_them(self):
        machine, plan = demo().machine, demo_plan()
        above, front = table_views(plan, machine)
        for drawing, (i, j) in ((above, (0, 1)), (front, (0, 2))):
            zeros = [item.at for item in drawing.items if isinstance(item, Zero)]
            self.assertEqual(zeros, [(s.located.m_offset[i], s.located.m_offset[j]) for s in plan.setups])
        travel = next(item for item in above.items if isinstance(item, Stroke) and item.source == "travel")
        self.assertEqual(travel.points[0], (machine.travel_min.x, machine.travel_min.y))
        self.assertEqual(travel.points[2], (machine.travel_max.x, machine.travel_max.y))
        reach = next(item for item in front.items if isinstance(item, Stroke) and item.source == "travel")
        longest = max(cutter.tip_length for cutter in machine.cutters)
        self.assertAlmostEqual(reach.points[0][1], machine.travel_min.z - longest)

    def test_bodies_are_drawn_to_scale(self):
        """The first Fill of raw stock from above is 100 by 68."""
        above, _ = table_views(demo_plan(), demo().machine)
        raw = next(item for item in above.items if isinstance(item, Fill) and item.surface == "raw")
        points = np.array(raw.rings[0])
        np.testing.assert_allclose(np.ptp(points, axis=0), (100.0, 68.0), atol=1e-4)

    def test_all_of_it_lies_within_its_bounds(self):
        for plan in (demo_plan(), ring_plan("on-pins")):
            for drawing in table_views(plan, plan.job.machine):
                for item in drawing.items:
                    for x, y in item.points if isinstance(item, Stroke) else ():
                        self.assertTrue(
                            drawing.low[0] <= x <= drawing.high[0] and drawing.low[1] <= y <= drawing.high[1]
                        )

    def test_the_station_in_hand_is_framed(self):
        left = on_table(demo_plan(), demo().machine)[0]
        for picked, count in (("", 0), (left.source, 1)):
            above, _ = table_views(demo_plan(), demo().machine, picked)
            framed = [item for item in above.items if isinstance(item, Stroke) and item.line == "zero"]
            self.assertEqual(len(framed), count)
        self.assertIn(left.words, [item.text for item in above.items if isinstance(item, Label)])


class StationTapeTest(unittest.TestCase):
    def test_station_and_way_add_up_to_the_planned_offset(self):
        for lengths_from in ("gauge line", "reference plane"):
            job = changed((("machines", 0, "lengths_from"), lengths_from), (("machines", 0, "reference_z"), -480.0))
            plan = make_plan(job, models())
            for each in on_table(plan, job.machine):
                lines = station_tape(each).lines
                start = next(k for k, line in enumerate(lines) if line.text.startswith("Op "))
                total = 0.0
                for line in lines[start + 1 :]:
                    if line.kind == "total":
                        axis = "XYZ".index(line.text.split()[1])
                        self.assertAlmostEqual(total, line.mm)
                        self.assertAlmostEqual(line.mm, each.setups[0].planned_offset[axis])
                        total = 0.0
                    elif line.mm is not None:
                        total += line.mm

    def test_what_is_carried_is_told_where_it_is_on_the_machine(self):
        """The left vise on a mount that is turned a quarter about Z: x and y of its place become -y and x there."""
        station = demo().machine.stations[0]
        mount = Mount(
            id=derived_id("pallet"), name="pallet", at=Point(x=-100.0, y=-50.0, z=20.0),
            turned=(AxisTurn(about="z", degrees=90.0),),
        )  # fmt: skip
        at = Point(x=-30.0, y=400.0, z=-500.0)
        job = changed(
            (("machines", 0, "carriers"), (mount,)),
            (("machines", 0, "stations", 0), station.model_copy(update={"at": at, "on": mount.id})),
        )
        each = on_table(make_plan(job, models()), job.machine)[0]
        lines = {line.text: line.mm for line in reversed(station_tape(each).lines)}
        place = (-100.0 - 400.0, -50.0 - 30.0, 20.0 - 500.0)
        for axis, mm, own in zip("XYZ", place, at.as_tuple(), strict=True):
            self.assertAlmostEqual(lines[f"machine {axis}"], mm)
            self.assertAlmostEqual(lines[f"station {axis}"], mm)
            self.assertAlmostEqual(lines[f"{axis} on its carrier"], own)
        self.assertTrue((each.m_low[:2] <= place[:2]).all() and (each.m_high[:2] >= place[:2]).all())

    def test_who_stands_on_a_face_by_a_pattern_and_which_are_numbered(self):
        plan = shipped_plan("hinge-leaves")
        seen = on_table(plan, plan.job.machine)
        self.assertEqual(
            [each.words for each in seen],
            ["plate 1 · Op 10 G54 × 12", "plate 2 · Op 20 G55 × 12", "plate 3 · Op 10 too", "plate 4 · Op 20 too"],
        )
        # With the column at nought the first face looks to the spindle, and the one behind it away.
        for at, shown in ((0.0, "1"), (180.0, "2"), (90.0, "")):
            first = on_table(plan, plan.job.machine, (IndexAngle(word="B", degrees=at),))[0]
            names = [each.text for each in instance_items(first, (0, 1)) if isinstance(each, Label)]
            self.assertEqual([name.split(".")[0] for name in names], [shown] * 6 if shown else [])
            self.assertEqual([each for each in instance_items(first, (0, 2)) if isinstance(each, Label)], [])

    def test_a_face_is_told_as_it_measures(self):
        plan = shipped_plan("hinge-leaves")
        face = ("machines", 0, "carriers", 2)
        job = with_distance(
            set_value(plan.job, (*face, "tilt_y_deg"), -0.02), 0, plan.job.machine.carriers[2].id, 150.25
        )
        job = set_value(job, (*face, "measured_on"), "2026-05-04")
        each = on_table(make_plan(job, plan.models), job.machine)[1]
        tape = station_tape(each)
        texts = [line.text for line in tape.lines]
        for words in ("carried by face at B90, measured on 2026-05-04", "out of square by -0.0200° about its Y",
                      "carried by column, rotary axis B"):  # fmt: skip
            self.assertIn(words, texts)
        self.assertIn(150.25, [round(line.mm, 9) for line in tape.lines if line.mm is not None])
        self.assertEqual(tape.about, "on face at B90") if hasattr(tape, "about") else None

    def test_all_is_shown_as_the_station_in_hand_has_the_axes(self):
        """At B0 the other leaf stands at the left of the column, at B90 before the spindle: by the worked example."""
        plan = shipped_plan("hinge-leaves")
        machine = plan.job.machine
        for index, at in (((), (-500.0, 110.0, -780.0)), (plan.job.setups[1].index, (-310.0, 110.0, -670.0))):
            each = on_table(plan, machine, index)[1]
            ((setup, shown),) = each.drawn
            np.testing.assert_allclose(shown(setup.located.m_offset), at, atol=1e-6)
            self.assertTrue((each.m_low <= np.array(at) + 1e-6).all() and (each.m_high >= np.array(at) - 1e-6).all())
        self.assertEqual(shown_index(plan, machine, plan.job.setups[1].station), plan.job.setups[1].index)
        self.assertEqual(shown_index(plan, machine, "nowhere"), ())

    def test_many_setups_are_named_in_short(self):
        plan = shipped_plan("sluice-valve-block")
        (station,) = on_table(plan, plan.job.machine)
        self.assertEqual(station.short_words, "trunnion vise · Op 10 G54 and 5 more")

    def test_the_owner_of_its_code_is_told(self):
        each = on_table(demo_plan(), demo().machine)[0]
        theirs = (Entry("G54", use=Use("Sluice gate", "Op 10")),)
        texts = [line.text for line in station_tape(each, theirs).lines]
        self.assertIn("the register keeps G54 for Sluice gate · Op 10", texts)
        self.assertIn("the register has G54 for nobody", [line.text for line in station_tape(each).lines])

    def test_moved_by_so_much_every_total_moves_by_so_much(self):
        path = ("machines", 0, "stations", 0, "at", "x")
        totals = []
        for job in (demo(), set_value(demo(), path, demo().machine.stations[0].at.x + 7.5)):
            each = on_table(make_plan(job, models()), job.machine)[0]
            totals.append([line.mm for line in station_tape(each).lines if line.kind == "total"])
        np.testing.assert_allclose(np.subtract(totals[1], totals[0]), (7.5, 0.0, 0.0), atol=1e-9)
