"""The interlocking frame: a blank cut out of its own border, into which it wedges once it is turned.

The slot is ``d`` wide and the wanted fit ``c``.  Half of every edge stands out by a step ``s = d - c``, so
arranged that after the turn the high half faces the border's low half: there the slot closes to ``c``, elsewhere
it opens to ``d + s``.  The outline is its own image by half a turn about Z, so contacts face all four ways, and
those across X stop one sense of turning, those across Y the other (docs/methods/turns.md).

Two conditions: a corner between two high halves comes to where the border is rounded about a low corner, so its
radius is ``d`` larger; and inner corners are rounded, by half the slot, so that a cutter as wide gets into them.

A pair of notches deeper than the slot, on one edge that the turn axis crosses and alike about the axis, leaves
tongues in the border that only the wanted turn clears.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

from ..errors import RegistrationError
from ..frames import Axis
from ..quantities import said
from .outlines import RoundedOutline

#: Radius of the outline's low corners where they leave the choice (mm).
_CORNER = 2.0
#: Notches lie this share of the way from the axis to the end of their edge.
_NOTCH_AT = 0.5
#: The border's tongue between two flanks of a notch is at least this thick, and the slot's width at least (mm).
_TONGUE = 6.0
#: A notch reaches this share of the slot's width further in than the slot is wide.
_NOTCH_DEEPER = 0.5
#: Ways of the cutter in a slot wider than it are no further apart than this share of its diameter.
_STEP_OVER = 0.8


@dataclass(frozen=True)
class FrameSizes:
    """What a frame is made from (mm).

    ``keep_x`` and ``keep_y`` are half sizes of the rectangle that it stays outside of; ``slot`` is the slot's
    width, ``fit`` the clearance after the turn, ``corner`` the radius of the low corners.
    """

    keep_x: float
    keep_y: float
    slot: float
    fit: float
    turn: Axis = "x"
    notches: bool = True
    corner: float = _CORNER


@dataclass(frozen=True, eq=False)
class Frame:
    """The piece and its border's inner edge, the hole, about the part's middle."""

    sizes: FrameSizes
    piece: RoundedOutline
    hole: RoundedOutline

    @property
    def turned(self) -> RoundedOutline:
        """The piece after the turn."""
        return self.piece.mirrored(self.sizes.turn)

    def cutter_lines(self, diameter: float) -> tuple[RoundedOutline, ...]:
        """Where the axis of a cutter goes: along the piece, along the border too where the slot is wider, and so often
        between them that nothing of it is left standing."""
        wider = self.sizes.slot - diameter
        if wider < 1e-6:
            return (self.piece.offset(diameter / 2.0),)
        between = max(math.ceil(wider / (_STEP_OVER * diameter) - 1e-9), 1)
        return tuple(self.piece.offset(diameter / 2.0 + wider * k / between) for k in range(between + 1))

    @property
    def half_size(self) -> tuple[float, float]:
        """Half of the border's hole, overall, along X and Y: what a blank must be larger than."""
        xs, ys = zip(*self.hole.corners, strict=True)
        return max(xs), max(ys)


@lru_cache(maxsize=256)
def make_frame(sizes: FrameSizes) -> Frame:
    """The frame round a rectangle.  Raises RegistrationError with what does not go, and the remedy."""
    step = sizes.slot - sizes.fit
    if step < sizes.slot / 2.0 + 1e-6:
        raise RegistrationError(
            f"A fit of {said(sizes.fit)} leaves a step of only {said(step)} in a slot of {said(sizes.slot)}; "
            "make the fit closer."
        )
    # Made for a turn about X; for one about Y the same with both axes exchanged.
    along, across = (sizes.keep_x, sizes.keep_y) if sizes.turn == "x" else (sizes.keep_y, sizes.keep_x)
    corners = _corners(sizes, along, across, step)
    if sizes.turn == "y":
        corners = [(y, x, radius) for x, y, radius in reversed(corners)]
    piece = RoundedOutline(tuple((x, y) for x, y, _ in corners), tuple(radius for _, _, radius in corners))
    _ = piece.edges  # refuses radii that do not fit
    return Frame(sizes, piece, piece.offset(sizes.slot))


def _corners(sizes: FrameSizes, along: float, across: float, step: float) -> list[tuple[float, float, float]]:
    """X, Y and radius of the piece's corners against the clock, for a turn about X."""
    inner, low, high = sizes.slot / 2.0, sizes.corner, sizes.corner + sizes.slot
    deep = (1.0 + _NOTCH_DEEPER) * sizes.slot if sizes.notches else 0.0
    # Without notches the low corners' rounding would cut the corners of the rectangle: it goes out by r (1 - 1/√2).
    out = 0.0 if deep > low else low * (1.0 - math.sqrt(0.5))
    a, b = along + deep + out, across + out
    # A step slants by 45 degrees: an upright one would be lower than the rounding its slot leaves on the border.
    half_step = step / 2.0
    right: list[tuple[float, float, float]] = [(a, -half_step, inner), (a + step, half_step, 0.0)]
    if sizes.notches:
        floor, middle = a - deep, _NOTCH_AT * b
        half = sizes.slot + max(_TONGUE, sizes.slot) / 2.0
        if middle - half < 1.0 or middle + half > b - low - 1.0:
            raise RegistrationError(
                f"Notches {said(2.0 * half)} wide find no room on an edge of {said(2.0 * b)}; "
                "make the frame wider across the turn axis, make the slot narrower, or leave the notches out."
            )
        right = [*_notch(a, floor, -middle, half, inner), *right, *_notch(a + step, floor, middle, half, inner)]
    return [
        (a, -b, low),
        *right,
        (a + step, b + step, high),
        (half_step, b + step, 0.0),
        (-half_step, b, inner),
        (-a, b, low),
        (-a, half_step, inner),
        (-a - step, -half_step, 0.0),
        (-a - step, -b - step, high),
        (-half_step, -b - step, 0.0),
        (half_step, -b, inner),
    ]


def _notch(edge: float, floor: float, middle: float, half: float, inner: float) -> list[tuple[float, float, float]]:
    return [
        (edge, middle - half, 0.0),
        (floor, middle - half, inner),
        (floor, middle + half, inner),
        (edge, middle + half, 0.0),
    ]
