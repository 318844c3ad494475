"""What a step of probing is planned from."""

from __future__ import annotations

from dataclasses import dataclass, replace

import manifold3d
import numpy as np

from ..datums import Wcs
from ..frames import AXES, Axis
from ..holding import Holding
from ..model.cycles import ProbeCycle
from ..model.machine import Probe, ProbingRoutine
from ..model.part import Feature
from ..model.setup import Setup
from ..model.stock import Stock
from .touches import Feeds, Knowledge

Known = dict[Axis, Knowledge]
#: Parameters of the routine that a cycle may have for itself.
_OWN = ("stand_off", "overtravel", "depth", "clearance")


@dataclass(frozen=True, eq=False)
class Situation:
    """Everything a step is planned from; ``u_solid`` is the stock as it is when the step runs."""

    setup: Setup
    holding: Holding
    wcs: Wcs
    probe: Probe
    stock: Stock
    features: tuple[Feature, ...]
    u_solid: manifold3d.Manifold
    routine: ProbingRoutine
    #: The highest that the probe's body must clear where it touches; the stock's top where nothing is said.
    u_top: float | None = None

    def varies(self, axis: Axis) -> float:
        """How far the stock's size along a machine axis may be off (plus or minus, mm)."""
        spread = self.setup.orientation.matrix() @ np.array(self.stock.spread())
        return float(abs(spread[AXES.index(axis)]))

    def stock_top(self) -> float:
        """Height of the stock's highest point as it is now."""
        return float(self.u_solid.bounding_box()[5])

    def for_cycle(self, cycle: ProbeCycle, u_solid: manifold3d.Manifold) -> Situation:
        own = {name: value for name in _OWN if (value := getattr(cycle, name)) is not None}
        return replace(self, routine=self.setup.probing.model_copy(update=own), u_solid=u_solid)

    def feeds(self, cycle: ProbeCycle) -> Feeds:
        probe = self.probe
        return Feeds(
            cycle.search_feed or probe.search_feed,
            cycle.touch_feed or probe.touch_feed,
            cycle.back_off or probe.back_off,
        )

    def unsure(self, known: Known, axis: Axis, body: str) -> float:
        """How far (mm) a body may lie off along ``axis``: as well as that axis is known, and from another body than
        the one that set it by what the clamping leaves open."""
        knowledge = known[axis]
        apart = knowledge.body not in ("", body) and (knowledge.body == "fixture") != (body == "fixture")
        return knowledge.uncertainty + (self.holding.scatter if apart else 0.0)
