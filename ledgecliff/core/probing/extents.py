"""From where to where the touched body reaches along X and Y, in ``u``."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..feature_places import HOLLOW
from ..frames import AXES, Axis
from ..model.cycles import ProbeCycle
from .step_context import StepContext


@dataclass(frozen=True)
class Extent:
    """Lowest and highest place along X and Y; ``inside`` when the walls face one another."""

    lows: tuple[float, float]
    highs: tuple[float, float]
    inside: bool = False

    def low(self, axis: Axis) -> float:
        return self.lows[AXES.index(axis)]

    def high(self, axis: Axis) -> float:
        return self.highs[AXES.index(axis)]

    def middle_across(self, axis: Axis) -> float:
        """The middle on the other axis."""
        k = 1 - AXES.index(axis)
        return (self.lows[k] + self.highs[k]) / 2.0


def extent_of(context: StepContext, cycle: ProbeCycle) -> Extent:
    if cycle.on == "feature":
        return _of_feature(context, cycle)
    low, high = context.holding.u_part if cycle.on == "part" else context.holding.u_stock
    return Extent((float(low[0]), float(low[1])), (float(high[0]), float(high[1])))


def _of_feature(context: StepContext, cycle: ProbeCycle) -> Extent:
    """A feature with a width; where it is not said how far it goes the other way, it goes as far as the part.

    Of a face, the place of its reference point.
    """
    feature = context.feature(cycle.feature)
    matrix = context.setup.orientation.matrix()
    at = matrix @ np.array(feature.at.as_tuple())
    if feature.kind == "face":
        return Extent((float(at[0]), float(at[1])), (float(at[0]), float(at[1])))
    widthwise, lengthwise = np.abs(matrix @ feature.widthwise()), np.abs(matrix @ feature.across())
    wide = 0 if widthwise[0] >= widthwise[1] else 1
    along = 1 - wide
    low, high = context.holding.u_part
    assert feature.width is not None, "the job's own validation asks for a width"
    sizes = [feature.width, feature.width]
    # A web may stand on end: its length is upright then, and its depth is what is seen from above.
    goes = feature.length if lengthwise[along] > 0.5 else feature.depth
    sizes[along] = goes or float(high[along] - low[along])
    return Extent(
        (float(at[0]) - sizes[0] / 2.0, float(at[1]) - sizes[1] / 2.0),
        (float(at[0]) + sizes[0] / 2.0, float(at[1]) + sizes[1] / 2.0),
        feature.kind in HOLLOW,
    )
