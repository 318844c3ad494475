"""The shop's library: what a new job starts with, and what any job can take; kept apart from jobs."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from .base import Model, Name, NonNegativeLength, PositiveLength
from .holding import AnyFixture, Jaws, ParallelsSet, Vise
from .machine import Machine, ProbingRoutine
from .stations import Station

SHOP_FORMAT: Literal["ledgecliff-shop"] = "ledgecliff-shop"
SHOP_VERSION: Literal[4] = 4


class NamedJaws(Model):
    """A set of jaws: the vise's own, stepped ones, or soft ones with the depth they are usually cut to."""

    name: Name
    jaws: Jaws


class TouchDefaults(Model):
    """How touches are made in a new setup (mm): as the probing routine of a setup has it."""

    stand_off: PositiveLength = 5.0
    overtravel: PositiveLength = 5.0
    depth: PositiveLength = 8.0
    clearance: PositiveLength = 15.0

    def routine(self, **more: Any) -> ProbingRoutine:
        """A setup's routine that begins so."""
        return ProbingRoutine(**{**self.model_dump(), **more})


class Shop(Model):
    """``machine`` is the one new jobs are planned for, with the fixtures that stand on it.

    The other lists are what lies on the shelf, with ``stations``
    for where such fixtures usually stand.  ``side_allowance`` and ``top_allowance`` are what new
    stock stands out over a part (mm), ``hat`` what more it has below to be held by.  ``touches``
    say how its setups are probed; feeds are the machine's probe's.
    """

    format: Literal["ledgecliff-shop"] = SHOP_FORMAT
    version: Literal[4] = SHOP_VERSION
    name: Name
    machine: Machine
    fixtures: tuple[AnyFixture, ...] = ()
    stations: tuple[Station, ...] = ()
    parallels: tuple[ParallelsSet, ...] = ()
    jaws: tuple[NamedJaws, ...] = ()
    material: Annotated[str, Field(min_length=1, max_length=80)] = "aluminium"
    side_allowance: NonNegativeLength = 2.0
    top_allowance: NonNegativeLength = 1.5
    hat: NonNegativeLength = 4.5
    touches: TouchDefaults = TouchDefaults()

    @model_validator(mode="after")
    def _can_hold_and_cut(self) -> Shop:
        if not self.machine.standing(Vise) or not self.machine.cutters:
            raise ValueError(
                "the shop's machine needs at least one vise and one cutter, since new jobs are planned with them; "
                "add what is missing"
            )
        known = {fixture.name for fixture in self.fixtures}
        strange = next((station for station in self.stations if station.fixture not in known), None)
        if strange is not None:
            raise ValueError(f"station '{strange.name}': there is no fixture '{strange.fixture}' on the shelf")
        for what, names in (
            ("fixtures", [fixture.name for fixture in self.fixtures]),
            ("sets of parallels", [parallels.name for parallels in self.parallels]),
            ("sets of jaws", [jaws.name for jaws in self.jaws]),
        ):
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice is not None:
                raise ValueError(f"two {what} share the name '{twice}'; rename one of them")
        return self
