"""What a setup takes over from the one before when pins, a frame or a jig register the turn.

The board stays where it is, and one place of the plan lies as it lay: with pins the zero, about which board and
blank are bored alike; with a frame the part's middle, about which it was cut.  With ``T = R2 R1^T`` the turn and
``c`` that place, all in plan, the blank's shift from ``u`` to the frame of what holds it follows:
``shift2 = shift1 + c - T c``.  A setup at another station takes over what lies there on the machine.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .datums import Wcs, ZeroBefore
from .frames import AXES, Array, Axis, Turn
from .holding.holding import Holding
from .model.machine import Machine
from .model.operations import FrameSlot, PinBores
from .model.setup import FROM_BEFORE, Setup
from .places import tf_m_s
from .registration.removed import part_middle
from .solids.geometry import PartGeometry


@dataclass(frozen=True)
class Carried:
    """``s_zeros`` are the zero of the setup ``before``, ``s_shift`` what takes the registered blank from ``u`` in plan
    (2,), both to the frame of what holds the setup after, and ``code`` the offset code that holds the zero (mm).
    ``on_axis`` says that the zero was found on the uppermost rotary axis, where turning about it takes nothing away."""

    before: Setup
    s_zeros: ZeroBefore
    s_shift: tuple[float, float]
    code: str
    on_axis: bool = False


def frame_slot(setup: Setup) -> FrameSlot | None:
    """The frame that a setup cuts, if any."""
    return next((one for one in setup.operations if isinstance(one, FrameSlot)), None)


def pin_bores(setup: Setup) -> PinBores | None:
    """The pins' bores that a setup makes, if any."""
    return next((one for one in setup.operations if isinstance(one, PinBores)), None)


def pivot(before: Setup, wcs: Wcs, geometry: PartGeometry) -> Array:
    """The place (2,), in ``u`` of the setup before, that lies as it lay after the turn."""
    if frame_slot(before) is not None:
        return part_middle(geometry, before.orientation)
    return wcs.u_origin[:2].copy()


def registered_shift(before: Setup, after: Setup, wcs: Wcs, shift: Array, geometry: PartGeometry) -> Array:
    """The shift (2,) of the registered blank after the turn, where it was ``shift`` (2 or 3,) before, in one frame."""
    turn = Turn(before.orientation, after.orientation).matrix
    place = np.array([*pivot(before, wcs, geometry), 0.0])
    moved: Array = shift[:2] + (place - turn @ place)[:2]
    return moved


def carried(
    machine: Machine, before: Setup, after: Setup, wcs: Wcs, held: Holding, geometry: PartGeometry
) -> Carried:  # fmt: skip
    """``before`` with its ``wcs`` and how it was ``held``; ``after`` may stand elsewhere."""
    tf_after_before = tf_m_s(machine, after).inverse().after(tf_m_s(machine, before))
    zero = held.tf_s_u(wcs.u_origin)
    shift = registered_shift(before, after, wcs, tf_after_before.after(held.tf_s_u).shift, geometry)
    zeros = ZeroBefore(_triple(tf_after_before(zero)), _triple(zero))
    return Carried(before, zeros, (float(shift[0]), float(shift[1])), before.offset)


def _triple(place: Array) -> tuple[float, float, float]:
    x, y, z = (float(value) for value in place)
    return x, y, z


def stays_clamped(before: Setup, after: Setup) -> bool:
    """Whether the part is not taken out between two setups: only rotary axes turn, or nothing does."""
    same = (before.hold, before.orientation) == (after.hold, after.orientation)
    return same and in_one_place(before, after)


def in_one_place(before: Setup, after: Setup) -> bool:
    """Whether two setups stand at one station."""
    return (before.machine, before.station) == (after.machine, after.station)


def hangs_on_place(before: Setup, after: Setup, axis: Axis) -> bool:
    """Whether an axis that is not touched in ``after`` also hangs on where the part lay ``before``: taken over, the
    zero is where that part was found; and where it was not touched then either, it was cut where it lay."""
    untouched = (*FROM_BEFORE, "fixture value")
    return after.datum.axis(axis).source in FROM_BEFORE or before.datum.axis(axis).source in untouched


def found_on_axis(setups: Sequence[Setup], index: int) -> bool:
    """Whether the zero that a setup carries over was found on the rotary axis, in the setup where it was found."""
    for axis in ("y", "z"):
        at = index
        while at and setups[at].datum.axis(axis).source == "carried over":
            at -= 1
        if at == index or setups[at].datum.axis(axis).source != "rotary axis":
            return False
    return True


def takes_over(setup: Setup) -> bool:
    """Whether anything of a setup hangs on the one before."""
    over = any(setup.datum.axis(axis).source in FROM_BEFORE for axis in AXES)
    return over or bool(getattr(setup.hold, "registered", False))
