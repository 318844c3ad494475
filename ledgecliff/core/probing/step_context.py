"""What a step of probing is planned from."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import manifold3d

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
class StepContext:
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
    #: How far the stock may be turned from the axes as they are then, and how far the fixture (degrees).
    stock_skew_deg: float = 0.0
    fixture_skew_deg: float = 0.0

    def feature(self, name: str | None) -> Feature:
        return next(feature for feature in self.features if feature.name == name)

    def varies(self, axis: Axis) -> float:
        """How far the stock's size along a machine axis may be off (plus or minus, mm)."""
        return float(self.setup.orientation.sizes(self.stock.spread())[AXES.index(axis)])

    def stock_top(self) -> float:
        """Height of the stock's highest point as it is now."""
        return float(self.u_solid.bounding_box()[5])

    def for_cycle(self, cycle: ProbeCycle, u_solid: manifold3d.Manifold) -> StepContext:
        own = {name: value for name in _OWN if (value := getattr(cycle, name)) is not None}
        return replace(self, routine=self.setup.probing.model_copy(update=own), u_solid=u_solid)

    def feeds(self, cycle: ProbeCycle, stand_off: float) -> Feeds:
        """Between its two stages the ball backs off no further than where the search began: behind that may be
        another wall."""
        probe = self.probe
        return Feeds(
            cycle.search_feed or probe.search_feed,
            cycle.touch_feed or probe.touch_feed,
            min(cycle.back_off or probe.back_off, stand_off),
        )

    def unsure(self, known: Known, axis: Axis, body: str, u_at: tuple[float, float] | None = None) -> float:
        """How far (mm) a body may lie off along ``axis``: as well as that axis is known, and from another body than
        the one that set it by what the clamping leaves open.

        At a place ``u_at`` (x, y) it may lie off by what a skew does there too: its distance, along the other axis,
        from where the axis was found, or from the stock's middle, about which it lies as it was put there.
        """
        knowledge = known[axis]
        fixture = body == "fixture"
        apart = knowledge.body not in ("", body) and (knowledge.body == "fixture") != fixture
        unsure = knowledge.uncertainty + (self.holding.clamping.standard if apart else 0.0)
        if u_at is None or axis == "z":
            return unsure
        other = 1 - AXES.index(axis)
        low, high = self.holding.u_stock
        pivot = float(low[other] + high[other]) / 2.0
        if knowledge.found_across is not None and not apart:
            pivot = knowledge.found_across + float(self.wcs.u_origin[other])
        skew_deg = self.fixture_skew_deg if fixture else self.stock_skew_deg
        return unsure + abs(u_at[other] - pivot) * math.sin(math.radians(skew_deg))

    def aside(self, known: Known, body: str, u_at: tuple[float, float]) -> tuple[float, float]:
        """How far (mm) a place of a body may lie off along X and Y."""
        return self.unsure(known, "x", body, u_at), self.unsure(known, "y", body, u_at)
