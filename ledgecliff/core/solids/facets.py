"""How many flats stand for a round."""

from __future__ import annotations

import math

from .geometry import COARSE_DEFLECTION


def facets_for(radius: float, deflection: float = COARSE_DEFLECTION) -> int:
    """How many flats a circle needs to stay within ``deflection`` of it; a multiple of four."""
    if radius <= deflection:
        return 8
    return max(8, math.ceil(math.pi / math.acos(1.0 - deflection / radius) / 4.0) * 4)
