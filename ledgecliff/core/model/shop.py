"""The shop's library: what a new job starts with, and what any job can take; kept apart from jobs."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Model, Name, NonNegativeLength
from .holding import Chuck, Fixture, Jaws, ParallelsSet, Plate, Spoilboard, VBlock, Vise
from .machine import Machine

SHOP_FORMAT: Literal["ledgecliff-shop"] = "ledgecliff-shop"
SHOP_VERSION: Literal[1] = 1


class NamedJaws(Model):
    """A set of jaws: the vise's own, stepped ones, or soft ones with the depth they are usually cut to."""

    name: Name
    jaws: Jaws


class Shop(Model):
    """``machine`` is the one new jobs are planned for, with the fixtures that stand on it.

    The other lists are what lies on the shelf.  ``side_allowance`` and ``top_allowance`` are what new
    stock stands out over a part (mm), ``hat`` what more it has below to be held by.
    """

    format: Literal["ledgecliff-shop"] = SHOP_FORMAT
    version: Literal[1] = SHOP_VERSION
    name: Name
    machine: Machine
    vises: tuple[Vise, ...] = ()
    parallels: tuple[ParallelsSet, ...] = ()
    jaws: tuple[NamedJaws, ...] = ()
    plates: tuple[Plate, ...] = ()
    boards: tuple[Spoilboard, ...] = ()
    v_blocks: tuple[VBlock, ...] = ()
    chucks: tuple[Chuck, ...] = ()
    material: Annotated[str, Field(min_length=1, max_length=80)] = "aluminium"
    side_allowance: NonNegativeLength = 2.0
    top_allowance: NonNegativeLength = 1.5
    hat: NonNegativeLength = 4.5

    @model_validator(mode="after")
    def _can_hold_and_cut(self) -> Shop:
        if not self.machine.vises or not self.machine.cutters:
            raise ValueError(
                "the shop's machine needs at least one vise and one cutter, since new jobs are planned with them; "
                "add what is missing"
            )
        shelf: tuple[Fixture, ...] = (*self.vises, *self.plates, *self.boards, *self.v_blocks, *self.chucks)
        for what, names in (
            ("fixtures", [fixture.name for fixture in shelf]),
            ("sets of parallels", [parallels.name for parallels in self.parallels]),
            ("sets of jaws", [jaws.name for jaws in self.jaws]),
        ):
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice is not None:
                raise ValueError(f"two {what} share the name '{twice}'; rename one of them")
        return self
