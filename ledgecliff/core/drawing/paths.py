"""The way the ball really went in a rehearsal, laid over plan and front."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ..frames import Array
from ..plan import Plan
from ..rehearsal.playback import Playback
from ..route import Scene
from .items import Drawing, Stroke

Place = tuple[float, float, float]


def with_path(views: tuple[Drawing, ...], moves: Sequence[tuple[Place, Place, bool]]) -> tuple[Drawing, ...]:
    """``moves`` are start, end (WCS, mm) and whether the move searched; they are cut off above what is drawn."""
    axes = ((0, 1), (0, 2))
    drawn = []
    for drawing, (i, j) in zip(views, axes, strict=False):
        high = drawing.high[1] if j == 2 else None
        strokes = [
            Stroke(
                ((start[i], _capped(start[j], high)), (end[i], _capped(end[j], high))),
                "search" if searched else "thin",
            )
            for start, end, searched in moves
        ]
        drawn.append(replace(drawing, items=(*drawing.items, *strokes)))
    return (*drawn, *views[len(drawn) :])


def _capped(value: float, high: float | None) -> float:
    return value if high is None else min(value, high)


def u_path(plan: Plan, scene: Scene, playback: Playback | None) -> Array:
    """The moves of the ball in the bodies' coordinates (N, 2, 3): start and end of each; empty without a rehearsal."""
    if playback is None or scene.setup is None or scene.kind != "setup":
        return np.zeros((0, 2, 3))
    moves = np.array([(start, end) for start, end, _ in playback.moves()])
    path: Array = moves + plan.setups[scene.setup].wcs.u_origin
    return path
