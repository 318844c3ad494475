"""What a step of probing makes of errors of its touches: by how much what it sets moves with each of them."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from ..frames import Array
from ..probing.results import step_results
from ..probing.touches import Step

#: A ball's centre is moved by this much to either side (mm).
_STEP = 1e-4


@lru_cache(maxsize=512)
def weights(step: Step) -> dict[str, Array]:
    """By the key of each result: by how much (N,) it moves for a millimetre that the ball's centre is further along the
    way of each of the N touches (mm, of an angle degrees)."""
    centres = np.array([touch.at_contact for touch in step.touches])
    ways = np.array([touch.way for touch in step.touches])
    radius = step.touches[0].ball_radius
    found: dict[str, list[float]] = {}
    for number, way in enumerate(ways):
        results = []
        for sign in (1.0, -1.0):
            moved = centres.copy()
            moved[number] += sign * _STEP * way
            results.append(step_results(step, [tuple(place) for place in moved], radius))
        for key in results[0]:
            found.setdefault(key, []).append((results[0][key] - results[1][key]) / (2.0 * _STEP))
    return {key: np.array(values) for key, values in found.items()}
