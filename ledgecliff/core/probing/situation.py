"""What a step of probing is planned from."""

from __future__ import annotations

from dataclasses import dataclass

import manifold3d
import numpy as np

from ..datums import Wcs
from ..frames import AXES, Axis
from ..holding import Holding
from ..model.machine import Probe
from ..model.part import Feature
from ..model.setup import Setup
from ..model.stock import Stock


@dataclass(frozen=True, eq=False)
class Situation:
    """Everything a step is planned from."""

    setup: Setup
    holding: Holding
    wcs: Wcs
    probe: Probe
    stock: Stock
    features: tuple[Feature, ...]
    u_solid: manifold3d.Manifold
    #: The highest that the probe's body must clear where it touches; the stock's top where nothing is said.
    u_top: float | None = None

    def varies(self, axis: Axis) -> float:
        """How far the stock's size along a machine axis may be off (plus or minus, mm)."""
        spread = self.setup.orientation.matrix() @ np.array(self.stock.spread())
        return float(abs(spread[AXES.index(axis)]))
