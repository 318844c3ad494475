"""Slips of the hand against the plans of all examples: each kind is named, and clean readings raise no doubt.

Readings are worked out the other way round: a true offset somewhere within what is set by eye, where each surface
then lies, and where the control stands with the tool's skin at it.
"""

from __future__ import annotations

import random
import unittest
from functools import cache

from ledgecliff.core.frames import AXES
from ledgecliff.core.model.stock import ModelStock
from ledgecliff.core.plan import make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.touchoff.draft import draft_for, expected_of, with_method, with_picked, without_surface
from ledgecliff.core.touchoff.keeping import results_of
from ledgecliff.core.touchoff.surfaces import rounds_of, surfaces_of
from ledgecliff.store.demo import demo_job, demo_names
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models
from tests.draws import ALL

OPPOSITE = {"left": "right", "right": "left", "front": "back", "back": "front"}
OUTWARD = {"left": -1, "front": -1, "right": 1, "back": 1}


@cache
def setups():
    found = []
    for name in demo_names():
        path = demo_job(name)
        job = read_job(path)
        if not isinstance(job.stock, ModelStock):
            found += make_plan(job, load_models(job, path)).setups
    return tuple(found)


class Touch:
    """One axis touched off cleanly, by a method, with a tool and perhaps paper or a block between."""

    def __init__(self, rng, method, axis):
        self.rng, self.method, self.axis = rng, method, axis
        self.setup = rng.choice(setups())
        expected = expected_of(self.setup)
        self.region = expected.region
        self.true = expected.offsets[axis] + rng.uniform(-0.95, 0.95) * self.region
        self.radius, self.gauge = rng.choice((2.0, 3.0, 5.0, 6.35)), rng.choice((0.0, 0.08, 10.0, 25.0))
        self.length = rng.uniform(60.0, 180.0)
        self.surfaces = [s for s in surfaces_of(self.setup) if s.axis == axis and s.of_stock]
        self.surface = rng.choice(self.surfaces)
        low, high = (corner - self.setup.wcs.u_origin for corner in self.setup.holding.u_stock)
        k = AXES.index(axis)
        self.low, self.high = float(low[k]), float(high[k])

    def at(self, surface, radius=None, gauge=None):
        """Where the control stands at an upright surface."""
        between = (self.radius if radius is None else radius) + (self.gauge if gauge is None else gauge)
        return self.true + surface.reads + OUTWARD[surface.side] * between

    def values(self):
        if self.method == "wall to wall":
            low, high = sorted(self.surfaces, key=lambda s: s.reads)
            return {"reading": self.at(low), "second": self.at(high)}
        if self.method == "tool on top":
            return {"reading": self.true + self.surface.reads + self.length + self.gauge, "tool_length": self.length}
        if self.method == "half a measured size":
            return {"reading": self.at(self.surface), "size": self.high - self.low}
        return {"reading": self.at(self.surface)}

    def words(self, **slip):
        """What is said of the readings with ``slip`` typed instead."""
        draft = with_method(self.setup, draft_for(self.setup), self.axis, self.method)
        if self.method == "wall to wall":
            draft = without_surface(self.setup, draft, self.axis)
        if self.method != "wall to wall":
            draft = with_picked(self.setup, draft, self.surface.source)
        typed = self.values() | {"diameter": 2.0 * self.radius, "gauge": self.gauge} | slip
        draft = draft.model_copy(update={self.axis: draft.axis(self.axis).model_copy(update=typed)})
        (result,) = (r for r in results_of(self.setup, draft) if r.axis == self.axis)
        self.away = abs(result.offset - self.true)
        return "" if result.doubt is None else spell(result.doubt.words, "mm")


def touches(seed, count, methods):
    rng = random.Random(seed)
    for k in range(count):
        method = methods[k % len(methods)]
        yield Touch(rng, method, "z" if method == "tool on top" else rng.choice("xy"))


#: 2,000 clean readings and 600 of each slip with LEDGECLIFF_ALL_DRAWS=1.
METHODS = ("edge", "half a measured size", "wall to wall", "tool on top")


class DoubtTest(unittest.TestCase):
    def told(self, slip, words, methods, seed=1):
        """The share of slips, of those that leave the region whatever the setup, that are named."""
        named = all_of = 0
        for touch in touches(seed, 600 if ALL else 80, methods):
            typed = slip(touch)
            if typed is None:
                continue
            said = touch.words(**typed)
            if touch.away < 2.0 * touch.region:
                continue
            all_of += 1
            named += any(each in said for each in (words if isinstance(words, tuple) else (words,)))
        self.assertGreater(all_of, 10)
        return named / all_of

    def test_clean_readings_raise_none(self):
        for touch in touches(0, 2000 if ALL else 250, METHODS):
            slip = {}
            if touch.method == "wall to wall":
                # Stock of another size within what it varies by, and a little for hand and paper.
                varies = expected_of(touch.setup).varies[touch.axis]
                more = touch.rng.uniform(-0.5, 0.5) * (varies / 2.0 + 0.1)
                values = touch.values()
                slip = {"reading": values["reading"] - more, "second": values["second"] + more}
            self.assertEqual(touch.words(**slip), "", (touch.method, touch.setup.setup.name))

    def test_the_other_side_was_touched(self):
        def slip(touch):
            other = next(s for s in touch.surfaces if s.side == OPPOSITE[touch.surface.side])
            return {"reading": touch.at(other)}

        for methods, words in ((("edge",), "side was touched"), (("half a measured size",), "side was touched")):
            self.assertGreater(self.told(slip, words, methods), 0.97, methods)

    def test_half_of_the_width_is_forgotten(self):
        def slip(touch):
            return {"should_read": 0.0} if abs(touch.surface.reads) > 1.0 else None

        self.assertGreater(self.told(slip, "must read is not the plan's", ("edge",)), 0.97)

    def test_a_block_that_is_not_typed(self):
        def slip(touch):
            touch.gauge = touch.rng.choice((20.0, 25.0, 50.0))
            return {"gauge": 0.0}

        self.assertGreater(self.told(slip, "lay between and is not typed", ("edge", "tool on top")), 0.9)

    def test_a_diameter_left_at_nought(self):
        def slip(touch):
            touch.radius = 8.0
            return {"diameter": 0.0}

        self.assertGreater(self.told(slip, "diameter is left 0", ("edge", "half a measured size")), 0.9)

    def test_a_lost_sign(self):
        def slip(touch):
            return {"reading": -touch.values()["reading"]}

        self.assertGreater(self.told(slip, "sign", ("edge", "half a measured size", "tool on top")), 0.95)

    def test_inches_as_millimetres(self):
        def slip(touch):
            return {"reading": touch.values()["reading"] / 25.4}

        self.assertGreater(self.told(slip, "in inches", ("edge", "half a measured size", "tool on top")), 0.95)

    def test_half_a_size_typed_for_the_size(self):
        def slip(touch):
            return {"size": touch.values()["size"] / 2.0}

        self.assertGreater(self.told(slip, "half of the size is missing", ("half a measured size",)), 0.95)

    def test_walls_that_are_not_as_far_apart_as_they_should_be(self):
        """One reading 5 off puts the middle 2.5 off, which is within what is set by eye: the width tells it."""
        for touch in touches(3, 60, ("wall to wall",)):
            varies = expected_of(touch.setup).varies[touch.axis]
            for off, fires in ((5.0 + varies, True), (0.3, False)):
                said = touch.words(second=touch.values()["second"] + off)
                self.assertEqual("walls come out" in said, fires, said)
            values = touch.values()
            self.assertIn("exchanged", touch.words(reading=values["second"], second=values["reading"]))
            self.assertIn("left 0", touch.words(diameter=0.0)) if touch.gauge == 0.0 and touch.radius > varies else None
            if 2.0 * (touch.radius + touch.gauge) > varies + 1.0:
                self.assertIn("other kind", touch.words(inside=True))

    def test_a_bore_that_is_another(self):
        """The width of a bore is its own, and sweeping another one is named."""
        setup = next(each for each in setups() if len({thing.centre[0] for thing in rounds_of(each)}) > 1)
        first, other = rounds_of(setup)[0], next(t for t in rounds_of(setup) if abs(t.centre[0]) > 8.0)
        draft = with_picked(setup, draft_for(setup), next(t for t in rounds_of(setup) if t != other).source)
        reading = expected_of(setup).offsets["x"] + other.centre[0]
        draft = draft.model_copy(update={"x": draft.x.model_copy(update={"reading": reading})})
        (result,) = (r for r in results_of(setup, draft) if r.axis == "x")
        self.assertIsNotNone(first)
        self.assertIn(f"it is the {other.name}", result.doubt.words)
