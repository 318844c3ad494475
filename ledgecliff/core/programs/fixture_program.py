"""The program that cuts a fixture in place: pockets from the inside out in passes, corners relieved, then bores."""

from __future__ import annotations

import math

import manifold3d
import numpy as np

from ..fixture_making import FixtureCut, Sunk
from ..model.job import Job
from ..quantities import spell
from ..registration.seats import RoundPlace
from .made_lines import MadeLines, OtherZero, cutter_of

#: How far rings lie apart, of the cutter's radius; the facets of rounds; corners nearer than this are one (mm).
_RING_SHARE, _SEGMENTS, _SAME = 0.8, 96, 0.005


def fixture_program(job: Job, cut: FixtureCut) -> str:
    step, setup = cut.step, cut.setup
    radius = cutter_of(setup, step.tool).diameter / 2.0
    words = tuple(spell(each, setup.machine.program_units) for each in cut.zero)
    zero = OtherZero(step.offset, float(cut.u_zero[2]), words, same_place=False)
    writer = MadeLines(job, setup, step.tool, step.spindle, zero)
    writer.begin(f"{cut.what}, cut in place", step.feed)
    for pocket in cut.sunk:
        rings = rings_of(pocket, radius)
        count = max(math.ceil(pocket.depth / step.pass_depth - 1e-9), 1)
        for number, depth in enumerate(np.linspace(0.0, -pocket.depth, count + 1)[1:].tolist(), start=1):
            writer.say(f"{pocket.name}, pass {number} of {count}")
            for ring in rings:
                writer.ring(ring, depth)
        for x, y in pocket.reliefs:
            writer.plunge(x, y, -pocket.depth)
    for bore in cut.bored:
        writer.say(bore.name)
        writer.round(RoundPlace(bore.x, bore.y, bore.diameter), 0.0, -bore.depth, step.pass_depth)
    return writer.end()


def rings_of(pocket: Sunk, radius: float) -> tuple[np.ndarray, ...]:
    """Closed ways (N, 2) of the cutter's axis, innermost first: the last follow the wall."""
    found: list[np.ndarray] = []
    inward = radius
    while True:
        area = pocket.area.offset(-inward, manifold3d.JoinType.Round, circular_segments=_SEGMENTS).simplify(_SAME)
        rings = [np.asarray(ring, dtype=float) for ring in area.to_polygons() if len(ring) >= 3]
        if not rings:
            return tuple(found[::-1])
        found += rings
        inward += _RING_SHARE * radius
