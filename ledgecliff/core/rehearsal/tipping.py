"""How stock lies on what has been left under it.

Its underside is a plane ``z = a x + b y + c`` over the seat that nothing of the seat and no debris goes through.  Of
all such planes the stock takes the one on which its centre of gravity is lowest: a linear programme in ``a``, ``b``
and ``c``.  Where that has no end, the stock falls off.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..errors import InvalidValueError
from ..frames import Array, Placement
from ..holding import Holding
from ..holding.contact import seat_outline
from .true_world import Debris

#: What counts as through (mm).
_THROUGH = 1e-6


def underside(seat: Array, weight: Array, debris: Array) -> Array:
    """``a``, ``b``, ``c`` of the plane (3,) that the stock comes to lie on.

    ``seat`` (N, 2) are the corners it may rest on, ``weight`` (2,) its centre of gravity, ``debris`` (M, 3) places and
    heights over the seat (mm).  Raises ValueError where nothing holds it up, or the solver does not converge.
    """
    from scipy.optimize import linprog  # it takes its time to import, and only a rehearsal needs it

    carried = np.vstack([np.column_stack([seat, np.zeros(len(seat))]), debris])
    under = np.column_stack([carried[:, :2], np.ones(len(carried))])
    found = linprog((*weight, 1.0), A_ub=-under, b_ub=-carried[:, 2], bounds=[(None, None)] * 3, method="highs")
    if found.status == 3:
        raise ValueError("the stock falls off what is under it")
    if not found.success:
        raise ValueError(f"how the stock lies was not found: {found.message}")
    plane = np.asarray(found.x, dtype=float)
    if float((under @ plane - carried[:, 2]).min()) < -_THROUGH:
        raise ValueError("how the stock lies was not found: something would go through it")
    return plane


def on_debris(name: str, holding: Holding, debris: Sequence[Debris]) -> Placement:
    """What takes stock from where it is seated (``u``) to how it lies on debris in the setup of that ``name``.

    Raises InvalidValueError where it would not lie, or where something is stated to be where nothing carries it.
    """
    where = f"setup '{name}', debris"
    outline = seat_outline(holding)
    if outline is None:
        raise InvalidValueError(where, "is only simulated under stock that lies flat; take it out of the true world")
    middle = ((holding.u_stock[0] + holding.u_stock[1]) / 2.0)[:2]
    places = np.array([(each.x + middle[0], each.y + middle[1], each.thickness) for each in debris])
    for each, (x, y, _) in zip(debris, places, strict=True):
        if not outline.covers(x, y):
            raise InvalidValueError(where, f"nothing carries the stock at X{each.x:g} Y{each.y:g}; put it elsewhere")
    try:
        a, b, c = underside(outline.corners, outline.u_weight[:2], places)
    except ValueError as error:
        raise InvalidValueError(where, f"{error}; state it thinner, or elsewhere") from error
    up = np.array([-a, -b, 1.0]) / np.sqrt(1.0 + a * a + b * b)
    turn = _upright_to(up)
    pivot = np.array([*middle, holding.seat])
    lifted = np.array([*middle, holding.seat + a * middle[0] + b * middle[1] + c])
    return Placement(turn, lifted - turn @ pivot)


def _upright_to(up: Array) -> Array:
    """The shortest turn (3, 3) that takes +Z to ``up``: ``I + [v] + [v]² / (1 + cos)`` with ``v = z × up``."""
    x, y, cos = float(up[0]), float(up[1]), float(up[2])
    cross = np.array([[0.0, 0.0, x], [0.0, 0.0, y], [-x, -y, 0.0]])
    turn: Array = np.eye(3) + cross + cross @ cross / (1.0 + cos)
    return turn
