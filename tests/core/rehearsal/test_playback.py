"""Playing a rehearsal: moves one after the other, triggers found on the way, the path in the WCS."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.drawing.paths import u_path, with_path
from ledgecliff.core.drawing.stage import scene_views
from ledgecliff.core.look import Look
from ledgecliff.core.rehearsal.playback import Playback
from ledgecliff.core.route import scenes_of
from tests.helpers import demo, demo_plan
from tests.rehearsals import rehearsed


class PlaybackTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        plan = demo_plan()
        cls.result = rehearsed(plan, 3).setups[0]
        cls.playback = Playback(cls.result, demo().machine.probe)

    def test_move_after_move_reaches_the_end(self):
        seconds, seen = 0.0, []
        for _ in range(len(self.result.motions) + 5):
            after = self.playback.next_move(seconds)
            if after == seconds:
                break
            seen.append(self.playback.at(after).words)
            seconds = after
        self.assertAlmostEqual(seconds, self.playback.duration_s)
        # Moves of no length are over at once; all others are stopped at.
        lengths = [np.linalg.norm(np.subtract(m.end, m.start)) for m in self.result.motions]
        self.assertEqual(len(seen), sum(length > 1e-6 for length in lengths))

    def test_every_trigger_is_found_once(self):
        found, seconds = [], 0.0
        while (touch := self.playback.touch_between(seconds, self.playback.duration_s)) is not None:
            found.append(self.playback.at(touch))
            seconds = touch
        self.assertEqual(len(found), len(self.result.touches))
        self.assertTrue(all("met the part" in moment.words for moment in found))

    def test_nothing_is_met_before_the_first_search(self):
        first = self.playback.touch_between(0.0, self.playback.duration_s)
        self.assertIsNone(self.playback.touch_between(0.0, first - 0.01))

    def test_the_path_touches_the_sides(self):
        """Ball centres at the ends of the searches stand a radius off a block of about 100 by 68, or on its top."""
        ends = np.array([end for _, end, searched in self.playback.moves() if searched])
        self.assertGreaterEqual(len(ends), 10)
        for x, y, z in ends:
            # What was pushed on after the trigger, and the true size of this blank.
            sides = (abs(abs(x) - 52.0), abs(abs(y) - 36.0), abs(z - 3.5))
            self.assertLess(min(sides), 1.2, (x, y, z))

    def test_rapid_moves_are_left_out_of_the_path(self):
        rapid = sum(motion.kind == "rapid" for motion in self.result.motions)
        self.assertGreater(rapid, 0)
        self.assertEqual(len(self.playback.moves()), len(self.result.motions) - rapid)


class PathDrawingTest(PlaybackTest):
    def test_it_is_laid_over_plan_and_front_and_into_the_solid_view(self):
        plan = demo_plan()
        scene = next(s for s in scenes_of(plan) if s.kind == "setup" and s.setup == 0)
        views = scene_views(Look(plan, scene), "rehearse")
        drawn = with_path(views, self.playback.moves())
        for before, after in zip(views, drawn, strict=True):
            added = after.items[len(before.items) :]
            self.assertEqual(len(added), len(self.playback.moves()))
            self.assertTrue({item.line for item in added} <= {"search", "thin"})
        front = drawn[1]
        highest = max(point[1] for item in front.items[len(views[1].items) :] for point in item.points)
        self.assertLessEqual(highest, front.high[1] + 1e-9, "the way to the top of the travel is cut off")
        path = u_path(plan, scene, self.playback)
        self.assertEqual(path.shape, (len(self.playback.moves()), 2, 3))
        origin = plan.setups[0].wcs.u_origin
        np.testing.assert_allclose(path[4, 1] - origin, self.playback.moves()[4][1])
        self.assertEqual(u_path(plan, scene, None).shape, (0, 2, 3))
