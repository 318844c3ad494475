"""Zeros and feature coordinates: the worked example, and what must hold for any orientation."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core import changing
from ledgecliff.core.datums import Wcs, coordinate_tape, datum_choices, datum_words, source_height
from ledgecliff.core.edits import lying
from ledgecliff.core.edits.setups import with_jaws, with_reference_bore
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.orientation import Orientation, all_orientations
from ledgecliff.core.model.setup import AxisDatum
from ledgecliff.core.model.stations import AxisTurn
from ledgecliff.core.plan import make_plan
from tests.core.rehearsal.test_rotary_axis import chuck_job
from tests.helpers import demo, demo_plan, models, plan_with


def reading(plan, setup, name):
    row = next(row for row in plan.setups[setup].readings if row.name == name)
    return (row.x, row.y, row.z)


class WorkedExampleTest(unittest.TestCase):
    def test_worked_coordinates(self):
        """As published."""
        for setup, name, expected in (
            (0, "main bore", (-18, 0, 0)),
            (0, "bolt hole NE", (32, 20, -28)),
            (1, "main bore", (0, 0, 0)),
            (1, "bolt hole NE", (50, -20, 28)),
            (1, "port", (66, 0, 16)),
        ):
            with self.subTest(setup=setup, name=name):
                np.testing.assert_allclose(reading(demo_plan(), setup, name), expected, atol=1e-9)

    def test_worked_origins(self):
        np.testing.assert_allclose(demo_plan().setups[0].wcs.p_origin, (48, 32, 28), atol=1e-9)
        np.testing.assert_allclose(demo_plan().setups[1].wcs.p_origin, (30, 32, 28), atol=1e-9)

    def test_worked_op_30(self):
        """Part +X up, +Y right, fixed jaw against the part's top: the port reads (0, -16, 96)."""
        third = changing.set_value(demo(), ("setups", 1, "orientation"), Orientation(up="+X", right="+Y"))
        for axis, source in (("x", "part centre"), ("y", "part plus side"), ("z", "parallels")):
            third = lying.set_datum(third, 1, axis, source)
        # In the worked example Op 20 has cleared the stock before; here only the frame is at stake.
        plan = make_plan(third, models())
        x, y, z = reading(plan, 1, "port")
        self.assertAlmostEqual(x, 0)
        self.assertAlmostEqual(y, -16)
        self.assertAlmostEqual(z - (96 - (plan.setups[1].wcs.u_origin[2] - 0)), 0, delta=1e-9)

    def test_planned_offsets_by_hand(self):
        """Op 10: bed -480 + parallels 38 + 32.5 up to the finished top; jaw -180 less half of 68."""
        np.testing.assert_allclose(demo_plan().setups[0].located.m_offset, (-520, -214, -409.5))
        # Op 20: the bore is 18 left of the part's middle; Z zero on the parallels.
        np.testing.assert_allclose(demo_plan().setups[1].located.m_offset, (-258, -212, -456))


class SourceTest(unittest.TestCase):
    """Every source of Op 10, by hand: stock -2..98 x -2..66 x -4.5..29.5 round the part 96 x 64 x 28."""

    def test_sources(self):
        for axis, source, origin in (
            ("x", "stock centre", 48),
            ("x", "stock minus side", -2),
            ("x", "stock plus side", 98),
            ("x", "part centre", 48),
            ("x", "part minus side", 0),
            ("x", "part plus side", 96),
            ("y", "stock plus side", 66),
            ("y", "part minus side", 0),
            ("y", "fixed jaw", 66),
            ("z", "parallels", -4.5),
            ("z", "stock top", 29.5),
            ("z", "part top", 28),
        ):
            with self.subTest(axis=axis, source=source):
                plan = make_plan(lying.set_datum(demo(), 0, axis, source), models())
                self.assertAlmostEqual(plan.setups[0].wcs.p_origin["xyz".index(axis)], origin)

    def test_what_stands_in_where_the_source_is_not_there(self):
        """The middle of the stock: for the jaw of the other axis, and for a bore or an axis that is not there."""
        holding = demo_plan().setups[0].holding
        for axis, source, expected in (
            ("x", "fixed jaw", 48.0), ("y", "fixed jaw", 66.0), ("x", "fixture bore", 48.0),
            ("y", "fixture bore", 32.0), ("x", "rotary axis", 48.0), ("y", "rotary axis", 32.0),
            ("z", "rotary axis", 12.5),
        ):  # fmt: skip
            found = source_height(axis, AxisDatum.model_construct(source=source, shift=0.0, feature=None), holding, ())
            self.assertAlmostEqual(found, expected, msg=(axis, source))

    def test_nought_has_no_sign(self):
        """Turned over, what lies in the zero reads 0, not -0."""
        wcs = demo_plan().setups[1].wcs
        self.assertFalse(np.signbit(wcs.reads(wcs.p_origin)).any())
        flat = Wcs(Orientation(up="-Z", right="+X"), np.zeros(3))
        self.assertFalse(np.signbit(flat.p_origin).any())

    def test_a_shift_moves_the_zero_in_the_machines_plus_direction(self):
        for setup in (0, 1):
            for axis in AXES:
                plan = plan_with((("setups", setup, "datum", axis, "shift"), 3.25))
                before = np.array(reading(demo_plan(), setup, "port"))
                after = np.array(reading(plan, setup, "port"))
                expected = np.zeros(3)
                expected["xyz".index(axis)] = -3.25
                np.testing.assert_allclose(after - before, expected, atol=1e-9)


class InvarianceTest(unittest.TestCase):
    def test_distances_between_features_do_not_depend_on_orientation_or_zero(self):
        points = np.array([feature.at.as_tuple() for feature in demo().part.features])
        apart = np.linalg.norm(points[:, None] - points[None], axis=2)
        for orientation in all_orientations()[::3]:
            job = changing.set_value(demo(), ("setups", 1, "orientation"), orientation)
            rows = make_plan(job, models()).setups[1].readings
            found = np.array([(row.x, row.y, row.z) for row in rows])
            np.testing.assert_allclose(np.linalg.norm(found[:, None] - found[None], axis=2), apart, atol=1e-9)

    def test_handedness_is_kept(self):
        """Three directions of features keep their triple product: no axis is mirrored."""
        names = ("bolt hole SW", "bolt hole SE", "bolt hole NW", "pocket")
        part = {feature.name: np.array(feature.at.as_tuple()) for feature in demo().part.features}

        def triple(points):
            a, b, c, d = (points[name] for name in names)
            return float(np.dot(np.cross(b - a, c - a), d - a))

        for setup in demo_plan().setups:
            found = {row.name: np.array((row.x, row.y, row.z)) for row in setup.readings}
            self.assertAlmostEqual(triple(found), triple(part), places=6)

    def test_machine_place_of_a_feature_does_not_depend_on_the_zero(self):
        """E + w is where the feature is; another datum must not move it."""
        base = demo_plan().setups[0]
        other = make_plan(lying.set_datum(demo(), 0, "x", "stock minus side"), models()).setups[0]
        for a, b in zip(base.readings, other.readings, strict=True):
            self.assertAlmostEqual(base.located.m_offset[0] + a.x, other.located.m_offset[0] + b.x)


class WordsTest(unittest.TestCase):
    def test_sides_by_name(self):
        self.assertEqual(datum_words("x", AxisDatum(source="stock minus side")), "stock left side")
        self.assertEqual(datum_words("y", AxisDatum(source="part plus side")), "part back side")
        self.assertEqual(datum_words("x", AxisDatum(source="feature", feature="main bore")), "main bore")

    def test_choices_offer_each_source_once(self):
        for axis in AXES:
            choices = datum_choices(axis, demo(), 0)
            self.assertEqual(len({choice.words for choice in choices}), len(choices))
        self.assertIn("main bore", [choice.words for choice in datum_choices("x", demo(), 0)])
        self.assertNotIn("pocket", [choice.words for choice in datum_choices("x", demo(), 0)])
        self.assertNotIn("main bore", [choice.words for choice in datum_choices("z", demo(), 0)])

    def test_choices_are_those_that_the_setup_has(self):
        """Carried over from a setup before, a bore where jaws have one, an axis where a chuck holds."""

        def sources(job, setup):
            return {choice.source for choice in datum_choices("x", job, setup)}

        self.assertNotIn("carried over", sources(demo(), 0))
        self.assertIn("carried over", sources(demo(), 1))
        self.assertFalse({"fixture bore", "rotary axis"} & sources(demo(), 0))
        bored = with_reference_bore(with_jaws(demo(), 0, "soft"), 0, True)
        self.assertIn("fixture bore", sources(bored, 0))
        self.assertIn("rotary axis", {choice.source for choice in datum_choices("y", chuck_job(), 0)})
        self.assertNotIn("feature", [c.source for c in datum_choices("x", demo(), 0) if c.feature is None])


class CoordinateTapeTest(unittest.TestCase):
    def test_it_says_which_part_direction_lies_along_each_axis(self):
        """Turned about X: machine Y is part -Y, machine Z is part -Z."""
        told = {}
        for setup in demo_plan().setups:
            tape = coordinate_tape(demo().part.features[0], setup.wcs, setup.setup.name)
            told[setup.setup.name] = [line.text for line in tape.lines if line.text.startswith("machine")]
        self.assertEqual(told["Op 10"], ["machine X is part +X", "machine Y is part +Y", "machine Z is part +Z"])
        self.assertEqual(told["Op 20"], ["machine X is part +X", "machine Y is part −Y", "machine Z is part −Z"])

    def test_every_line_adds_up_to_the_reading(self):
        for setup in demo_plan().setups:
            for feature, row in zip(demo().part.features, setup.readings, strict=True):
                tape = coordinate_tape(feature, setup.wcs, setup.setup.name)
                totals = [line.mm for line in tape.lines if line.kind == "total"]
                np.testing.assert_allclose(totals, (row.x, row.y, row.z), atol=1e-9)
                for k in range(3):
                    turned, less, total = (line.mm for line in tape.lines[5 * k + 2 : 5 * k + 5])
                    self.assertAlmostEqual(turned + less, total)

    def test_where_the_part_does_not_lie_square_each_share_is_a_line(self):
        """Turned by 30° about X: Y is made of the part's Y and Z, Z of both too, X of the part's X alone."""
        turned = Orientation(tilted=(AxisTurn(about="x", degrees=30.0),))
        wcs = Wcs(turned, np.array([5.0, -2.0, 7.5]))
        feature = demo().part.features[0]
        x, y, z = feature.at.as_tuple()
        tape = coordinate_tape(feature, wcs, "Op 10")
        c, s = math.cos(math.radians(30.0)), math.sin(math.radians(30.0))
        totals = [line.mm for line in tape.lines if line.kind == "total"]
        np.testing.assert_allclose(totals, (x - 5.0, y * c - z * s + 2.0, y * s + z * c - 7.5), atol=1e-9)
        words = [line.text for line in tape.lines]
        self.assertIn("machine X is part +X", words)
        self.assertFalse({"machine Y is part +Y", "machine Z is part +Z"} & set(words))
        first = words.index("part Y, times 0.866025")
        shares = [line.mm for line in tape.lines[first : first + 3]]
        self.assertEqual(words[first + 1 : first + 3], ["part Z, times −0.500000", "along machine Y"])
        self.assertAlmostEqual(shares[0] + shares[1], shares[2])
