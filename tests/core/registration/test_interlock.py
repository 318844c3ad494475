"""The interlocking frame: the worked case, and what makes it fail."""

from __future__ import annotations

import unittest

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from ledgecliff.core.errors import RegistrationError
from ledgecliff.core.registration.interlock import Frame, FrameSizes, make_frame
from ledgecliff.core.registration.interlock_check import check_frame
from ledgecliff.core.registration.outlines import rectangle


def sizes(**changes):
    return FrameSizes(**({"keep_x": 70, "keep_y": 40, "slot": 6, "fit": 0.1, "turn": "x"} | changes))


class WorkedCaseTest(unittest.TestCase):
    def test_play_and_turn(self):
        """Half sizes 70 x 40 to the low edges, d = 6, c = 0.1, radii 2 and 8: 0.100 each way, 0.08 and 0.15 degrees."""
        checked = check_frame(make_frame(sizes(notches=False)), 6.0)
        self.assertTrue(checked.fits and checked.locks)
        for play in checked.play:
            self.assertAlmostEqual(play, 0.100, delta=1.5e-3)
        self.assertAlmostEqual(min(checked.turn_deg), 0.08, delta=0.007)
        self.assertAlmostEqual(max(checked.turn_deg), 0.15, delta=0.007)
        self.assertAlmostEqual(checked.slot, 6.0, delta=1e-3)
        self.assertLess(checked.gouge, 0.05)

    def test_without_notches_the_other_turn_seats_too_and_with_them_not(self):
        self.assertEqual(check_frame(make_frame(sizes(notches=False)), 6.0).wrong_ways, ("turned end for end",))
        for turn in ("x", "y"):
            checked = check_frame(make_frame(sizes(turn=turn)), 6.0)
            self.assertTrue(checked.locks, turn)
            self.assertEqual(checked.wrong_ways, ())
            self.assertEqual([way.name for way in checked.others if way.seats], ["not turned"])

    def test_a_turn_about_y_is_the_same_with_both_axes_exchanged(self):
        about_x = check_frame(make_frame(sizes(keep_x=55, keep_y=48)), 6.0)
        about_y = check_frame(make_frame(sizes(keep_x=48, keep_y=55, turn="y")), 6.0)
        for one, other in zip(sorted(about_x.turn_deg), sorted(about_y.turn_deg), strict=True):
            self.assertAlmostEqual(one, other, delta=1e-3)


class WrongFramesTest(unittest.TestCase):
    def test_a_contact_corner_must_be_rounder_by_the_slot(self):
        """The same frame whose high corners have no more than the low ones' radius fouls the border."""
        good = make_frame(sizes(notches=False))
        radii = tuple(2.0 if radius == 8.0 else radius for radius in good.piece.radii)
        piece = type(good.piece)(good.piece.corners, radii)
        bad = check_frame(Frame(good.sizes, piece, piece.offset(6.0)), 6.0)
        self.assertFalse(bad.fits)

    def test_a_plain_rectangle_does_not_lock(self):
        plain = rectangle(70, 40, 2)
        checked = check_frame(Frame(sizes(notches=False), plain, plain.offset(6.0)), 6.0)
        self.assertTrue(checked.fits)
        self.assertAlmostEqual(checked.play[0], 6.0, delta=0.01)
        self.assertFalse(checked.locks, "it lies in the hole with a whole slot of play and turns far")

    def test_a_cutter_wider_than_an_inner_corner_gouges(self):
        good = make_frame(sizes(notches=False))
        sharp = type(good.piece)(good.piece.corners, tuple(0.0 if r == 3.0 else r for r in good.piece.radii))
        checked = check_frame(Frame(good.sizes, sharp, good.hole), 6.0)
        self.assertLess(checked.gouge, 0.05, "offset lines meet in the corner and stay clear of it")
        wide = Frame(good.sizes, good.piece, good.hole)
        self.assertGreater(sum(check_frame(wide, 8.0).slot < 8.0 for _ in range(1)), 0)

    def test_what_cannot_be_made_is_refused_with_the_remedy(self):
        for changes, words in (
            ({"fit": 4.0}, "make the fit closer"),
            ({"keep_y": 20}, "leave the notches out"),
            ({"keep_x": 3, "keep_y": 3, "notches": False}, "too short"),
        ):
            with self.subTest(changes), self.assertRaisesRegex(RegistrationError, words):
                make_frame(sizes(**changes))


class AnyFrameTest(unittest.TestCase):
    @settings(max_examples=25)
    @given(st.floats(50, 200), st.floats(50, 200), st.floats(2, 8), st.floats(0.05, 0.4), st.sampled_from(["x", "y"]))
    def test_play_is_the_fit_and_no_wrong_turn_goes_in(self, keep_x, keep_y, slot, fit, turn):
        assume(fit < slot / 8)
        checked = check_frame(make_frame(FrameSizes(keep_x, keep_y, slot, fit, turn)), slot)
        self.assertTrue(checked.locks)
        self.assertEqual(checked.wrong_ways, ())
        for play in checked.play:
            self.assertAlmostEqual(play, fit, delta=3e-3)
        self.assertAlmostEqual(checked.slot, slot, delta=2e-3)

    def test_a_slot_wider_than_its_cutter_takes_two_lines(self):
        frame = make_frame(sizes(slot=7.0))
        self.assertEqual([len(frame.cutter_lines(d)) for d in (7.0, 4.0)], [1, 2])
        self.assertTrue(check_frame(frame, 4.0).locks)
