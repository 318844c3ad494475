"""Findings about rotary axes, each fired and kept silent."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.setup import AxisDatum
from ledgecliff.core.remedies.tried import with_fix
from tests.core.rehearsal.test_rotary_axis import chuck_job
from tests.core.test_rotary_schools import TABLE, TILTING, indexed_job
from tests.jobs import plan_of


def found(job, code):
    return [finding for finding in findings_of(plan_of(job)) if finding.code == code]


class LimitsTest(unittest.TestCase):
    def test_an_index_it_cannot_reach(self):
        for low, high, fires in (
            (-30, 110, 0),
            (-30, 90, 0),
            (-110, 89.9, 1),
            (91, None, 2),
            (None, 0, 1),
            (None, None, 0),
        ):
            cradle = TILTING.model_copy(update={"lowest_deg": low, "highest_deg": high})
            said = found(indexed_job(cradle, TABLE, indexes=((0, 0), (90, 90))), "INDEX_OUT_OF_LIMITS")
            self.assertEqual(len(said), fires, (low, high))
        cradle = TILTING.model_copy(update={"lowest_deg": -110.0, "highest_deg": 60.0})
        (said,) = found(indexed_job(cradle, TABLE, indexes=((0, 0), (90, 90))), "INDEX_OUT_OF_LIMITS")
        self.assertIn("Op 20 stands at A90, and 'cradle' goes from -110° to 60°", said.message())
        with self.assertRaisesRegex(InvalidValueError, "ends before it begins"):
            set_value(indexed_job(cradle, TABLE), ("machines", 0, "carriers", 0, "lowest_deg"), 60.0)


class CentreTest(unittest.TestCase):
    def job(self, *, cradle, table, carried=(1, 2), indexes=((0, 0), (90, 0), (90, 90))):
        carriers = (TILTING.model_copy(update={"origin": cradle}), TABLE.model_copy(update={"origin": table}))
        job = indexed_job(*carriers, indexes=indexes)
        for number in carried:
            job = set_value(job, ("setups", number, "datum", "x"), AxisDatum(source="carried over"))
        return job

    def fired(self, **what):
        job = self.job(**what)
        return [
            (f.code, f.setup)
            for f in findings_of(plan_of(job))
            if f.code.startswith("CENTRE_") and "SIDE" not in f.code
        ]

    def test_only_what_a_zero_hangs_on(self):
        self.assertEqual(self.fired(cradle="test cut", table="table bore"), [])
        self.assertEqual(self.fired(cradle="assumed", table="table bore"), [("CENTRE_ASSUMED", "Op 20")])
        self.assertEqual(self.fired(cradle="trunnion faces", table=None), [("CENTRE_UNSAID", "Op 30")])
        self.assertEqual(self.fired(cradle="assumed", table=None, carried=()), [])
        self.assertEqual(self.fired(cradle="assumed", table=None, carried=(1,)), [("CENTRE_ASSUMED", "Op 20")])
        # Op 30 has its value from Op 20, whatever Op 10 stood at.
        there_and_back = {"indexes": ((0, 0), (90, 0), (0, 0)), "carried": (2,), "table": "table bore"}
        self.assertEqual(self.fired(cradle="assumed", **there_and_back), [("CENTRE_ASSUMED", "Op 30")])
        # Turned up and left so, the cradle has put the table's axis where it hangs on both centres; level, it has not.
        for tilt, told in ((90, [("CENTRE_ASSUMED", "Op 30")]), (0, [])):
            aside = {"indexes": ((0, 0), (tilt, 0), (tilt, 90)), "carried": (2,), "table": "table bore"}
            self.assertEqual(self.fired(cradle="assumed", **aside), told)
        # C never turns between these indexes.
        still = ((0, 0), (90, 0), (45, 0))
        self.assertEqual(self.fired(cradle="test cut", table="assumed", indexes=still), [])

    def test_a_zero_carried_over_stays_while_the_part_turns_about_the_centre(self):
        """What the finding claims: the value is kept, and the part's place from it goes with the centre (1 - R) e."""
        job = self.job(cradle="assumed", table="table bore", indexes=((0, 0), (90, 0), (90, 90)))
        for axis in "yz":
            job = set_value(job, ("setups", 1, "datum", axis), AxisDatum(source="carried over"))
        other = set_value(job, ("machines", 0, "carriers", 0, "centre", "y"), -210.4)
        readings = []
        for each in (job, other):
            first, second = plan_of(each).setups[:2]
            np.testing.assert_allclose(second.planned_offset, first.planned_offset, atol=1e-9)
            reading = next(found for found in second.readings if found.name == "back port")
            readings.append(np.array([reading.x, reading.y, reading.z]))
        # e is (0.1, 0) in Y and Z; turned by a quarter it is (0, 0.1).
        np.testing.assert_allclose(readings[1] - readings[0], (0.0, 0.1, -0.1), atol=1e-9)


class ChuckTest(unittest.TestCase):
    def test_its_axis_is_where_it_is(self):
        job = chuck_job()
        self.assertEqual(found(job, "CHUCK_OFF_ITS_AXIS"), [])
        self.assertEqual(found(indexed_job(at=(-300.0, -100.0, -341.0)), "CHUCK_OFF_ITS_AXIS"), [])
        beside = set_value(job, ("machines", 0, "carriers", 0, "centre", "y"), job.machine.carriers[0].centre.y + 0.3)
        (said,) = found(beside, "CHUCK_OFF_ITS_AXIS")
        self.assertIn("is entered 0.300 mm beside that", said.message())
        self.assertEqual(found(with_fix(beside, said.fixes[0]), "CHUCK_OFF_ITS_AXIS"), [])
        # Along the axis the centre says nothing.
        along = set_value(job, ("machines", 0, "carriers", 0, "centre", "x"), -7.0)
        self.assertEqual(found(along, "CHUCK_OFF_ITS_AXIS"), [])
        k = next(k for k, each in enumerate(job.machine.stations) if each.on is not None)
        (said,) = found(set_value(job, ("machines", 0, "stations", k, "turn_deg"), 1.0), "CHUCK_OFF_ITS_AXIS")
        self.assertEqual(("lying another way" in said.message(), said.fixes), (True, ()))


if __name__ == "__main__":
    unittest.main()
