"""Findings about patterns, each made to fire and not to fire."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.machine import TableTop
from ledgecliff.core.plan import make_plan
from tests.core.patterns.test_instances import FACES
from tests.helpers import shipped_plan

PATTERN = ("setups", 0, "pattern")
STATION = ("machines", 0, "stations", 0)


def rack(*edits, demo="rack-shoes"):
    plan = shipped_plan(demo)
    job = plan.job
    for path, value in edits:
        job = set_value(job, path, value)
    return make_plan(job, plan.models)


def found(plan, code, setup="Op 10"):
    return [each for each in findings_of(plan) if each.code == code and each.setup == setup]


class StationFindingsTest(unittest.TestCase):
    def assert_fires(self, code, plan, *words, setup="Op 10"):
        hits = found(plan, code, setup)
        self.assertTrue(hits, f"{code} does not fire: {[f.code for f in findings_of(plan)]}")
        for word in words:
            self.assertIn(word, " ".join(each.message() + each.remedy() for each in hits))

    def assert_still(self, code, plan, setup="Op 10"):
        self.assertFalse(found(plan, code, setup), code)

    def test_the_demo_has_none(self):
        self.assertEqual([f"{f.setup} {f.code}" for f in findings_of(rack())], [])

    def test_instances_overlap(self):
        """Parts are 64.5 long, a pin of 8 stands at the left of each: 72.5 is the least pitch."""
        pitch = (*PATTERN, "layout", "column_pitch")
        self.assert_fires("INSTANCES_OVERLAP", rack((pitch, 72.0)), "1 and 2", "and 2 more")
        self.assert_still("INSTANCES_OVERLAP", rack((pitch, 73.0)))
        # Seven shoes are told, but none of a row that is one pitch off another.
        self.assert_fires("INSTANCES_OVERLAP", rack(((*PATTERN, "layout", "row_pitch"), 30.0)), "1 and 6")

    def test_a_shift_makes_two_of_them_overlap(self):
        own = ((*PATTERN, "instances"), [{"place": "2-1", "shift": {"x": 5.0, "y": 0.0, "z": 0.0}}])
        (hit,) = found(rack(own), "INSTANCES_OVERLAP")
        self.assertIn("2 and 3", hit.message())
        self.assertNotIn("1 and 2", hit.message())

    def test_a_tool_of_one_meets_what_holds_the_next(self):
        """Between two ends lie 9.5: a tool of 6 goes through beside one, one of 12 does not."""
        wide = (("machines", 0, "cutters", 1, "diameter"), 12.0)
        self.assert_fires("MEETS_NEIGHBOUR", rack(wide), "next station's stock", setup="Op 20")
        self.assert_still("MEETS_NEIGHBOUR", rack(), setup="Op 20")

    def test_off_the_plate(self):
        """Shoes lie 1.75 from the plate's left end with their pins in: 2 further they hang over."""
        x = (*PATTERN, "layout", "columns")
        self.assert_fires("OFF_PLATE", rack((x, 6)), "plate of ten")
        self.assert_still("OFF_PLATE", rack())
        for by, fires in ((21.0, False), (23.0, True)):
            shift = ((*PATTERN, "groups", 0, "shift"), {"x": -by, "y": 0.0, "z": 0.0})
            self.assertEqual(bool(found(rack(shift), "OFF_PLATE")), fires, by)

    def test_off_the_table(self):
        """The first shoe's stop pin begins at X -1008.25, the last row's pins end at -192.8."""
        table = ("machines", 0, "table")
        good = TableTop(left=-1009, right=0, front=-500, back=-100)
        self.assert_still("OFF_TABLE", rack((table, good)))
        self.assert_still("OFF_TABLE", rack())
        bad = TableTop(left=-1007, right=0, front=-500, back=-100)
        self.assert_fires("OFF_TABLE", rack((table, bad)), "1, 6", "1.250 mm")

    def test_outside_the_travel(self):
        """Bolt holes of the tenth are 50 right of its zero, at X -703: the travel must reach -653."""
        for end, fires in ((-652.0, False), (-654.0, True)):
            plan = rack((("machines", 0, "travel_max", "x"), end))
            self.assertEqual(bool(found(plan, "INSTANCE_OUTSIDE_TRAVEL")), fires, end)
        self.assert_fires("INSTANCE_OUTSIDE_TRAVEL", rack((("machines", 0, "travel_max", "x"), -654.0)), "5", "X")

    def test_outside_by_its_shift_alone(self):
        travel = (("machines", 0, "travel_max", "x"), -652.0)
        shift = ((*PATTERN, "groups", 0, "shift"), {"x": 6.0, "y": 0.0, "z": 0.0})
        self.assert_still("SHIFT_BEYOND_REACH", rack(shift))
        self.assert_fires("SHIFT_BEYOND_REACH", rack(travel, shift), "5 with")
        self.assert_still("INSTANCE_OUTSIDE_TRAVEL", rack(travel, shift))
        # Outside with and without it is not the shift's doing.
        self.assert_still("SHIFT_BEYOND_REACH", rack((("machines", 0, "travel_max", "x"), -654.0), shift))

    def test_more_codes_than_there_are(self):
        """Six standard ones, less the two of Op 20's first and Op 10's own, for ten parts."""
        few = (("machines", 0, "extended"), None)
        none = (("setups", 1, "pattern"), None)
        self.assert_fires("CODES_SHORT", rack(few, none, ((*PATTERN, "school"), "own each")), "needs 10", "5 for it",
                          "5 too few")  # fmt: skip
        self.assert_still("CODES_SHORT", rack(few, none))
        self.assert_still("CODES_SHORT", rack(none, ((*PATTERN, "school"), "own each")))

    def test_without_an_offset(self):
        codes = ("setups", 1, "pattern", "codes")
        kept = shipped_plan("rack-shoes").job.setups[1].pattern.codes
        self.assert_still("INSTANCE_WITHOUT_OFFSET", rack(), setup="Op 20")
        self.assert_fires("INSTANCE_WITHOUT_OFFSET", rack((codes, kept[:-1])), "kept for 5", setup="Op 20")

    def test_two_on_one_code(self):
        code = ("setups", 1, "pattern", "codes", 0, "offset")
        self.assert_still("OFFSET_OF_TWO", rack(), setup="Op 20")
        self.assert_fires("OFFSET_OF_TWO", rack((code, "G54.1 P2")), "2, 3", "G54.1 P2", setup="Op 20")
        self.assert_fires("OFFSET_OF_TWO", rack((code, "G55")), "1, 2", "G55", setup="Op 20")
        self.assert_fires("OFFSET_OF_TWO", rack((code, "G54")), "Op 20 and Op 10", setup="Op 20")

    def test_a_face_that_leans(self):
        plan = shipped_plan("hinge-leaves")
        for degrees, severity in ((180.0, None), (180.02, "warning"), (175.0, "error")):
            index = [{"word": "B", "degrees": degrees}]
            faces = [{"carrier": FACES[2].id, "index": index}]
            job = set_value(
                plan.job, PATTERN, {"faces": faces, "codes": [{"key": f"{FACES[2].id}/1-1", "offset": "G57"}]}
            )
            hits = found(make_plan(job, plan.models), "FACE_LEANS")
            self.assertEqual([hit.severity for hit in hits], [severity] if severity else [])

    def test_a_local_shift_turns_nothing(self):
        ring = {"kind": "ring", "count": 2, "middle_x": 150.0, "step_deg": 180.0, "turns_along": True}
        turning = ((*PATTERN, "layout"), ring)
        parallel = ((*PATTERN, "layout"), ring | {"turns_along": False})
        self.assert_fires("SHIFT_CANNOT_TURN", rack(turning), "2 stand turned")
        self.assert_still("SHIFT_CANNOT_TURN", rack(parallel))
        self.assert_still("SHIFT_CANNOT_TURN", rack(turning, ((*PATTERN, "school"), "own each")))

    def test_a_shift_older_than_the_recut(self):
        day = (*PATTERN, "groups", 1, "shifted_on")
        self.assert_still("SHIFT_BEFORE_RECUT", rack())
        self.assert_fires("SHIFT_BEFORE_RECUT", rack((day, "2026-03-01")), "back row", "2026-04-14", "0.200 mm")
        self.assert_fires("SHIFT_BEFORE_RECUT", rack((day, None)), "has no day")

    def test_a_finished_one_started_again(self):
        for state, again, fires in (("on", True, True), ("on", False, False), ("finished", True, False)):
            own = ((*PATTERN, "instances"), [{"place": "3-1", "state": state, "finished_before": again}])
            self.assertEqual(bool(found(rack(own), "STARTED_AGAIN")), fires, (state, again))

    def test_more_parts_than_the_next_takes(self):
        """Nine of ten are on; five at a time in two loads take ten."""
        loads = ("setups", 1, "pattern", "loads")
        self.assert_still("MORE_PARTS_WAITING", rack(), setup="Op 20")
        self.assert_fires(
            "MORE_PARTS_WAITING", rack((loads, 1)), "takes 5 parts", "9 come", "4 are left", setup="Op 20"
        )
        self.assert_fires("MORE_PARTS_WAITING", rack(((*PATTERN, "loads"), 2)), "takes 10", "18 come", setup="Op 20")
        self.assert_still("MORE_PARTS_WAITING", rack(((*PATTERN, "loads"), 2), (loads, 4)), setup="Op 20")

    def test_a_plate_for_all_does_not_stand_in_itself(self):
        self.assert_still("STATIONS_OVERLAP", rack())
        together = ((*STATION, "at", "x"), -700.0)
        self.assert_fires("STATIONS_OVERLAP", rack(together), "Op 20")
