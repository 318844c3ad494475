"""Stock on double-sided tape: what area of it is left under the part, what that bears, and how a cut pushes.

By the usual force law of milling a tooth that is fully engaged pushes with ``F = k_c a_p f_z`` (N): the material's
specific cutting force (N/mm²), the depth of a pass and the feed of a tooth (mm).  Where a job states nothing else a
pass is half a cutter's diameter deep and a tooth advances by a hundredth of that diameter, 0.1 at most; of what tape
bears in shear a third counts.  That a cutter lifts is not estimated.
"""

from __future__ import annotations

import manifold3d
import numpy as np

from ..blanks import transformed
from ..model.machine import Cutter
from ..solids.in_process_stock import InProcessStock
from .holding import Holding

#: Specific cutting forces (N/mm²) by what a material is called; the first word that occurs counts.
_SPECIFIC: tuple[tuple[str, float], ...] = (
    ("stainless", 2400.0), ("steel", 2000.0), ("iron", 1300.0), ("titan", 1500.0), ("copper", 1100.0),
    ("bronze", 900.0), ("brass", 800.0), ("alumin", 800.0), ("acetal", 150.0), ("nylon", 150.0), ("acryl", 150.0),
    ("plastic", 150.0), ("laminate", 300.0), ("plywood", 50.0), ("wood", 50.0), ("oak", 50.0), ("ash", 50.0),
    ("beech", 50.0), ("maple", 50.0), ("board", 50.0), ("mdf", 50.0), ("cork", 20.0), ("foam", 5.0),
)  # fmt: skip
_PASS, _TOOTH, _MOST_TOOTH = 0.5, 0.01, 0.1
#: Only so much of what a tape bears is counted on.
SHARE = 1.0 / 3.0
#: The underside is looked at this far above what it lies on (mm).
_SKIN = 0.02


def specific_force(material: str) -> float | None:
    """N/mm², None where the material's name says nothing."""
    words = material.lower()
    return next((force for word, force in _SPECIFIC if word in words), None)


def side_force(material: str, cutter: Cutter, deep: float) -> float | None:
    """About how strongly (N) a cutter pushes sideways, ``deep`` (mm) in the material; None where that is not known."""
    specific = specific_force(material)
    if specific is None:
        return None
    return specific * min(deep, _PASS * cutter.diameter) * min(_TOOTH * cutter.diameter, _MOST_TOOTH)


def taped_area(holding: Holding, stock: InProcessStock, part: manifold3d.Manifold) -> float:
    """The area (mm²) that lies on the tape of the piece with the part in it; ``part`` is solid in P."""
    pieces = stock.pieces
    shares = [float((piece ^ part).volume()) for piece in pieces]
    # In the board's own frame, in which it lies level however the board stands.
    turn = holding.tf_s_u.turn @ holding.orientation.matrix()
    lowest = float(transformed(stock.solid, turn).bounding_box()[2])
    return float(transformed(pieces[int(np.argmax(shares))], turn).slice(lowest + _SKIN).area())


def bears(area: float, holds: int) -> float:
    """What an area (mm²) of tape is counted on for (N), by what it ``holds`` in shear (N/cm²)."""
    return SHARE * area / 100.0 * holds
