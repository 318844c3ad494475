"""What a setup of a first plan cuts: faced, cut round, all that is seen from above, and a bore for the next zero."""

from __future__ import annotations

from dataclasses import dataclass
from typing import assert_never

import manifold3d

from ..blanks import transformed
from ..cutting.cuts import below, can_cut
from ..model.machine import Cutter, Machine
from ..model.operations import Bore, Face, Hole, Operation, Outline, Pocket, Seen, Slot
from ..model.orientation import Orientation, shown
from ..model.part import Feature
from ..solids.geometry import PartGeometry
from ..solids.in_process_stock import InProcessStock
from ..solids.shadow import outline_area

#: Less stock than this beside the outline is facets and rounding (mm³).
_CRUMBS = 60.0
#: Tabs that hold a part in its sheet: how many, how wide (mm), and how high as a share of the thickness.
_TABS, _TAB_WIDTH, _TAB_SHARE = 4, 8.0, 0.4
#: What goes right through goes so far into the board (mm).
_BEYOND = 0.5


@dataclass(frozen=True, eq=False)
class ToCut:
    """What a setup is to cut, and of what: ``made`` are the features it makes, ``bore`` one to go right through.

    A tall part is cut from either side down to ``above`` its underside (mm); what is deeper is cut by itself.
    """

    orientation: Orientation
    before: InProcessStock
    geometry: PartGeometry
    machine: Machine
    made: tuple[Feature, ...]
    bore: Feature | None
    above: float


def operations_for(work: ToCut, small: Cutter) -> tuple[Operation, ...]:
    """The operations of a setup, of which ``small`` cuts what is seen."""
    orientation, before, geometry, machine = work.orientation, work.before, work.geometry, work.machine
    made, bore, above = work.made, work.bore, work.above
    bottom, top = (float(corner[2]) for corner in geometry.u_corners(orientation))
    side = shown(orientation.up)
    stock_top = float(before.u_corners(orientation)[1][2])
    operations: list[Operation] = []
    if stock_top > top + 0.01:
        operations.append(Face(name=f"face {side}", tool=_widest(machine).tool))
    end = end_mill(machine, stock_top - bottom - above)
    names = tuple(feature.name for feature in made)
    seen = Seen(name=f"all seen from {side}", tool=small.tool, features=names, below=-above)
    if stands_beside(before, orientation, geometry):
        operations.append(Outline(name="outline", tool=end.tool, below=-above))
    operations.append(seen)
    if above:
        # What goes right through is finished from the other side.
        deep = (f for f in made if not f.through and _floor_of(f, orientation) < bottom + above - 1e-6)
        operations += [each for f in deep if (each := _by_itself(f, orientation, machine)) is not None]
    if bore is not None:
        operations.append(Bore(name=f"{bore.name} right through", tool=end.tool, on=bore.name))
    return tuple(operations)


def sheet_operations(
    features: tuple[Feature, ...], orientation: Orientation, machine: Machine, thick: float
) -> tuple[Operation, ...]:
    """Every feature by itself, then a slot round the part with tabs: the border stays on the board with its screws."""
    made = (_by_itself(feature, orientation, machine, beyond=_BEYOND) for feature in features)
    end = end_mill(machine, thick + _BEYOND)
    outline = Outline(
        name="outline on tabs", tool=end.tool, below=_BEYOND, slot=end.diameter, tabs=_TABS, tab_width=_TAB_WIDTH,
        tab_height=round(max(_TAB_SHARE * thick, 1.0), 3),
    )  # fmt: skip
    return (*(each for each in made if each is not None), outline)


def _by_itself(feature: Feature, orientation: Orientation, machine: Machine, beyond: float = 0.0) -> Operation | None:
    """A feature's own operation; None where it has none, or does not stand so that it can be made from above."""
    name, on = f"cut {feature.name}", feature.name
    tool = next(iter(cutters_for(machine, feature)), small_cutters(machine)[0]).tool
    made: Operation | None = None
    match feature.kind:
        case "hole" | "bore" | "counterbore":
            made = Hole(name=name, tool=tool, on=on, features=(on,), beyond=beyond if feature.through else 0.0)
        case "pocket":
            made = Pocket(name=name, tool=tool, on=on, features=(on,))
        case "slot":
            made = Slot(name=name, tool=tool, on=on, features=(on,))
        case "boss" | "web" | "chamfer" | "countersink" | "edge break" | "face" | "outer round":
            return None
        case _:
            assert_never(feature.kind)
    return made if can_cut(made, (feature,), orientation) else None


def _floor_of(feature: Feature, orientation: Orientation) -> float:
    """The lowest height (in ``u``) that a feature goes down to."""
    at = float(orientation.matrix()[2] @ feature.at.as_tuple())
    return at if feature.kind == "pocket" else at - (feature.depth or 0.0)


def cutters_for(machine: Machine, feature: Feature) -> tuple[Cutter, ...]:
    """Flat end mills that go into a feature, the widest first; all of them where its width is not told."""
    flat = small_cutters(machine)
    sizes = [each for each in (feature.diameter, feature.width, _twice(feature.radius)) if each]
    return tuple(reversed([cutter for cutter in flat if cutter.diameter <= min(sizes)])) if sizes else flat


def _twice(radius: float | None) -> float | None:
    return None if radius is None else 2.0 * radius


def stands_beside(before: InProcessStock, orientation: Orientation, geometry: PartGeometry) -> bool:
    """Whether stock stands outside of the part's outline, below its top, in this orientation."""
    matrix = orientation.matrix()
    top = float(geometry.u_corners(orientation)[1][2])
    bottom = float(before.u_corners(orientation)[0][2])
    outline = manifold3d.Manifold.extrude(outline_area(transformed(geometry.solid, matrix)), top - bottom + 2.0)
    standing = below(transformed(before.solid, matrix), top) - outline.translate((0.0, 0.0, bottom - 1.0))
    return bool(standing.volume() > _CRUMBS)


def _widest(machine: Machine) -> Cutter:
    return max(machine.cutters, key=lambda cutter: (cutter.diameter, cutter.tool))


def end_mill(machine: Machine, deep: float) -> Cutter:
    """The widest flat end mill of at most 20 mm that goes so deep (mm), else the one that goes deepest."""
    flat = [c for c in machine.cutters if c.shape == "flat" and c.diameter <= 20.0] or list(machine.cutters)
    reaching = [c for c in flat if c.depth >= deep]
    if reaching:
        return max(reaching, key=lambda c: (c.diameter, -c.tool))
    return max(flat, key=lambda c: (c.depth, c.diameter, -c.tool))


def small_cutters(machine: Machine) -> tuple[Cutter, ...]:
    """Flat end mills for what is seen, the thinnest first; equally thin ones by how deep they go."""
    flat = [c for c in machine.cutters if c.shape == "flat"] or list(machine.cutters)
    return tuple(sorted(flat, key=lambda c: (c.diameter, c.depth, c.tool)))
