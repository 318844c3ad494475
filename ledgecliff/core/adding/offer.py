"""One thing that can be done at a feature, or cannot."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Generic, TypeVar

from ..model.orientation import Orientation, shown
from ..model.part import Feature
from ..plan import Plan

T = TypeVar("T")


@dataclass(frozen=True)
class Offer(Generic[T]):
    """``what`` is added when it is taken, None where it cannot be; ``says`` tells how it is done then, or why not, with
    lengths to be spelled."""

    title: str
    says: str
    what: T | None


def opens_elsewhere(plan: Plan, setup: int, feature: Feature, can: Callable[[Orientation], bool]) -> str:
    """Why a feature is not come at from above in a setup, and which setups could."""
    here = plan.setups[setup].setup
    others = [each.setup.name for each in plan.setups if each.index != setup and can(each.setup.orientation)]
    side = "askew" if feature.skew is not None else f"to {shown(feature.opens_to)}"
    words = f"It opens {side}, which is not up in {here.name}"
    if others:
        return f"{words}; it is in {' and '.join(others)}."
    return f"{words}, nor in any other setup; add one that has it up."
