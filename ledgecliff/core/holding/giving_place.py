"""Whether what holds the stock also says where it lies, or a hand does."""

from __future__ import annotations

from typing import assert_never

from ..model.holding import (
    BoardHold,
    ChuckHold,
    JigHold,
    OwnHold,
    PlateHold,
    SoftJaws,
    VBlock,
    VBlockHold,
    Vise,
    ViseHold,
    VJaws,
)
from ..model.own_fixture import OwnFixture
from ..model.setup import DatumSource
from ..scatter import Scatter
from .holding import Holding, along_the_jaws

#: How far a hand leaves stock off its planned place where nothing gives it (mm).
BY_HAND = Scatter("even", 0.6, origin="assumed")
#: What holds it and stands beside it: touched, that says where the part is only as far as this is pushed against it.
BESIDE_THE_PART: tuple[DatumSource, ...] = ("jaw minus end", "jaw plus end", "stop", "dowel", "fixture face")
#: What stands beside the stock is no further in than this (mm).
_TOUCHING = 1e-6


def gives_place(holding: Holding, k: int) -> bool:
    """Whether something that the stock is pushed against, or lies in, gives its place along X (0) or Y (1) of ``u``."""
    hold, jaws = holding.hold, holding.jaws
    match hold:
        case ViseHold():
            return (
                isinstance(hold.jaws, SoftJaws | VJaws)
                or hold.stop is not None
                or (jaws is not None and jaws.axis == k)
            )
        case PlateHold():
            size = float(holding.u_stock[1][k] - holding.u_stock[0][k])
            beside = [dowel.x if k == 0 else dowel.y for dowel in hold.dowels]
            return hold.registered or any(not 0.0 < place < size for place in beside)
        case BoardHold():
            return hold.registered or (hold.fence is not None and hold.fence.axis == k)
        case VBlockHold():
            return isinstance(holding.fixture, VBlock) and (holding.fixture.along == "x") == (k == 1)
        case ChuckHold() | JigHold():
            return True
        case OwnHold():
            own = holding.fixture
            return hold.over is not None or (isinstance(own, OwnFixture) and bool(own.against(k)))
        case _:
            assert_never(hold)


def pushed_toward(holding: Holding, k: int) -> int:
    """To which side along X (0) or Y (1) of ``u`` the stock is pushed: the fixed jaw's, else that of a stop or dowel;
    up where it lies in something."""
    if holding.jaws is not None and holding.jaws.axis == k:
        return holding.jaws.toward
    hold = holding.hold
    if isinstance(hold, ViseHold) and hold.stop is not None and isinstance(holding.fixture, Vise):
        right = 1 if along_the_jaws(holding.fixture)[k] > 0.0 else -1
        return right if hold.stop.side == "right" else -right
    if isinstance(holding.fixture, OwnFixture):
        faces = holding.fixture.against(k)
        return -faces[0].sign if faces else 1
    if isinstance(hold, BoardHold) and hold.fence is not None and hold.fence.axis == k:
        return hold.fence.sign
    low = float(holding.u_stock[0][k])
    beside = (block for block in holding.blocks if block.name.startswith("dowel"))
    return -1 if any(block.high[k] <= low + _TOUCHING for block in beside) else 1
