"""A true world as a value: where parts and fixtures really are, the true ball, tools, axes and offset tables.

It is stated by hand, drawn from a seed (``drawn_world``), stored as a file and compared; the plan never sees it.  What
is left out is exactly as planned.  Lengths are mm along machine axes.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field, model_validator

from ..model.base import Length, Model, Name, NonNegativeLength, Point, PositiveLength
from ..model.stations import Degrees, IndexAngle
from ..simulator.true_probe import DELAY_S, TrueProbe

_NOWHERE = Point(x=0.0, y=0.0, z=0.0)
SmallDegrees = Annotated[float, Field(ge=-10, le=10, allow_inf_nan=False)]


class Debris(Model):
    """Something under the stock, ``thickness`` high, ``x`` and ``y`` from the middle of the stock."""

    x: Length
    y: Length
    thickness: PositiveLength


class TrueClamping(Model):
    """One clamping of the setup that ``name`` names.

    ``fixture_off`` is how far the fixture stands off its planned place, ``part_off`` how far the part lies off its
    place in the fixture.  The part is turned about the middle of its stock: by ``skew_deg`` about Z, then
    ``tilt_y_deg`` about Y, then ``tilt_x_deg`` about X; ``debris`` it lies on tilts and lifts it beside.  ``index_off``
    is how far beyond their words the rotary axes come to stand.  Where the part stays clamped from the setup before,
    only that counts.
    """

    name: Name
    instance: Annotated[str, Field(max_length=20)] = ""
    fixture_off: Point = _NOWHERE
    part_off: Point = _NOWHERE
    skew_deg: SmallDegrees = 0.0
    tilt_x_deg: SmallDegrees = 0.0
    tilt_y_deg: SmallDegrees = 0.0
    debris: Annotated[tuple[Debris, ...], Field(max_length=20)] = ()
    index_off: Annotated[tuple[IndexAngle, ...], Field(max_length=3)] = ()


class StatedProbe(Model):
    """Ball errors: see ``TrueProbe``.  ``repeatability`` is the machine's own where it is left out."""

    radius_off: Length = 0.0
    lobing: Length = 0.0
    delay_s: Annotated[float, Field(ge=0, le=1)] = DELAY_S
    repeatability: NonNegativeLength | None = None
    missed: tuple[Annotated[int, Field(ge=1)], ...] = ()

    def truth(self) -> TrueProbe:
        return TrueProbe(self.radius_off, self.lobing, self.delay_s, self.repeatability, frozenset(self.missed))


class TrueTool(Model):
    """A tool, on any machine where none is named, that is ``longer`` than the tool table has it; of a probe, from its
    ball's tip.  ``radius_off`` is how much larger a probe's true effective radius is, besides what is stated of all."""

    number: Annotated[int, Field(ge=1, le=9999)]
    machine: Name | None = None
    longer: Length = 0.0
    radius_off: Length = 0.0


class OldOffset(Model):
    """What an offset holds before anything has run."""

    code: Name
    machine: Name | None = None
    at: Point
    turn_deg: Degrees = 0.0


class AxisError(Model):
    """A rotary axis that is not as it is entered: its centre lies ``off``, it stands level at ``flat_off_deg`` more,
    or it turns the other way."""

    axis: Name
    off: Point = _NOWHERE
    flat_off_deg: Degrees = 0.0
    sense: Literal["as entered", "the other way"] = "as entered"


class TrueWorld(Model):
    """``stock_off`` is how much larger the blank is than measured, along part X, Y and Z.

    ``seed`` is what readings scatter by; of a drawn world, what all of it was drawn from.
    """

    seed: Annotated[int, Field(ge=0, le=2**63)] = 1
    stock_off: Point = _NOWHERE
    setups: tuple[TrueClamping, ...] = ()
    probe: StatedProbe = StatedProbe()
    tools: Annotated[tuple[TrueTool, ...], Field(max_length=1000)] = ()
    offsets: Annotated[tuple[OldOffset, ...], Field(max_length=1000)] = ()
    axes: Annotated[tuple[AxisError, ...], Field(max_length=20)] = ()

    @model_validator(mode="after")
    def _once_each(self) -> TrueWorld:
        for what, keys in (
            ("setup", [(setup.name, setup.instance) for setup in self.setups]),
            ("tool", [(tool.machine, tool.number) for tool in self.tools]),
            ("offset", [(offset.machine, offset.code) for offset in self.offsets]),
            ("axis", [axis.axis for axis in self.axes]),
        ):
            if len(set(keys)) != len(keys):
                raise ValueError(f"{'an' if what[0] in 'ao' else 'a'} {what} is stated twice; state it once")
        return self

    def tools_of(self, machine: str) -> dict[int, TrueTool]:
        """By its number each tool of a machine that is said to be off."""
        found = [tool for tool in self.tools if tool.machine in (None, machine)]
        return {tool.number: tool for tool in sorted(found, key=lambda tool: tool.machine is not None)}

    def longer(self, machine: str) -> dict[int, float]:
        """By its number how much longer a tool of a machine is (mm)."""
        return {number: tool.longer for number, tool in self.tools_of(machine).items()}

    def true_probe(self, machine: str, number: int) -> TrueProbe:
        """The ball of a machine's probe."""
        truth, tool = self.probe.truth(), self.tools_of(machine).get(number)
        return truth if tool is None else replace(truth, radius_off=truth.radius_off + tool.radius_off)

    def setup(self, name: str, instance: str = "") -> TrueClamping:
        """As stated of one instance, else of all of them, or exactly as planned where nothing is said."""
        of_name = [setup for setup in self.setups if setup.name == name and setup.instance in ("", instance)]
        return max(of_name, key=lambda setup: bool(setup.instance), default=TrueClamping(name=name))
