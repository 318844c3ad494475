"""The machine, its vises, its probe and its cutters: what a job assumes stands on the table."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Feed, Length, Model, Name, NonNegativeLength, Point, PositiveLength


class OffsetCode(Model):
    """A work offset of the control: the word that selects it and its number in ``G10 L2 P``."""

    code: Annotated[str, Field(pattern=r"^G[0-9]{2}(\.[0-9]{1,3})?$")]
    number: Annotated[int, Field(ge=1, le=999)]


class Vise(Model):
    """A vise with the fixed jaw at the back (machine +Y).  Heights are above its bed, in mm.

    ``at`` is the nominal place in machine coordinates of: middle of the jaw's width (X), face
    of the fixed jaw (Y), bed (Z, as the gauge line would read standing on it).
    """

    name: Name
    at: Point
    jaw_width: PositiveLength
    jaw_height: PositiveLength
    jaw_thickness: PositiveLength
    opening_min: NonNegativeLength
    opening_max: PositiveLength
    grip_min: NonNegativeLength
    clamping_scatter: NonNegativeLength

    @model_validator(mode="after")
    def _opening_in_order(self) -> Vise:
        if self.opening_min >= self.opening_max:
            raise ValueError(
                f"smallest opening {self.opening_min} is not below the largest {self.opening_max}; swap or correct them"
            )
        return self


class Probe(Model):
    """The touch probe as a tool.  Lengths in mm, feeds in mm/min.

    ``length`` is from gauge line to the lowest point of the ball, as in the tool table.
    ``effective_radius`` is the calibrated ball radius (ball less pretravel at ``touch_feed``).
    ``reach`` is how deep the stylus may go before its thicker body follows.
    """

    tool: Annotated[int, Field(ge=1, le=9999)]
    length: PositiveLength
    ball_diameter: PositiveLength
    effective_radius: PositiveLength
    stem_diameter: PositiveLength
    body_diameter: PositiveLength
    reach: PositiveLength
    travel_feed: Feed
    search_feed: Feed
    touch_feed: Feed
    back_off: PositiveLength
    repeatability: NonNegativeLength

    @property
    def ball_radius(self) -> float:
        return self.ball_diameter / 2.0

    @model_validator(mode="after")
    def _stylus_tapers(self) -> Probe:
        if self.stem_diameter >= self.ball_diameter:
            raise ValueError(
                f"stem {self.stem_diameter} is not thinner than the ball {self.ball_diameter}; "
                "the stem would touch first"
            )
        if not 0.5 * self.ball_radius <= self.effective_radius <= self.ball_radius:
            raise ValueError(
                f"effective radius {self.effective_radius} must lie just under half the ball diameter "
                f"({self.ball_radius}); calibrate on a ring"
            )
        return self


class Cutter(Model):
    """A tool in the tool table; ``length`` from gauge line to tip."""

    tool: Annotated[int, Field(ge=1, le=9999)]
    name: Name
    diameter: PositiveLength
    length: PositiveLength


class Machine(Model):
    """``travel_min`` and ``travel_max`` bound the machine reading of every axis (mm).

    ``program_units`` is the control's own length unit: programs are written in it, because the
    parameters that hold its offsets are kept in it.
    """

    name: Name
    program_units: Literal["mm", "in"] = "mm"
    travel_min: Point
    travel_max: Point
    offsets: Annotated[tuple[OffsetCode, ...], Field(min_length=1)]
    vises: Annotated[tuple[Vise, ...], Field(min_length=1)]
    probe: Probe
    cutters: tuple[Cutter, ...] = ()

    @model_validator(mode="after")
    def _travel_and_tools(self) -> Machine:
        for axis in ("x", "y", "z"):
            if getattr(self.travel_min, axis) >= getattr(self.travel_max, axis):
                raise ValueError(f"travel along {axis.upper()} ends before it begins; swap its two limits")
        numbers = [self.probe.tool, *(cutter.tool for cutter in self.cutters)]
        if len(set(numbers)) != len(numbers):
            raise ValueError("two tools share one number; give every tool its own")
        for what, names in (
            ("vises share the name", [vise.name for vise in self.vises]),
            ("work offsets share the code", [offset.code for offset in self.offsets]),
        ):
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice is not None:
                raise ValueError(f"two {what} '{twice}'; rename one of them")
        return self

    def vise(self, name: str) -> Vise | None:
        return next((vise for vise in self.vises if vise.name == name), None)

    def offset(self, code: str) -> OffsetCode | None:
        return next((offset for offset in self.offsets if offset.code == code), None)

    def cutter(self, tool: int) -> Cutter | None:
        return next((cutter for cutter in self.cutters if cutter.tool == tool), None)


class Hover(Model):
    """A hover check: the cutter stops ``gap`` over a gauge block that stands on the parallels."""

    tool: Annotated[int, Field(ge=1, le=9999)]
    block: PositiveLength = 75.0
    gap: NonNegativeLength = 0.0
    feed: Feed = 200.0


class ProbingRoutine(Model):
    """How this setup's touches are made.  Lengths in mm.

    ``depth`` is from the top of the touched wall down to the contact.  ``guess`` is how far the
    offset put in by eye may be off (plus or minus) before anything is probed.
    """

    stand_off: PositiveLength = 5.0
    overtravel: PositiveLength = 5.0
    depth: Length = 8.0
    clearance: PositiveLength = 15.0
    guess: PositiveLength = 3.0
