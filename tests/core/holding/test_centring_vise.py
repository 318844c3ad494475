"""A self-centring vise: the part's middle is at one place whatever its size, in the plan, the sums and the machine.

The true machine is asked where the blank's own solid ends; no formula of the holding is repeated.
"""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.blanks import moved
from ledgecliff.core.budget.sides import off_its_zero
from ledgecliff.core.edits.cycles import offers
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding import jaw_names
from ledgecliff.core.model.base import Point, Size
from ledgecliff.core.model.holding import PlateHold, ReferenceBore, SoftJaws, StepJaws, Vise
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Hole, Region
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.on_table import on_table
from ledgecliff.core.register.meaning import follows_from_fixture, meaning_of
from ledgecliff.core.rehearsal.clamped import Laid, clamp, true_blank
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.true_world import TrueClamping, TrueWorld
from ledgecliff.core.remedies.tried import with_fix
from ledgecliff.core.touchoff.surfaces import surfaces_of
from ledgecliff.core.turns.offers import way_offers
from ledgecliff.core.turns.surface_words import surface_words
from ledgecliff.core.turns.turn_plan import turns_of
from tests.helpers import demo
from tests.jobs import IN_VISE, block_job, feature, plan_of, setup
from tests.rehearsals import rehearsed

CENTRING = demo().machines[0].fixtures[0].model_copy(update={"centring": True})
SIZE = (60, 40, 30)
ROUTINE = ProbingRoutine(depth=6, guess=2)
#: Nothing of what a touch scatters (mm).
WITHIN = 0.006
UPPER = feature("upper", "hole", (20, 15, 30), diameter=8, depth=6, partner="lower")
LOWER = feature("lower", "hole", (20, 15, 0), "-Z", diameter=8, depth=6, partner="upper")
#: How much larger than measured the blank is, along X, Y and Z (mm).
BLANKS = ((0, 0, 0), (0.4, 0.8, 0), (-0.4, -0.8, 0.2), (0.0, 1.3, 0), (0.7, -1.1, -0.1))


def zero(x="stock centre", y="fixture value", z="parallels"):
    return Datum(x=AxisDatum(source=x), y=AxisDatum(source=y), z=AxisDatum(source=z))


def job_in(vise=CENTRING, datum=None, *, first=None, varies=(0.8, 1.5, 0.3)):
    """Two coaxial blind holes, one from each side; the second setup is turned over about X."""
    one = setup(
        Hole(name="above", tool=2, on="upper", features=("upper",)),
        hold=IN_VISE,
        datum=first or zero(),
        probing=ROUTINE,
    )
    two = setup(
        Hole(name="below", tool=2, on="lower", features=("lower",)), name="Op 20", up="-Z", hold=IN_VISE,
        datum=datum or zero(), probing=ROUTINE, offset="G55",
    )  # fmt: skip
    return block_job(one, two, part=SIZE, stock=SIZE, features=(UPPER, LOWER), fixtures=(vise,), varies=varies)


def half_finished(datum=None, depth=17):
    """The blank stands out 4 on +Y, where the first setup cuts it away as far down as the second one's jaws reach."""
    job = job_in(first=zero(y="stock centre"), datum=datum)
    side = Region(name="side", tool=1, left=-5, right=65, front=40, back=50, depth=depth)
    one = job.setups[0].model_copy(update={"operations": (*job.setups[0].operations, side)})
    wide = {"measured": Size(x=60, y=44, z=30), "nominal": Size(x=60, y=44, z=30), "allowance": Allowance(minus_y=0.0)}
    return job.model_copy(update={"setups": (one, job.setups[1]), "stock": job.stock.model_copy(update=wide)})


def m_blank(job, off, index=0):
    """Between which places (2, 3) of the machine the true blank lies."""
    plan = plan_of(job)
    one, geometry = plan.setups[index].setup, written_plan(plan).geometry
    blank = true_blank(job, geometry, None, Point(x=off[0], y=off[1], z=off[2]))
    true = clamp(job.machine, Laid(one, blank, geometry), TrueClamping(name=one.name))
    return np.array(moved(blank.solid, true.tf_m_p).bounding_box()).reshape(2, 3)


def sized(axis, side):
    return CENTRING.model_copy(update={"fixed_jaw": side}), "XY".index(axis)


class PlaceTest(unittest.TestCase):
    def test_the_middle_stays_where_the_vise_is(self):
        for axis, side in (("Y", "back"), ("Y", "front"), ("X", "left"), ("X", "right")):
            vise, k = sized(axis, side)
            job = job_in(vise)
            at = job.machine.station(job.setups[0].station).at.as_tuple()
            for off in BLANKS:
                low, high = m_blank(job, off)
                self.assertAlmostEqual((low[k] + high[k]) / 2.0, at[k], places=9, msg=(side, off))
                self.assertAlmostEqual(high[k] - low[k], (60, 40)[k] + off[k], places=9)

    def test_against_a_fixed_jaw_it_does_not(self):
        """The face at the jaw stays, and the middle goes by half of what the blank is larger."""
        job = job_in(CENTRING.model_copy(update={"centring": False}))
        at = job.machine.station(job.setups[0].station).at.y
        for off in BLANKS:
            low, high = m_blank(job, off)
            self.assertAlmostEqual(high[1], at, places=9)
            self.assertAlmostEqual((low[1] + high[1]) / 2.0, at - (40 + off[1]) / 2.0, places=9)

    def test_jaws_stand_alike_to_both_sides_and_are_named_by_where_they_stand(self):
        for jaws in (IN_VISE.jaws, StepJaws(height=20, depth=4), SoftJaws(depth=5)):
            job = job_in()
            one = job.setups[0].model_copy(update={"hold": IN_VISE.model_copy(update={"jaws": jaws})})
            holding = plan_of(job.model_copy(update={"setups": (one,)})).setups[0].holding
            back, front = holding.block("back jaw"), holding.block("front jaw")
            middle = holding.u_zero[1]
            self.assertAlmostEqual(back.low[1] - middle, middle - front.high[1])
            self.assertAlmostEqual(back.high[1] - middle, middle - front.low[1])
            self.assertIsNone(holding.block("fixed jaw"))
        self.assertEqual(jaw_names(CENTRING.model_copy(update={"fixed_jaw": "right"})), ("right jaw", "left jaw"))
        self.assertEqual(jaw_names(CENTRING.model_copy(update={"centring": False})), ("fixed jaw", "moving jaw"))

    def test_empty_it_reaches_as_far_to_either_side(self):
        job = block_job(setup(hold=PlateHold()), fixtures=(CENTRING,))
        place = next(each for each in on_table(plan_of(job), job.machine) if each.station.name == "left vise")
        at, reach = place.station.at.y, CENTRING.opening_max / 2.0 + CENTRING.jaw_thickness
        self.assertEqual(place.setups, ())
        np.testing.assert_allclose((place.m_low[1], place.m_high[1]), (at - reach, at + reach))


class TruthTest(unittest.TestCase):
    """Five stated blanks: what is between the holes of both sides, against what is worked by hand."""

    def between(self, job, off):
        world = TrueWorld(stock_off=Point(x=off[0], y=off[1], z=off[2]))
        done = rehearsed(plan_of(job), world=world)
        self.assertEqual(done.alarms, ())
        return next(pair.p_deviation[1] for pair in done.pairs if pair.feature == "upper")

    def test_middle_after_middle_leaves_the_size_out(self):
        for off in BLANKS:
            for first in (zero(), zero(y="stock centre")):
                self.assertAlmostEqual(self.between(job_in(first=first), off), 0.0, delta=WITHIN)

    def test_middle_after_a_side_is_off_by_half(self):
        """From the side at −Y the hole lies 15 in; from the middle 5 before it: half of what it is wider between."""
        for off in BLANKS:
            found = self.between(job_in(first=zero(y="stock minus side")), off)
            self.assertAlmostEqual(found, -off[1] / 2.0, delta=WITHIN)

    def test_a_side_after_a_side_against_a_fixed_jaw_is_off_by_all_of_it(self):
        fixed = CENTRING.model_copy(update={"centring": False})
        for off in BLANKS:
            found = self.between(job_in(fixed, first=zero(y="stock plus side")), off)
            self.assertAlmostEqual(found, off[1], delta=WITHIN)

    def test_between_a_raw_and_a_finished_face_the_middle_goes_by_a_quarter(self):
        """From the blank's middle one side was cut; then the jaws hold that and the raw one, half of the size off."""
        for off in BLANKS:
            self.assertAlmostEqual(self.between(half_finished(), off), off[1] / 4.0, delta=WITHIN)
            # The same where both are touched, in any vise.
            touched = half_finished(zero(y="stock centre"), 30)
            self.assertAlmostEqual(self.between(touched, off), off[1] / 4.0, delta=WITHIN)

    def test_a_bore_in_a_jaw_is_found_where_it_is(self):
        """It moves with its jaw, by half of what the blank is wider, and gives the face of the part there."""
        soft = SoftJaws(depth=5, bore=ReferenceBore(beside=50, behind=9, diameter=12, depth=12))
        vise = CENTRING.model_copy(update={"jaw_thickness": 20.0})
        job = job_in(vise)
        one = job.setups[0].model_copy(
            update={"hold": IN_VISE.model_copy(update={"jaws": soft}), "datum": zero("fixture bore", "fixture bore")}
        )
        job = job.model_copy(update={"setups": (one,)})
        planned = plan_of(job).setups[0]
        np.testing.assert_allclose(planned.holding.known_bore().u_centre, (30 + 50, 40 + 9), atol=1e-9)
        at = job.machine.station(one.station).at.y
        for off in BLANKS[:3]:
            world = TrueWorld(stock_off=Point(x=off[0], y=off[1], z=off[2]))
            done = rehearsed(plan_of(job), world=world)
            self.assertEqual(done.alarms, ())
            self.assertAlmostEqual(done.setups[0].found[1], at + (40 + off[1]) / 2.0 + 9, delta=WITHIN)


class ErrorTest(unittest.TestCase):
    def size(self, job):
        """By how much the far side moves along Y against the near one, for each mm that blanks vary by."""
        plan = plan_of(job)
        sizes = [part.u for part in off_its_zero(plan, 1, "y").enters if part.source.kind == "blank"]
        return max(sizes, default=0.0) * math.sqrt(3.0)

    def test_the_size_enters_as_the_worlds_have_it(self):
        varies = {"varies": (0.0, 0.8, 0.0)}
        self.assertEqual(self.size(job_in(**varies)), 0.0)
        self.assertEqual(self.size(job_in(first=zero(y="stock centre"), **varies)), 0.0)
        self.assertAlmostEqual(self.size(job_in(first=zero(y="stock minus side"), **varies)), 0.4)
        fixed = CENTRING.model_copy(update={"centring": False})
        self.assertAlmostEqual(self.size(job_in(fixed, first=zero(y="stock plus side"), **varies)), 0.8)
        # Held by one raw and one finished face: the raw one alone moves, by half, and its middle by half of that.
        self.assertAlmostEqual(self.size(half_finished()), 0.25 * 1.5)
        self.assertAlmostEqual(self.size(half_finished(zero(y="stock centre"), 30)), 0.25 * 1.5)
        self.assertEqual(self.size(half_finished(zero(y="stock centre"))), 0.0, "raw where it is touched")
        after = zero(y="carried over")
        self.assertAlmostEqual(self.size(job_in(datum=after, first=zero(y="stock minus side"), **varies)), 0.8)
        self.assertEqual(self.size(job_in(datum=after, **varies)), 0.0)
        # Turned about Y it lies along Y as it did: the zero that is carried over is off as the holes are.
        job = job_in(datum=after, first=zero(y="stock minus side"), **varies)
        turned = job.setups[1].model_copy(update={"orientation": Orientation(up="-Z", right="-X")})
        self.assertEqual(self.size(job.model_copy(update={"setups": (job.setups[0], turned)})), 0.0)

    def test_it_repeats_to_either_side_and_sits_no_lower_than_its_seat(self):
        holding = plan_of(job_in()).setups[0].holding
        chance = np.random.default_rng(4)
        across = [holding.clamping_along(1).draw(chance) for _ in range(400)]
        self.assertLess(abs(float(np.mean(across))), 3.0 * CENTRING.clamping_scatter / math.sqrt(400))
        self.assertAlmostEqual(float(np.std(across)), CENTRING.clamping_scatter, delta=0.1 * CENTRING.clamping_scatter)
        self.assertGreaterEqual(min(holding.clamping_along(2).draw(chance) for _ in range(100)), 0.0)
        self.assertGreaterEqual(min(holding.clamping_along(0).draw(chance) for _ in range(100)), 0.0)

    def test_what_gives_the_zero_is_the_middle(self):
        plan = plan_of(job_in())
        self.assertEqual(surface_words(plan.setups[0], "y"), "middle between the jaws, part Y")
        along = plan_of(job_in(datum=zero(x="fixture value"))).setups[1]
        self.assertEqual(surface_words(along, "x"), "fixture value", "along the jaws nothing centres")


class NoFixedJawTest(unittest.TestCase):
    def found(self, job):
        return [finding for finding in findings_of(plan_of(job)) if finding.code == "NO_FIXED_JAW"]

    def test_it_is_an_error_with_a_remedy_that_mends_it(self):
        job = job_in(datum=zero(y="fixed jaw"))
        (finding,) = self.found(job)
        self.assertEqual((finding.severity, finding.setup), ("error", "Op 20"))
        mended = with_fix(job, finding.fixes[0])
        self.assertEqual(mended.setups[1].datum.y.source, "fixture value")
        self.assertEqual(self.found(mended), [])

    def test_across_is_as_the_vise_stands(self):
        """Turned by a quarter its middle is one of X; along the jaws the stock's own middle is all there is."""
        turned, _ = sized("X", "left")
        for x, y, other in (
            ("fixed jaw", "stock centre", "fixture value"),
            ("stock centre", "fixed jaw", "stock centre"),
        ):
            (finding,) = self.found(job_in(turned, datum=zero(x, y)))
            self.assertEqual(finding.fixes[0].changes[0][1], other)

    def test_it_is_silent_where_there_is_one(self):
        fixed = CENTRING.model_copy(update={"centring": False})
        self.assertEqual(self.found(job_in(fixed, datum=zero(y="fixed jaw"))), [])
        self.assertEqual(self.found(job_in()), [])

    def test_nothing_offers_it(self):
        plan = plan_of(job_in())
        names = [cycle.name for _, group in offers(plan.setups[0]) for cycle in group]
        self.assertNotIn("fixed jaw", names)
        self.assertNotIn("fixed jaw", [surface.name for surface in surfaces_of(plan.setups[0])])
        touched = plan_of(job_in(datum=zero(y="part centre")))
        (turn,) = turns_of(touched)
        ways = {offer.way: offer for offer in way_offers(touched, turn)}
        self.assertIn("no fixed jaw", ways["jaw and stop"].why_not)
        self.assertEqual(ways["soft-jaw bore"].why_not, "")


class MeaningTest(unittest.TestCase):
    def test_a_vise_that_centres_means_another_offset(self):
        fixed = job_in(CENTRING.model_copy(update={"centring": False}))
        self.assertNotEqual(meaning_of(job_in(), job_in().setups[0]), meaning_of(fixed, fixed.setups[0]))

    def test_a_bore_in_its_jaw_does_not_stay(self):
        datum = zero("fixture bore", "fixture bore")
        one = setup(datum=datum)
        self.assertFalse(follows_from_fixture(one, CENTRING))
        self.assertTrue(follows_from_fixture(one, CENTRING.model_copy(update={"centring": False})))
        self.assertTrue(follows_from_fixture(setup(datum=zero("fixture value")), CENTRING))

    def test_files_from_before_have_fixed_jaws(self):
        text = demo().machines[0].fixtures[0].model_dump(mode="json")
        del text["centring"]
        self.assertFalse(Vise.model_validate(text).centring)
