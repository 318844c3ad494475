"""A hole nobody has drawn: jogged to by eye, found by a cycle, and kept as a feature of the old part."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ..changing import changed
from ..errors import InvalidValueError
from ..measuring.results_back import Returned, ReturnedStep
from ..model.base import Point
from ..model.job import Job
from ..model.orientation import direction_name, exact_direction
from ..model.part import Feature
from ..plan import Plan
from ..quantities import Unit
from ..solids.found_holes import hole_solid
from ..solids.geometry import COARSE_DEFLECTION
from ..typed import parse_length

#: A hole that shares less than this with the stock is beside it (mm³).
_BESIDE = 1e-3


def with_found_hole(
    plan: Plan,
    setup: int,
    name: str,
    w_at: Sequence[float],
    diameter: float,
    depth: float | None = None,
) -> Job:
    """A hole that reads ``w_at`` (x, y, and z of its mouth; on the stock's top without one) in a setup's WCS, right
    through without a ``depth`` (mm).  One that was found before and has that name is put there.

    Raises InvalidValueError where a drawn feature has the name, or no stock is there.
    """
    job, held = plan.job, plan.setups[setup]
    now = job.part.feature(name)
    if now is not None and not now.found:
        raise InvalidValueError("name", f"'{name}' is a feature of the drawing; call the hole something else")
    if diameter <= 0.0 or (depth is not None and depth <= 0.0):
        raise InvalidValueError("hole", "its diameter and its depth must be more than nought; measure them roughly")
    matrix = held.setup.orientation.matrix()
    u = np.array([*w_at[:2], 0.0]) + held.wcs.u_origin
    u[2] = float(held.holding.u_stock[1][2]) if len(w_at) < 3 else w_at[2] + float(held.wcs.u_origin[2])
    x, y, z = (float(value) for value in matrix.T @ u)
    up = matrix[2]
    values = {
        "kind": "bore" if depth is None else "hole",
        "at": Point(x=x, y=y, z=z),
        "opens_to": direction_name(up),
        "skew": None if exact_direction(up) is not None else Point(x=float(up[0]), y=float(up[1]), z=float(up[2])),
        "diameter": diameter,
        "depth": depth,
        "through": depth is None,
        "found": True,
    }
    made = Feature(name=name, **values) if now is None else Feature(**(now.model_dump() | values))
    low, high = (corner[:2] for corner in held.holding.u_stock)
    reach = float(np.linalg.norm(np.subtract(*held.holding.u_stock))) + 1.0
    met = now is not None or float((held.before.solid ^ hole_solid(made, reach, COARSE_DEFLECTION)).volume()) > _BESIDE
    if not met or not bool(((u[:2] > low) & (u[:2] < high)).all()):
        raise InvalidValueError("hole", f"there is no stock at X {w_at[0]:g} Y {w_at[1]:g}; read its place once more")
    others = tuple(each for each in job.part.features if each.name != name)
    place = next((k for k, each in enumerate(job.part.features) if each.name == name), len(others))
    features = (*others[:place], made, *others[place:])
    return changed(job, {"part": job.part.model_copy(update={"features": features})})


def typed_hole(plan: Plan, setup: int, text: str, unit: Unit) -> Job:
    """From words such as ``12.3, -4.5, 8`` (X, Y, diameter, and its depth where it is blind), under a name of its own.

    Raises InvalidValueError.
    """
    words = [word.strip() for word in text.split(",")]
    if not 3 <= len(words) <= 4:
        raise InvalidValueError(
            "hole", "takes X, Y and the diameter, and the depth of a blind one, with commas between"
        )
    x, y, diameter, *depth = (parse_length(word, unit) for word in words)
    return with_found_hole(plan, setup, found_name(plan.job), (x, y), diameter, depth[0] if depth else None)


def found_name(job: Job) -> str:
    """What the next hole is called that nobody has drawn."""
    taken = {feature.name for feature in job.part.features}
    return next(name for k in range(1, len(taken) + 2) if (name := f"found hole {k}") not in taken)


def holes_in(plan: Plan, returned: Returned) -> tuple[str, ...]:
    """The found holes that results measure whole: their middle and their size."""
    return tuple(feature.name for feature, _ in _measured(plan, returned))


def with_measured_holes(plan: Plan, setup: int, returned: Returned) -> Job:
    """Every found hole that results measure where they have it, and as wide.

    Raises InvalidValueError where none is measured, or its place only by a zero that nothing had found before.
    """
    measured = _measured(plan, returned)
    if not measured:
        raise InvalidValueError("results", "no hole that was found is measured in them; add a bore step on it first")
    job = plan.job
    for feature, each in measured:
        # A step that sets the zero from the hole says nothing of where the hole is on the part.
        if each.step.sets or any(known.state == "guessed" for known in each.step.knowledge_after[:2]):
            raise InvalidValueError(
                "results",
                f"'{feature.name}' is measured from a zero that is itself not found yet; find X and Y elsewhere first, "
                "and let its step only measure",
            )
        sizes = [value for key, value in each.found.items() if key.startswith("size")]
        mouth = float(plan.setups[setup].wcs.reads(np.array(feature.at.as_tuple()))[2])
        at = (each.found["x"], each.found["y"], mouth)
        depth = None if feature.through else feature.depth
        job = with_found_hole(replace(plan, job=job), setup, feature.name, at, math.fsum(sizes) / len(sizes), depth)
    return job


def _measured(plan: Plan, returned: Returned) -> list[tuple[Feature, ReturnedStep]]:
    found = []
    for each in returned.steps:
        feature = plan.job.part.feature(each.step.cycle.feature or "")
        whole = {"x", "y"} <= each.found.keys() and any(key.startswith("size") for key in each.found)
        if feature is not None and feature.found and whole:
            found.append((feature, each))
    return found
