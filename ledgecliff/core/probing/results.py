"""What the readings of a step amount to: positions, sizes, skew and tilt, worked out from contact points.

This is apart from the control's own arithmetic (``programs.cycle_actions``): it works with points,
fitted lines and circles, so that each checks the other.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import assert_never

import numpy as np

from ..frames import AXES, Array
from .evaluation import between, corner, edge_through, skew_rad, surface_at
from .fits import fit_circle, fit_plane
from .touches import Place, Step, Touch

Results = dict[str, float]


def step_results(step: Step, w_centres: Sequence[Place], radius: float) -> Results:
    """Results by the keys of ``step.finds``, from the ball centres (mm, WCS) of its touches in their order.

    ``radius`` is the effective one.  Angles are in degrees, tilt in mm over 100 mm.
    """
    centres = np.array(w_centres, dtype=float)
    match step.kind:
        case "bore" | "boss" if step.cycle.angles_deg:
            circle = fit_circle(centres[:, :2])
            size = 2.0 * (circle.radius + (radius if step.inside else -radius))
            return {"x": float(circle.centre[0]), "y": float(circle.centre[1]), "size": size}
        case "bore" | "boss" | "rectangle":
            return _pair(step, centres, 0, radius) | _pair(step, centres, 2, radius)
        case "outside width" | "inside width":
            return _pair(step, centres, 0, radius)
        case "edge angle":
            return {"skew": math.degrees(_edge_skew(step.touches, centres, radius))}
        case "corner":
            return _corner(step, centres, radius)
        case "plane":
            return _plane(centres, radius)
        case "bar":
            return _bar(step, centres, 0, radius)
        case "rotary axis":
            return _rotary_axis(step, centres, radius)
        case "surface" | "presence" | "consistency":
            touch = step.touches[0]
            return {touch.axis: _surface(touch, centres[0], radius)}
        case _:
            assert_never(step.kind)


def _surface(touch: Touch, centre: Array, radius: float) -> float:
    return surface_at(float(centre[AXES.index(touch.axis)]), touch.direction, radius)


def _pair(step: Step, centres: Array, first: int, radius: float) -> Results:
    a, b = step.touches[first : first + 2]
    found = between(_surface(a, centres[first], radius), _surface(b, centres[first + 1], radius))
    return {a.axis: found.middle, f"size {a.axis}": found.width}


def _edge_skew(touches: Sequence[Touch], centres: Array, radius: float) -> float:
    edge = edge_through(centres[:2, :2], touches[0].way[:2], radius)
    return skew_rad(edge, 1 - AXES.index(touches[0].axis))


def _corner(step: Step, centres: Array, radius: float) -> Results:
    if len(step.touches) == 2:
        return {
            touch.axis: _surface(touch, centre, radius) for touch, centre in zip(step.touches, centres, strict=True)
        }
    along_x = edge_through(centres[:2, :2], step.touches[0].way[:2], radius)
    along_y = edge_through(centres[2:, :2], step.touches[2].way[:2], radius)
    x, y = corner(along_x, along_y)
    return {"x": float(x), "y": float(y), "skew": math.degrees(skew_rad(along_x, 0))}


def _bar(step: Step, centres: Array, first: int, radius: float) -> Results:
    """The circle through the ball's centres at both sides and at the top, a radius larger than the bar."""
    axis = step.touches[first].axis
    circle = fit_circle(centres[first : first + 3, [AXES.index(axis), 2]])
    return {
        axis: float(circle.centre[0]),
        "z": float(circle.centre[1]),
        f"size {axis}": 2.0 * (circle.radius - radius),
    }


def _rotary_axis(step: Step, centres: Array, radius: float) -> Results:
    """A bar's middle goes half-way round the axis, so both its places lie opposite each other about it."""
    here, over = (_bar(step, centres, first, radius) for first in (0, 3))
    middle = {axis: (here[axis] + over[axis]) / 2.0 for axis in ("y", "z")}
    off = math.dist((here["y"], here["z"]), (over["y"], over["z"])) / 2.0
    return middle | {"size y": over["size y"], "off": off}


def _plane(centres: Array, radius: float) -> Results:
    """Ball centres lie on a parallel plane; straight down the contact counts, as the control has it."""
    tips = centres - (0.0, 0.0, radius)
    plane = fit_plane(tips)
    slope = plane.normal[:2] / plane.normal[2]
    return {"z": float(np.mean(tips[:, 2])), "tilt": 100.0 * math.hypot(*slope)}
