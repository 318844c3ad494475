"""Operations by what they remove.  Depths count downward from the finished top of the side, in mm."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Feed, Length, Model, Name, NonNegativeLength, PositiveLength, Spindle

#: A place along a closed way, from 0 to 1.
Share = Annotated[float, Field(ge=0.0, lt=1.0, allow_inf_nan=False)]


class _OperationBase(Model):
    """``features`` are those it makes; ``program`` is the toolpath file it belongs to."""

    name: Name
    tool: Annotated[int, Field(ge=1, le=9999)]
    features: tuple[Name, ...] = ()
    #: How strongly it pushes sideways at most (N), from the shop's own cutting data; estimated where it is left out.
    side_force: Annotated[int, Field(ge=1, le=100_000)] | None = None
    program: Annotated[str, Field(max_length=500)] = ""


class Face(_OperationBase):
    """Takes everything above a plane: ``leave`` above the finished top of this side."""

    removes: Literal["face"] = "face"
    leave: NonNegativeLength = 0.0


class Outline(_OperationBase):
    """Cuts round the part's outline seen from above, down to ``below`` its underside.

    With a ``slot`` width only that much is cut beside the outline, and the border stays; without it
    everything outside goes.  ``tabs`` bridges of ``tab_width`` are left evenly round the outline,
    ``tab_height`` up from the cut's floor; where ``tabs_at`` gives places, there instead, as shares of the way
    round from the outline's rightmost point against the clock.
    """

    removes: Literal["outline"] = "outline"
    below: Length = 0.0
    to_parting: bool = False
    slot: PositiveLength | None = None
    tabs: Annotated[int, Field(ge=0, le=60)] = 0
    tabs_at: Annotated[tuple[Share, ...], Field(max_length=60)] = ()
    tab_width: PositiveLength = 6.0
    tab_height: PositiveLength = 2.0


class Seen(_OperationBase):
    """Takes all that can be seen from above without being part, to ``below`` its underside."""

    removes: Literal["seen"] = "seen"
    below: Length = 0.0
    to_parting: bool = False


class Bore(_OperationBase):
    """A round hole on a named feature's axis, right through the stock and ``beyond`` it."""

    removes: Literal["bore"] = "bore"
    on: Name
    to_parting: bool = False
    beyond: NonNegativeLength = 0.5


class Hole(_OperationBase):
    """A named hole to its own depth, or ``beyond`` its end where it goes through the part.

    ``point`` is the cone a drill leaves below, as its height; nought for a flat end.
    """

    removes: Literal["hole"] = "hole"
    on: Name
    to_parting: bool = False
    beyond: NonNegativeLength = 0.0
    point: NonNegativeLength = 0.0


class Pocket(_OperationBase):
    """What stands over a named pocket's or slot's floor, ``leave`` above it."""

    removes: Literal["pocket"] = "pocket"
    on: Name
    leave: NonNegativeLength = 0.0


class Slot(_OperationBase):
    """A named slot from its mouth to its floor."""

    removes: Literal["slot"] = "slot"
    on: Name
    leave: NonNegativeLength = 0.0


class Region(_OperationBase):
    """Everything over a rectangle that is not part, down to ``depth`` below the finished top.

    The rectangle is given in the part's two directions that lie along machine X and Y, as numbers
    of part coordinates: ``left`` to ``right`` and ``front`` to ``back`` in table-aligned coordinates.
    """

    removes: Literal["region"] = "region"
    left: Length
    right: Length
    front: Length
    back: Length
    depth: NonNegativeLength

    @model_validator(mode="after")
    def _in_order(self) -> Region:
        if self.left >= self.right or self.front >= self.back:
            raise ValueError("the region has no area; left must be below right and front below back")
        return self


class EdgeBreak(_OperationBase):
    """The slanted faces of named edge breaks and chamfers."""

    removes: Literal["edge break"] = "edge break"
    on: Annotated[tuple[Name, ...], Field(min_length=1)]


class Pin(Model):
    """A dowel pin: its diameter, and where its bore is made, from the part's middle along machine X and Y (mm)."""

    x: Length
    y: Length
    diameter: PositiveLength


class PinBores(_OperationBase):
    """Bores for the dowel pins of the next turn, through the stock and ``into_board`` below it.

    Where they are ``blind`` they end so far below the finished top of the side, above it where that is negative, and
    the face that they are bored from comes to lie on the board.
    ``board_offset`` is a work offset whose Z0 is the board's own top, in which the bare board is bored by itself;
    without one it is bored with the setup's own zero.  Bores are ``clearance`` wider than their pins, which are
    ``pin_length`` long and stand on the bottom of their bores in the board; None where that is not stated.  ``wall``
    stays between a bore and whatever else is cut or the blank's edge.  Deep bores are ``peck`` deep at a time; ``feed``
    (mm/min) and ``spindle`` (rpm) go into the program that makes them.
    """

    removes: Literal["pin bores"] = "pin bores"
    pins: Annotated[tuple[Pin, ...], Field(min_length=1, max_length=40)]
    clearance: NonNegativeLength = 0.04
    blind: Length | None = None
    board_offset: Name | None = None
    into_board: PositiveLength = 10.0
    pin_length: PositiveLength | None = None
    wall: NonNegativeLength = 4.0
    peck: PositiveLength = 3.0
    feed: Feed = 300.0
    spindle: Spindle = 8000


class FrameSlot(_OperationBase):
    """The slot of an interlocking frame about the part's middle, through the stock and ``below`` it.

    It stays outside of ``keep_x`` and ``keep_y``, half sizes along machine X and Y, and fits with ``fit`` after
    half a turn about ``turn``.  ``tabs`` bridges of ``tab_width`` are left, up to ``tab_height`` over the part's
    underside, until the piece is broken out.
    """

    removes: Literal["frame slot"] = "frame slot"
    turn: Literal["x", "y"] = "x"
    keep_x: PositiveLength
    keep_y: PositiveLength
    slot: PositiveLength
    fit: PositiveLength = 0.1
    notches: bool = True
    below: NonNegativeLength = 0.2
    pass_depth: PositiveLength = 3.0
    feed: Feed = 800.0
    spindle: Spindle = 12000
    tabs: Annotated[int, Field(ge=0, le=60)] = 0
    tab_width: PositiveLength = 6.0
    tab_height: PositiveLength = 2.0


def goes_to_parting(operation: Operation) -> bool:
    """Whether it is shortened on purpose, to the plane where it meets what is cut from the other side."""
    return getattr(operation, "to_parting", False)


Operation = Annotated[
    Face | Outline | Seen | Bore | Hole | Pocket | Slot | Region | EdgeBreak | PinBores | FrameSlot,
    Field(discriminator="removes"),
]
