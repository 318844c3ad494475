"""Where the tools of a setup go: what each sweeps, and whether it, its shank or its holder meets anything.

An operation's tool stands wherever its disc touches what is removed without cutting what stays.  From
those places everything upward is swept: as wide as the tool for its reach, as wide as its holder above.
All in table-aligned part coordinates ``u`` (mm).
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal, TypeAlias

import manifold3d
import numpy as np

from ..blanks import box, transformed
from ..model.machine import Cutter
from ..model.orientation import Orientation
from ..solids.in_process_stock import InProcessStock
from .holding import Block

Section: TypeAlias = manifold3d.CrossSection
Solid: TypeAlias = manifold3d.Manifold
#: Pieces of what is removed smaller than this are facets and rounding (mm³).
_CRUMB = 0.5
#: A tool fits where it overlaps what stays by no more than this (mm): facets stand inside of true circles.
_FACETS = 0.12
#: Thinner than twice this a piece is a film of facets; floors are looked at this far above them (mm).
_FILM, _SKIN = 0.06, 0.05
#: With less than this share of its floor on material a cut goes right through.
_OPEN_BELOW = 0.1
#: What is swept ends this far above the stock (mm), and shares less than this with a block it does not hit (mm³).
_ABOVE, _TOUCH = 1.0, 0.2
_SEGMENTS = 48


@dataclass(frozen=True, eq=False)
class Sweep:
    """One piece of what an operation removes: its floor, the stock's top over it, and the places (an area,
    seen from above) of the tool's axis when it cuts the floor."""

    floor: float
    top: float
    places: Section
    swept: Section

    @property
    def depth(self) -> float:
        return self.top - self.floor


class _Left:
    """What an operation leaves, with its sections: many pieces share a floor."""

    def __init__(self, solid: Solid) -> None:
        self.solid = solid
        bounds = np.array(solid.bounding_box())
        self.bottom, self.top = float(bounds[2]), float(bounds[5])
        self._sections: dict[float, Section] = {}

    def at(self, height: float) -> Section:
        key = round(height, 4)
        if key not in self._sections:
            self._sections[key] = self.solid.slice(height)
        return self._sections[key]


ToolPart = Literal["tool", "holder", "nose"]


@dataclass(frozen=True)
class Removal:
    """What one operation takes and leaves: ``removed`` (in P), the stock ``after`` it, how the part lies, and how low
    the operation sends its tool where nothing is left below."""

    removed: Solid
    after: InProcessStock
    orientation: Orientation
    lowest: float


@dataclass(frozen=True)
class Clash:
    """A tool, its holder, or the spindle's nose meets something: what, and by how much it overlaps in height (mm)."""

    with_what: str
    by: float
    part: ToolPart
    #: Whether that stands on another station.
    neighbour: bool = False

    @property
    def holder(self) -> bool:
        """Whether it is not the tool itself that meets what stands about its own setup."""
        return self.part != "tool" and not self.neighbour


@lru_cache(maxsize=512)
def sweeps(removal: Removal, diameter: float) -> tuple[Sweep, ...]:
    """Where a tool of ``diameter`` goes to take what is removed and leave the rest, lowest floors first."""
    left = _Left(_stands(removal.after, removal.orientation))
    found = []
    for piece in transformed(removal.removed, removal.orientation.matrix()).decompose():
        if piece.volume() < _CRUMB:
            continue
        floor = _real_floor(piece)
        if floor is not None:
            found.append(_sweep(piece, left, floor, diameter / 2.0, removal.lowest))
    return tuple(sorted(found, key=lambda sweep: sweep.floor))


def _real_floor(piece: Solid) -> float | None:
    """The lowest height at which a piece is more than the film between two ways to facet one round wall."""
    heights = np.unique(np.round(np.array(piece.to_mesh64().vert_properties)[:, 2], 2))
    for low, high in itertools.pairwise(heights.tolist()):
        section = piece.slice(low + min(_SKIN, (high - low) / 2.0))
        if section.offset(-_FILM, manifold3d.JoinType.Miter).area() > 1e-6:
            return float(low)
    return None


def _sweep(piece: Solid, left: _Left, floor: float, radius: float, lowest: float) -> Sweep:
    low, high = np.array(piece.bounding_box()).reshape(2, 3)
    top = float(high[2])
    # Only what is cut at the floor itself takes the tool so deep.
    skin = min(_SKIN, (top - floor) / 2.0)
    cut_at = floor + skin
    bottom = piece.slice(cut_at)
    if lowest < floor and _open_below(left, bottom, floor):
        floor = lowest
    room = np.array([2.0 * radius, 2.0 * radius, 0.0])
    tall = max(top, left.top) + 1.0
    near = box((*(low - room)[:2], cut_at), (*(high + room)[:2], tall)) ^ left.solid
    reach = bottom.offset(radius, manifold3d.JoinType.Round, circular_segments=_SEGMENTS)
    grown = near.project().offset(max(radius - _FACETS, 0.01), manifold3d.JoinType.Round, circular_segments=_SEGMENTS)
    places = reach - grown
    if places.area() < 1e-9:
        # No room for the tool as it is entered: it goes where the material goes.
        centre = np.array(bottom.bounds()).reshape(2, 2).mean(axis=0)
        places = Section.circle(0.05, 12).translate(tuple(centre))
        return Sweep(floor, top, places, bottom)
    return Sweep(floor, top, places, places.offset(radius, manifold3d.JoinType.Round, circular_segments=_SEGMENTS))


def _open_below(left: _Left, bottom: Section, floor: float) -> bool:
    """Whether a cut whose floor would be ``bottom`` goes right through: no material lies anywhere below it."""
    if float((left.at(floor - _SKIN) ^ bottom).area()) > _OPEN_BELOW * float(bottom.area()):
        return False
    if left.bottom >= floor - _SKIN:
        return True
    column = Solid.extrude(bottom, floor - _SKIN - left.bottom + 1.0).translate((0.0, 0.0, left.bottom - 1.0))
    return float((column ^ left.solid).project().area()) < _OPEN_BELOW * float(bottom.area())


def clashes(removal: Removal, cutter: Cutter, nose: float, about: Standing) -> tuple[Clash, ...]:
    """Everything the tool of one operation, its holder or the spindle's nose (of that diameter, mm) runs into, each
    thing once with its worst overlap."""
    worst: dict[tuple[str, ToolPart, bool], float] = {}

    def note(what: str, by: float, part: ToolPart, neighbour: bool = False) -> None:
        worst[what, part, neighbour] = max(worst.get((what, part, neighbour), 0.0), by)

    stands = _stands(removal.after, removal.orientation)
    own = [("the stock", stands), *((block.name, block.solid()) for block in about.blocks)]
    for sweep in sweeps(removal, cutter.diameter):
        for block in about.blocks:
            hit = _overlap(sweep.swept, sweep.floor, _uncuttable(block))
            if hit > 0.0:
                note(block.name, hit, "tool")
        for block in about.neighbours:
            hit = _overlap(sweep.swept, sweep.floor, block.solid())
            if hit > 0.0:
                note(block.name, hit, "tool", neighbour=True)
        if cutter.reach is not None:
            wide = _wider(sweep, cutter.holder_diameter)
            for name, solid in own:
                hit = _overlap(wide, sweep.floor + cutter.reach, solid)
                if hit > 0.01:
                    note(name, hit, "holder")
            for block in about.neighbours:
                hit = _overlap(wide, sweep.floor + cutter.reach, block.solid())
                if hit > 0.01:
                    note(block.name, hit, "holder", neighbour=True)
        for block in about.neighbours:
            hit = _overlap(_wider(sweep, nose), sweep.floor + cutter.tip_length, block.solid())
            if hit > 0.01:
                note(block.name, hit, "nose", neighbour=True)
    return tuple(Clash(what, by, part, neighbour) for (what, part, neighbour), by in worst.items())


def _wider(sweep: Sweep, diameter: float) -> Section:
    return sweep.places.offset(diameter / 2.0, manifold3d.JoinType.Round, circular_segments=_SEGMENTS)


@dataclass(frozen=True)
class Standing:
    """What stands about the stock: what holds it, and what stands on other stations."""

    blocks: tuple[Block, ...]
    neighbours: tuple[Block, ...] = ()


@lru_cache(maxsize=128)
def _stands(stock: InProcessStock, orientation: Orientation) -> Solid:
    return transformed(stock.solid, orientation.matrix())


def _uncuttable(block: Block) -> Solid:
    solid = block.solid()
    if block.may_cut <= 0.0:
        return solid
    return solid.trim_by_plane((0.0, 0.0, -1.0), -(block.high[2] - block.may_cut))


def _overlap(area: Section, floor: float, solid: Solid) -> float:
    """How high a solid stands over ``floor`` within ``area`` seen from above (mm); nought where it does not."""
    high = float(np.array(solid.bounding_box())[5])
    if solid.is_empty() or high <= floor + 1e-6:
        return 0.0
    column = Solid.extrude(area, high - floor + _ABOVE).translate((0.0, 0.0, floor))
    hit = column ^ solid
    if hit.is_empty() or hit.volume() < _TOUCH:
        return 0.0
    return float(np.array(hit.bounding_box())[5]) - floor


@dataclass(frozen=True)
class ToolUse:
    """What one operation asks of its tool: deepest cut below the stock there (mm), and what it runs into."""

    operation: int
    cutter: Cutter
    depth: float
    clashes: tuple[Clash, ...]

    @property
    def too_long_for_flute(self) -> float:
        """How much taller the cut is than the tool's flutes (mm); nought where they are long enough."""
        return max(self.depth - self.cutter.flute, 0.0) if self.cutter.flute is not None else 0.0


def tool_use(operation: int, removal: Removal, cutter: Cutter, nose: float, about: Standing) -> ToolUse:
    """What the operation of that number asks of its tool under a spindle of a ``nose`` (mm)."""
    depth = max((sweep.depth for sweep in sweeps(removal, cutter.diameter)), default=0.0)
    return ToolUse(operation, cutter, depth, clashes(removal, cutter, nose, about))
