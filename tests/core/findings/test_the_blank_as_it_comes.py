"""The blank as it comes: faces that are prepared, what they may give and cost, and how its grain is laid.

What a thickness does between both sides is asked of the simulated machine, in stated worlds, against the hand value.
"""

from __future__ import annotations

import math
import unittest

from ledgecliff.core.budget.sides import in_height
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.parts import prepared_words, with_prepared
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.part import Tolerance
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stations import AxisTurn
from ledgecliff.core.register.meaning import meaning_of
from ledgecliff.core.rehearsal.true_world import TrueWorld
from ledgecliff.core.tape.scenes import holding_tape
from ledgecliff.sheets.setup_sheet import sheet_html
from tests.core.holding.test_centring_vise import job_in
from tests.jobs import plan_of
from tests.rehearsals import rehearsed

CENTRE = AxisDatum(source="stock centre")
ON_TOP = Datum(x=CENTRE, y=CENTRE, z=AxisDatum(source="stock top"))
#: How much thicker than measured the blank is (mm).
THICKER = (0.0, 0.02, -0.02, 0.05, -0.045)


def job(faces="+Z, -Z", varies=0.05):
    """Two blind holes from both sides, each from the top that is up then; nothing of either top is cut."""
    return with_prepared(job_in(datum=ON_TOP, first=ON_TOP, varies=(0.8, 1.5, varies)), faces)


def found(of):
    wanted = ("Z_ZERO_ON_RAW", "Z_ZERO_ON_PREPARED")
    return [finding for finding in findings_of(plan_of(of)) if finding.code in wanted]


class PreparedTest(unittest.TestCase):
    def test_a_tolerance_that_hangs_on_it_says_how_much(self):
        """Half of the tightest one of what is made on that side, or seen from there; of a size, nothing."""
        for tolerance, of, varies, code in (
            (Tolerance(position=0.04), "lower", 0.02, "Z_ZERO_ON_PREPARED"),
            (Tolerance(position=0.04), "lower", 0.021, "Z_ZERO_ON_RAW"),
            (Tolerance(position=0.03), "upper", 0.016, "Z_ZERO_ON_RAW"),
            (Tolerance(position=0.4), "lower", 0.19, "Z_ZERO_ON_PREPARED"),
            (Tolerance(size=0.01), "lower", 0.05, "Z_ZERO_ON_PREPARED"),
            (Tolerance(size=0.01), "lower", 0.051, "Z_ZERO_ON_RAW"),
        ):
            of_job = job(varies=varies)
            number = next(k for k, each in enumerate(of_job.part.features) if each.name == of)
            (finding,) = found(set_value(of_job, ("part", "features", number, "tolerance"), tolerance))
            with self.subTest(tolerance=tolerance, of=of, varies=varies):
                self.assertEqual(finding.code, code)
                told = code == "Z_ZERO_ON_RAW" and tolerance.position is not None
                self.assertEqual(f"half of what '{of}' may lie off" in finding.message(), told)

    def test_of_two_tolerances_the_tighter_one_speaks(self):
        of = job(varies=0.04)
        for number, tolerance in enumerate((Tolerance(position=0.06), Tolerance(position=0.2))):
            of = set_value(of, ("part", "features", number, "tolerance"), tolerance)
        (finding,) = found(of)
        self.assertIn("more than 0.030 mm, half of what 'upper' may lie off", finding.message())

    def test_prepared_on_both_it_is_allowed_and_its_error_said(self):
        (finding,) = found(job(varies=0.02))
        self.assertEqual((finding.code, finding.severity), ("Z_ZERO_ON_PREPARED", "note"))
        self.assertIn("±0.020", finding.message())
        self.assertEqual(found(job(varies=0.0)), [])

    def test_raw_on_one_side_or_across_it_is_refused(self):
        for faces in ("", "+Z", "-Z", "+X -X +Y -Y"):
            (finding,) = found(job(faces, varies=0.02))
            self.assertEqual((finding.code, finding.severity), ("Z_ZERO_ON_RAW", "error"))
            self.assertIn("still raw", finding.message())

    def test_its_variation_may_speak_against_it(self):
        """Up to 0.05 it is allowed, over that not, and the remedy is what it was."""
        self.assertEqual([each.severity for each in found(job(varies=0.05))], ["note"])
        (finding,) = found(job(varies=0.051))
        self.assertEqual(finding.code, "Z_ZERO_ON_RAW")
        self.assertIn("±0.051", finding.message())
        self.assertEqual(finding.fixes[0].changes[0][1], "parallels")

    def test_the_thickness_goes_between_both_sides_in_every_world(self):
        """Each hole ends 6 under its own top, so that what is between them is off by the thickness."""
        plan = plan_of(job())
        for off in THICKER:
            done = rehearsed(plan, world=TrueWorld(stock_off=Point(x=0, y=0, z=off)))
            self.assertEqual(done.alarms, ())
            between = next(pair.p_deviation[2] for pair in done.pairs if pair.feature == "upper")
            self.assertAlmostEqual(between, off, delta=0.012)

    def test_the_sum_for_z_has_it(self):
        (size,) = [part for part in in_height(plan_of(job()))[0].enters if part.source.kind == "blank"]
        self.assertAlmostEqual(size.u, 0.05 / math.sqrt(3.0))

    def test_what_the_jaws_hold_is_said(self):
        notes = [line.text for line in holding_tape(plan_of(job("+Y -Y")).setups[0]).lines]
        self.assertTrue(any(each.startswith("prepared faces") for each in notes), notes)
        notes = [line.text for line in holding_tape(plan_of(job("+Y")).setups[0]).lines]
        self.assertTrue(any(each.startswith("raw faces") for each in notes))


class GrainTest(unittest.TestCase):
    def test_it_says_how_to_lay_the_blank(self):
        """Along part X; turned by a quarter it lies along machine Y, and on its end it stands."""
        for up, right, words in (
            ("+Z", "+X", "grain along machine X"),
            ("-Z", "-X", "grain along machine X"),
            ("+Z", "+Y", "grain along machine Y"),
            ("-X", "+Y", "grain upright, on end"),
        ):
            of = set_value(job(), ("stock", "grain"), "x")
            of = set_value(of, ("setups", 0, "orientation"), Orientation(up=up, right=right))
            planned = plan_of(of).setups[0]
            self.assertEqual(planned.grain_words, words)
            self.assertIn(words, [line.text for line in holding_tape(planned).lines])
        tilted = Orientation(up="+Z", right="+X", tilted=(AxisTurn(about="z", degrees=30),))
        askew = plan_of(set_value(of, ("setups", 0, "orientation"), tilted)).setups[0]
        self.assertIn("askew", askew.grain_words)

    def test_sheets_say_it_where_there_is_some(self):
        html = sheet_html(plan_of(set_value(job(), ("stock", "grain"), "y")))
        self.assertIn("grain along machine Y.", html)
        self.assertIn("prepared faces: +Z, −Z", html)
        without = sheet_html(plan_of(job("")))
        self.assertNotIn("grain", without)
        self.assertNotIn("prepared faces", without)


class WordsTest(unittest.TestCase):
    def test_as_typed_and_back(self):
        for text, faces in (("+z,−z", ("+Z", "-Z")), (" +X  -Y +X ", ("+X", "-Y")), ("", ())):
            of = with_prepared(job(), text)
            self.assertEqual(of.stock.prepared, faces)
            self.assertEqual(with_prepared(job(), prepared_words(faces)).stock.prepared, faces)

    def test_no_face_is_named_and_loses_nothing(self):
        with self.assertRaisesRegex(InvalidValueError, "'TOP' is no face of the blank"):
            with_prepared(job(), "top")

    def test_it_says_nothing_of_where_a_zero_lies(self):
        with_faces, without = job(), set_value(job(), ("stock", "prepared"), ())
        for k in (0, 1):
            self.assertEqual(meaning_of(with_faces, with_faces.setups[k]), meaning_of(without, without.setups[k]))
