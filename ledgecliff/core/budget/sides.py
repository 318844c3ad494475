"""What one setup cuts against what another does: between both sides of a turn, in height, and from a zero."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..frames import AXES, Array, Axis
from ..once import once_each
from ..plan import Plan
from ..turns.turn_plan import TurnPlan, turns_of
from .asked import Asked, asked_in, off_of
from .chain import Chain, chain_of
from .offs import Off, Source
from .pair import Pair, pair_of

_X_AND_Y, _Z = [0, 1], [2]
#: A pair is off along an axis where that makes this of its way.
_ALONG = 1e-3


def far_side(turn: TurnPlan, plan: Plan) -> Pair | None:
    """How far what is cut after a turn may lie off what was cut before, any way across, at the feature farthest from
    what registers it; None where what should hold it does not."""
    chain = chain_of(plan)
    if turn.play is None and turn.way in ("dowel pins", "interlocking frame", "two-pocket jig"):
        return None
    return _between(chain, turn.index - 1, turn.index, _farthest(chain, turn), turn.farthest.name, _X_AND_Y)


@once_each
def in_height(plan: Plan) -> tuple[Pair, ...]:
    """The same along Z, in the middle of the part."""
    chain, middle = chain_of(plan), (plan.geometry.low + plan.geometry.high) / 2.0
    return tuple(
        _between(chain, turn.index - 1, turn.index, middle, "the parting plane", _Z) for turn in turns_of(plan)
    )


def off_its_zero(plan: Plan, index: int, axis: Axis) -> Pair:
    """What a setup's zero along an axis leaves: the worst, along that axis, of the pairs of which the setup makes the
    later feature.

    Where it makes none, what is cut at the zero against what was cut there in the setup before; in the first setup,
    against what gives the zero, whatever size the blank has.
    """
    chain, row = chain_of(plan), plan.setups[index].setup.orientation.matrix()[[AXES.index(axis)]]
    pairs = [
        pair_of(chain, replace(asked, ways=row), off_of(chain, asked))
        for asked in asked_in(chain, index)
        if np.abs(asked.ways @ row[0]).max() > _ALONG
    ]
    if pairs:
        return max(pairs, key=lambda pair: (pair.share or 0.0, pair.expanded))
    place = plan.setups[index].wcs.p_origin
    if index:
        return _between(chain, index - 1, index, place, "the zero", [AXES.index(axis)])
    asked = Asked("the zero", "", "other side", row)
    return pair_of(chain, asked, _made(chain, 0, place, "far side", upright=axis == "z"), is_no_size)


def is_no_size(source: Source) -> bool:
    return source.kind != "blank"


def _between(chain: Chain, before: int, after: int, p_place: Array, name: str, rows: list[int]) -> Pair:
    orientation = chain.setup(after).setup.orientation
    asked = Asked(name, chain.setup(before).setup.name, "other side", orientation.matrix()[rows])
    near = _made(chain, before, p_place, "near side", upright=rows == _Z)
    far = _made(chain, after, p_place, "far side", upright=rows == _Z)
    return pair_of(chain, asked, far - near - chain.treated("near side", before, after))


def _made(chain: Chain, index: int, p_place: Array, side: str, *, upright: bool) -> Off:
    """How far what a setup cuts at a place lies off; ``upright`` where its last tool leaves it."""
    made = chain.cut(index, p_place) + chain.landing(index, side, f"the {side}")
    operations, up = chain.setup(index).setup.operations, chain.setup(index).setup.orientation.matrix()[2]
    return made + chain.sunk(index, operations[-1], up) if upright and operations else made


def _farthest(chain: Chain, turn: TurnPlan) -> Array:
    """The place in P of the feature farthest from what registers a turn."""
    feature = chain.plan.job.part.feature(turn.farthest.name)
    if feature is not None:
        return np.array(feature.at.as_tuple())
    matrix = turn.before.setup.orientation.matrix()
    u_middle = matrix @ (chain.plan.geometry.low + chain.plan.geometry.high) / 2.0
    u_place = np.array([*(turn.middle + turn.farthest.place), u_middle[2]])
    place: Array = matrix.T @ u_place
    return place


def left_by_axes(plan: Plan, index: int) -> Pair:
    """What rotary axes leave of a zero that is worked out from the setup before, at that zero, the way it is worst.

    Such a zero is turned as the part is, so that it cancels; what is left is where the part itself comes to lie.
    """
    chain = chain_of(plan)
    before, after, place = plan.setups[index - 1], plan.setups[index], plan.setups[index].wcs.p_origin
    lies = [chain.held(k).at(chain.matrix(k), place).turned(chain.matrix(k).T) for k in (index - 1, index)]
    asked = Asked(after.setup.name, before.setup.name, "other side", np.eye(3))
    return pair_of(chain, asked, lies[0] - lies[1])
