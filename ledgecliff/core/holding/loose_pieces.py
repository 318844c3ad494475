"""Pieces that the stock falls into, and what holds each: nothing may come loose under the cutter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import manifold3d
import numpy as np

from ..blanks import transformed
from ..model.holding import BoardHold, JigHold, PlateHold, SoftJaws, ViseHold
from ..solids.in_process_stock import InProcessStock
from .holding import Holding

#: Smaller pieces are facets and rounding (mm³); smaller than the second, chips that fly and are caught.
_CRUMB, _CHIP = 20.0, 200.0
#: A piece is held by what comes this near to it (mm).
_NEAR = 0.05


@dataclass(frozen=True)
class Piece:
    """A connected piece of stock: volume (mm³), whether the finished part is in it, and what holds it."""

    volume: float
    is_part: bool
    held_by: tuple[str, ...]


def pieces(holding: Holding, stock: InProcessStock, parts: Sequence[manifold3d.Manifold]) -> tuple[Piece, ...]:
    """The pieces of ``stock`` as it stands in its holding, those with ``parts`` (solids in P) in them first."""
    matrix = holding.orientation.matrix()
    found = [piece for piece in stock.pieces if len(stock.pieces) == 1 or piece.volume() > _CRUMB]
    main = {0}
    if len(found) != 1:
        shares = [[float((piece ^ part).volume()) for piece in found] for part in parts]
        main = {int(np.argmax(row)) for row in shares if row}
    result = [
        Piece(float(piece.volume()), k in main, _held_by(holding, transformed(piece, matrix)))
        for k, piece in enumerate(found)
        if k in main or piece.volume() > _CHIP
    ]
    return tuple(sorted(result, key=lambda piece: (not piece.is_part, -piece.volume)))


def _held_by(holding: Holding, piece: manifold3d.Manifold) -> tuple[str, ...]:
    """Names of what grips, presses, screws or glues a piece; lying on something is not enough."""
    hold = holding.hold
    low = float(np.array(piece.bounding_box())[2])
    holders = []
    for block in holding.blocks:
        gluing = block.name == "tape"
        if block.kind not in ("jaw", "clamp") and not gluing:
            continue
        if block.name.startswith(("dowel", "stop", "second", "fence")):
            continue  # it is pushed against these or stands beside them, and is not held by them
        if piece.min_gap(block.solid(), 2.0 * _NEAR) < _NEAR:
            holders.append(block.name)
    if isinstance(hold, ViseHold):
        soft = isinstance(hold.jaws, SoftJaws)
        jaws = [name for name in holders if name.endswith("jaw")]
        return tuple(jaws) if len(jaws) == 2 or (soft and jaws) else ()
    if isinstance(hold, (BoardHold, PlateHold, JigHold)) and "tape" in holders and low > holding.seat + _NEAR:
        holders.remove("tape")
    return tuple(holders)
