"""Rotary axes put on a machine, fixtures put on them, setups stood at an index."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.rotary import (
    clamping_words,
    happened_to,
    rotaries,
    stand_at,
    stand_on,
    with_clamping_words,
    with_rotary,
    without_rotary,
)
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.holding import BoardHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.stations import AxisTurn, Mount
from tests.core.test_rotary_schools import TABLE, TILTING, A, C, indexed_job
from tests.jobs import block_job, plan_of, point, station_id

PLATE, INDEXES = station_id("plate"), ((0, 0), (90, 0), (-35, 120))


def stands(job, station=PLATE):
    return next(each for each in job.machine.stations if each.id == station)


class RotaryTest(unittest.TestCase):
    def test_added_without_knowing_anything(self):
        job = with_rotary(with_rotary(with_rotary(block_job(), 0), 0), 0)
        axes = rotaries(job.machine)
        self.assertEqual([(each.word, each.about) for each in axes], [("A", "x"), ("B", "y"), ("C", "z")])
        self.assertEqual({(each.sense, each.origin) for each in axes}, {(None, "assumed")})
        with self.assertRaisesRegex(InvalidValueError, "A, B and C are there already"):
            with_rotary(job, 0)
        self.assertEqual([each.word for each in rotaries(without_rotary(job, 0, axes[1].id).machine)], ["A", "C"])
        again = with_rotary(without_rotary(job, 0, axes[1].id), 0)
        self.assertEqual({each.word for each in rotaries(again.machine)}, {"A", "B", "C"})

    def test_nothing_is_left_in_the_air(self):
        for axis, name in ((A, "table"), (C, "plate")):
            with self.assertRaisesRegex(InvalidValueError, f"'{name}' stands on it"):
                without_rotary(indexed_job(), 0, axis)

    def test_a_fixture_stays_where_it_is(self):
        """Onto a pallet that lies shifted and turned, and back: planned offsets are what they were."""
        pallet = Mount(id=derived_id("pallet"), name="pallet", on=C, at=point(-300, -200, -400),
                       turned=(AxisTurn(about="z", degrees=30.0),))  # fmt: skip
        job = set_value(indexed_job(indexes=INDEXES), ("machines", 0, "carriers"), (TILTING, TABLE, pallet))
        moved = stand_on(job, 0, PLATE, pallet.id)
        self.assertAlmostEqual(stands(moved).turn_deg, -30.0)
        # By hand: (-102.12, -10.74) turned back by 30 degrees.
        np.testing.assert_allclose(stands(moved).at.as_tuple(), (-93.808514, 41.758887, 59.0), atol=1e-6)
        for before, after in zip(plan_of(job).setups, plan_of(moved).setups, strict=True):
            np.testing.assert_allclose(after.planned_offset, before.planned_offset, atol=1e-9)
        back = stand_on(moved, 0, PLATE, C)
        np.testing.assert_allclose(stands(back).at.as_tuple(), stands(job).at.as_tuple(), atol=1e-9)

    def test_angles_of_axes_that_carry_it_no_more_are_let_go(self):
        job = stand_on(indexed_job(), 0, PLATE, A)
        self.assertEqual([each.word for each in job.setups[2].index], ["A"])
        self.assertEqual(stand_on(job, 0, PLATE, None).setups[2].index, ())
        # What is clamped elsewhere on the axes keeps its own.
        both = stand_on(indexed_job(), 0, station_id("board"), C)
        elsewhere = both.setups[1].model_copy(update={"hold": BoardHold(), "station": station_id("board")})
        left = stand_on(set_value(both, ("setups", 1), elsewhere), 0, PLATE, None)
        self.assertEqual([len(each.index) for each in left.setups], [0, 2, 0, 0, 0])

    def test_a_tilted_carrier_is_refused(self):
        wedge = Mount(id=derived_id("wedge"), name="wedge", at=point(0, 0, 0),
                      turned=(AxisTurn(about="x", degrees=5.0),))  # fmt: skip
        job = set_value(block_job(), ("machines", 0, "carriers"), (wedge,))
        with self.assertRaisesRegex(InvalidValueError, "stands tilted"):
            stand_on(job, 0, PLATE, wedge.id)

    def test_an_index_is_stated(self):
        job = stand_at(stand_at(indexed_job(indexes=((0, 0),)), 0, "C", 45.0), 0, "A", -30.0)
        self.assertEqual([(each.word, each.degrees) for each in job.setups[0].index], [("A", -30.0), ("C", 45.0)])
        for degrees in ("twelve", float("nan"), 1e6):
            with self.assertRaises(InvalidValueError):
                stand_at(job, 0, "A", degrees)
        unknown = indexed_job(TILTING.model_copy(update={"sense": None}), TABLE, indexes=((0, 0),))
        with self.assertRaisesRegex(InvalidValueError, "which way A turns is not known"):
            stand_at(unknown, 0, "A", 90.0)

    def test_words_and_mishaps(self):
        job, path = indexed_job(), ("machines", 0, "carriers", 0)
        worded = with_clamping_words(job, path, "m78; M79 P2")
        cradle = worded.machine.carriers[0]
        self.assertEqual(
            (cradle.free_word, cradle.clamp_word, clamping_words(cradle)), ("M78", "M79 P2", "M78, M79 P2")
        )
        self.assertEqual(with_clamping_words(worded, path, "").machine.carriers[0].free_word, "")
        for text in ("M78", "M78, M78", "M78, M79, M80", "free, clamp"):
            with self.assertRaises(InvalidValueError):
                with_clamping_words(job, path, text)
        fallen = happened_to(happened_to(job, 0, A, "crash", "2026-04-01"), 0, A, "remounted", "2026-05-01")
        self.assertEqual(fallen.machine.carriers[0].stale_since().what, "remounted")
        self.assertIsNone(job.machine.carriers[0].stale_since())


if __name__ == "__main__":
    unittest.main()
