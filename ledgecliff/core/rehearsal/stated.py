"""A stated true world, in place of one drawn from a seed: where parts and fixtures really are, and the true ball."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from ..model.base import Length, Model, Name, NonNegativeLength, Point
from ..simulator.machine import DELAY_S, TrueProbe

_NOWHERE = Point(x=0.0, y=0.0, z=0.0)


class StatedSetup(Model):
    """One clamping: how far the fixture stands off its planned place, how far the part lies off its place in the
    fixture (mm, machine axes), and how far it is turned about the middle of its stock (degrees, counter-clockwise)."""

    name: Name
    fixture_off: Point = _NOWHERE
    part_off: Point = _NOWHERE
    skew_deg: Annotated[float, Field(ge=-10, le=10)] = 0.0


class StatedProbe(Model):
    """Ball errors: see ``TrueProbe``.  ``repeatability`` is the machine's own where it is left out."""

    radius_off: Length = 0.0
    lobing: Length = 0.0
    delay_s: Annotated[float, Field(ge=0, le=1)] = DELAY_S
    repeatability: NonNegativeLength | None = None
    missed: tuple[Annotated[int, Field(ge=1)], ...] = ()

    def truth(self) -> TrueProbe:
        return TrueProbe(self.radius_off, self.lobing, self.delay_s, self.repeatability, frozenset(self.missed))


class StatedWorld(Model):
    """``stock_off`` is how much larger the blank is than measured, along part X, Y and Z (mm)."""

    stock_off: Point = _NOWHERE
    setups: tuple[StatedSetup, ...] = ()
    probe: StatedProbe = StatedProbe()

    @model_validator(mode="after")
    def _once_each(self) -> StatedWorld:
        names = [setup.name for setup in self.setups]
        if len(set(names)) != len(names):
            raise ValueError("a setup is stated twice; state it once")
        return self

    def setup(self, name: str) -> StatedSetup:
        """As stated, or exactly as planned where nothing is said."""
        return next((setup for setup in self.setups if setup.name == name), StatedSetup(name=name))
