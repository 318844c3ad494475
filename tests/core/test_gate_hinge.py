"""The demo *gate hinge*, by numbers that are worked out from its drawing: two halves of 60 x 56 x 30 that meet at X 58,
and a nest whose zero, the middle of its seat, stands at (-240, -180, -460)."""

from __future__ import annotations

import math
import unittest
from functools import cache

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.true_world import TrueClamping, TrueWorld
from ledgecliff.core.route import scenes_of
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models
from tests.draws import draws
from tests.jobs import point
from tests.rehearsals import rehearsed


@cache
def models():
    return load_models(read_job(demo_job("gate-hinge")), demo_job("gate-hinge"))


@cache
def plan():
    return make_plan(read_job(demo_job("gate-hinge")), models())


class GateHingeTest(unittest.TestCase):
    def test_its_route(self):
        kinds = [scene.kind for scene in scenes_of(plan())]
        self.assertEqual(kinds, ["stock", "bench", "bench", "setup", "turn", "setup", "bench", "finished"])
        self.assertEqual(findings_of(plan()), ())

    def test_the_blank(self):
        glued = plan().bench[0][0]
        self.assertAlmostEqual(glued.after.volume, 2 * 60 * 56 * 30, 3)
        self.assertAlmostEqual(glued.joint, 56 * 30, 3)
        # Finished: 116 x 52 x 24 with four corners of 10, less eye, bolt holes and counterbore.
        corners = (4.0 - math.pi) * 10**2
        round_holes = math.pi * (10**2 * 19 + 16**2 * 5 + 4 * 4.5**2 * 24)
        self.assertAlmostEqual(plan().finished.volume, (116 * 52 - corners) * 24 - round_holes, delta=120.0)

    def test_in_the_nest(self):
        """The part's middle lies over the nest's zero: 58 from its pad, 26 from its pins; each toe was drawn 6 off."""
        held = plan().setups[1]
        middle = held.located.tf_m_u((held.holding.u_part[0] + held.holding.u_part[1]) / 2.0)
        np.testing.assert_allclose(middle[:2], (-240, -180), atol=1e-6)
        np.testing.assert_allclose(held.located.m_offset, (-240, -180, -460), atol=1e-6)
        self.assertEqual([(name, round(way, 6)) for name, way in held.holding.own.ways],
                         [("right toe", 6.0), ("rear toe", 6.0)])  # fmt: skip

    def test_the_nest_in_five_worlds(self):
        """By its own faces and bore: each finds where the nest is."""
        face, bore = {"source": "fixture face"}, AxisDatum(source="fixture bore")
        left = AxisDatum(**face, face="left pad")
        routine = {"depth": 4.0, "guess": 0.6}
        for x, at in ((left, -58.0), (bore, 70.0)):
            job = read_job(demo_job("gate-hinge"))
            datum = Datum(x=x, y=bore, z=AxisDatum(**face, face="seat"))
            job = set_value(job, ("setups", 1, "datum"), datum)
            for field, value in routine.items():
                job = set_value(job, ("setups", 1, "probing", field), value)
            made = make_plan(job, models())
            worlds = ((0, 0, 0), (0.2, -0.1, 0.1), (-0.15, 0.2, 0), (0, 0.1, -0.2), (0.3, 0.3, 0.05))
            for off in worlds[-draws(1, 5) :]:
                with self.subTest(x=x.source, off=off):
                    clampings = (TrueClamping(name="Op 10"), TrueClamping(name="Op 20", fixture_off=point(*off)))
                    result = rehearsed(made, world=TrueWorld(seed=2, setups=clampings)).setups[1]
                    if result.stopped:  # the part covers the pad: it is planned as a finding, and not run
                        self.assertIn("TOUCH_BURIED", {each.code for each in findings_of(made)})
                        continue
                    wanted = np.array([-240 + at, -180 + 40, -460]) + off
                    np.testing.assert_allclose(result.true, wanted, atol=1e-6)
                    np.testing.assert_allclose(result.found, wanted, atol=0.004)


if __name__ == "__main__":
    unittest.main()
