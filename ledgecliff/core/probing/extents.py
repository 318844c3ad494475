"""From where to where the touched body reaches along X and Y, in ``u``."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..frames import AXES, Axis
from ..model.cycles import ProbeCycle
from .step_context import StepContext

#: Feature kinds that are touched from within.
_HOLLOW = ("pocket", "slot")


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
    """A feature with a width; where it has no length it is as long as the part."""
    feature = next(feature for feature in context.features if feature.name == cycle.feature)
    matrix = context.setup.orientation.matrix()
    at = matrix @ np.array(feature.at.as_tuple())
    lengthwise = np.abs(matrix @ feature.across())
    along = 0 if lengthwise[0] >= lengthwise[1] else 1
    low, high = context.holding.u_part
    assert feature.width is not None, "the job's own validation asks for a width"
    sizes = [feature.width, feature.width]
    sizes[along] = feature.length or float(high[along] - low[along])
    return Extent(
        (float(at[0]) - sizes[0] / 2.0, float(at[1]) - sizes[1] / 2.0),
        (float(at[0]) + sizes[0] / 2.0, float(at[1]) + sizes[1] / 2.0),
        feature.kind in _HOLLOW,
    )
