"""How far what is made at an instance of a pattern may be off, by which of its stations are probed."""

from __future__ import annotations

import numpy as np

from ..model.pattern import Probed
from ..plan import Plan
from .asked import Asked, asked_in, off_of
from .chain import Chain
from .pair import Pair, pair_of
from .sides import is_no_size


def made_here(plan: Plan, index: int, probed: Probed) -> list[Pair]:
    """Every pair of which a setup makes the later feature, sizes left out."""
    chain = Chain(plan, {index: probed})
    return [pair_of(chain, asked, off_of(chain, asked)) for asked in asked_in(chain, index)]


def instance_off(plan: Plan, index: int, probed: Probed) -> Pair:
    """How far an instance is cut off its place in the blank, any way across, whatever size that has."""
    chain = Chain(plan, {index: probed})
    low, high = plan.setups[index].holding.u_stock
    matrix = plan.setups[index].setup.orientation.matrix()
    middle = matrix.T @ (low + high) / 2.0
    asked = Asked("an instance", "", "other side", np.array(matrix[:2]))
    return pair_of(chain, asked, chain.cut(index, middle) + chain.landing(index, "far side", "a cut"), is_no_size)
