"""Small parts for tests, built with the CAD kernel from dimensions that can be checked by hand."""

from __future__ import annotations

from functools import cache
from typing import Any

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon, BRepBuilderAPI_Transform
from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer, BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCone, BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakePrism
from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from ledgecliff.core.solids.geometry import PartGeometry
from ledgecliff.core.solids.kernel import bodies_of, geometry_of

UP = (0.0, 0.0, 1.0)


def box(low: tuple[float, ...], high: tuple[float, ...]) -> Any:
    return BRepPrimAPI_MakeBox(gp_Pnt(*low), gp_Pnt(*high)).Shape()


def cylinder(at: tuple[float, ...], diameter: float, height: float, way: tuple[float, ...] = UP) -> Any:
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*at), gp_Dir(*way)), diameter / 2.0, height).Shape()


def cone(at: tuple[float, ...], below: float, above: float, height: float, way: tuple[float, ...] = UP) -> Any:
    """A cone frustum by its two diameters."""
    return BRepPrimAPI_MakeCone(gp_Ax2(gp_Pnt(*at), gp_Dir(*way)), below / 2.0, above / 2.0, height).Shape()


def prism(corners: list[tuple[float, ...]], way: tuple[float, ...]) -> Any:
    polygon = BRepBuilderAPI_MakePolygon()
    for corner in corners:
        polygon.Add(gp_Pnt(*corner))
    polygon.Close()
    return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(polygon.Wire()).Face(), gp_Vec(*way)).Shape()


def less(shape: Any, *cuts: Any) -> Any:
    for cut in cuts:
        shape = BRepAlgoAPI_Cut(shape, cut).Shape()
    return shape


def plus(shape: Any, *more: Any) -> Any:
    for other in more:
        shape = BRepAlgoAPI_Fuse(shape, other).Shape()
    return shape


def turned(shape: Any, about: tuple[float, ...], radians: float, at: tuple[float, ...] = (0, 0, 0)) -> Any:
    move = gp_Trsf()
    move.SetRotation(gp_Ax1(gp_Pnt(*at), gp_Dir(*about)), radians)
    return BRepBuilderAPI_Transform(shape, move, True).Shape()


def moved(shape: Any, by: tuple[float, ...]) -> Any:
    move = gp_Trsf()
    move.SetTranslation(gp_Vec(*by))
    return BRepBuilderAPI_Transform(shape, move, True).Shape()


def filleted(shape: Any, radius: float, chosen: Any = lambda _edge: True, *, chamfer: bool = False) -> Any:
    """``shape`` with the edges that ``chosen`` picks rounded, or chamfered by ``radius``."""
    maker = BRepFilletAPI_MakeChamfer(shape) if chamfer else BRepFilletAPI_MakeFillet(shape)
    explorer, seen = TopExp_Explorer(shape, TopAbs_EDGE), []
    while explorer.More():
        edge = TopoDS.Edge(explorer.Current())
        if chosen(edge) and not any(edge.IsSame(other) for other in seen):
            seen.append(edge)
            maker.Add(radius, edge)
        explorer.Next()
    return maker.Shape()


def geometry_from(shape: Any, name: str = "test part") -> PartGeometry:
    return geometry_of(bodies_of(shape), name)


def trial_plate_shape() -> Any:
    """120 x 80 x 20: blind drilled hole, countersunk hole, boss, slot, window, filleted pocket, chamfer."""
    plate = box((0, 0, 0), (120, 80, 20))
    plate = less(
        plate,
        cylinder((15, 15, 8), 8, 20),
        cone((15, 15, 8 - 2.4), 0, 8, 2.4),
        cylinder((15, 65, -1), 6, 30),
        cone((15, 65, 17), 6, 12, 3),
        box((40, -1, 12), (50, 81, 21)),
        box((95, 20, -1), (110, 60, 21)),
    )
    pocket = filleted(box((60, 20, 10), (85, 60, 30)), 4.0, upright)
    pocket = filleted(pocket, 1.0, lambda edge: at_height(edge, 10))
    plate = less(plate, pocket, prism([(120, -1, 18), (120, -1, 20), (118, -1, 20)], (0, 82, 0)))
    return plus(plate, cylinder((28, 40, 19), 10, 6))


@cache
def trial_plate() -> PartGeometry:
    return geometry_from(trial_plate_shape(), "trial plate")


def _ends(edge: Any) -> list[Any]:
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    curve = BRepAdaptor_Curve(edge)
    return [curve.Value(curve.FirstParameter()), curve.Value(curve.LastParameter())]


def upright(edge: Any) -> bool:
    a, b = _ends(edge)
    return abs(a.X() - b.X()) < 1e-9 and abs(a.Y() - b.Y()) < 1e-9


def at_height(edge: Any, z: float) -> bool:
    return all(abs(end.Z() - z) < 1e-9 for end in _ends(edge))
