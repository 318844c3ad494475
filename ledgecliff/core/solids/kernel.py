"""From a shape of the CAD kernel to ``PartGeometry``.

The kernel takes more than a second to import, so only the process that reads models
(``ledgecliff.store.kernel_worker``) and the demo's model script import this module.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepGProp import BRepGProp
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_Cylinder, GeomAbs_Plane
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_FACE, TopAbs_REVERSED, TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS

from ..errors import ModelFileError
from .geometry import COARSE_DEFLECTION, FINE_DEFLECTION, Cylinder, Mesh, PartGeometry, Plane, weld


def geometry_of(shape: Any, sha256: str) -> PartGeometry:
    """Meshes and surfaces of a kernel shape.  Raises ModelFileError unless it is one solid."""
    solids = _explore(shape, TopAbs_SOLID)
    if len(solids) != 1:
        raise ModelFileError(f"The model holds {len(solids)} solid bodies; export the finished part as exactly one.")
    faces = [TopoDS.Face(face) for face in _explore(shape, TopAbs_FACE)]
    planes, cylinders = _surfaces(faces)
    coarse = _mesh(shape, faces, COARSE_DEFLECTION, angle=0.45)
    fine = _mesh(shape, faces, FINE_DEFLECTION, angle=0.1)
    return PartGeometry(sha256, coarse, fine, planes, cylinders, len(faces))


def _explore(shape: Any, kind: Any) -> list[Any]:
    found, explorer = [], TopExp_Explorer(shape, kind)
    while explorer.More():
        found.append(explorer.Current())
        explorer.Next()
    return found


def _mesh(shape: Any, faces: list[Any], deflection: float, angle: float) -> Mesh:
    BRepTools.Clean_s(shape)
    BRepMesh_IncrementalMesh(shape, deflection, False, angle, True)
    vertices: list[NDArray[np.float64]] = []
    triangles: list[NDArray[np.int64]] = []
    count = 0
    for face in faces:
        location = TopLoc_Location()
        triangulation = BRep_Tool.Triangulation_s(face, location)
        if triangulation is None:
            raise ModelFileError("A face of the model cannot be triangulated; repair the model and export it again.")
        transform = location.Transformation()
        points = [triangulation.Node(i + 1).Transformed(transform) for i in range(triangulation.NbNodes())]
        corners = np.array([triangulation.Triangle(i + 1).Get() for i in range(triangulation.NbTriangles())])
        if face.Orientation() == TopAbs_REVERSED:
            corners = corners[:, ::-1]
        vertices.append(np.array([(p.X(), p.Y(), p.Z()) for p in points]))
        triangles.append(corners.astype(np.int64) - 1 + count)
        count += len(points)
    return weld(np.concatenate(vertices), np.concatenate(triangles))


def _surfaces(faces: list[Any]) -> tuple[tuple[Plane, ...], tuple[Cylinder, ...]]:
    planes, cylinders = [], []
    for face in faces:
        surface = BRepAdaptor_Surface(face)
        outward = -1.0 if face.Orientation() == TopAbs_REVERSED else 1.0
        if surface.GetType() == GeomAbs_Plane:
            planes.append(_plane(face, surface.Plane(), outward))
        elif surface.GetType() == GeomAbs_Cylinder:
            cylinders.append(_cylinder(surface, outward))
    return tuple(planes), tuple(cylinders)


def _plane(face: Any, plane: Any, outward: float) -> Plane:
    axes, at = plane.Position(), plane.Location()
    # A left-handed placement turns the natural normal (u x v) round.
    flip = outward * (1.0 if axes.Direct() else -1.0)
    normal = np.array([axes.Direction().X(), axes.Direction().Y(), axes.Direction().Z()]) * flip
    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, properties)
    offset = float(normal @ (at.X(), at.Y(), at.Z()))
    return Plane(_triple(normal), offset, properties.Mass())


def _cylinder(surface: Any, outward: float) -> Cylinder:
    cylinder = surface.Cylinder()
    axes, at = cylinder.Position(), cylinder.Location()
    axis = np.array([axes.Direction().X(), axes.Direction().Y(), axes.Direction().Z()])
    natural_outward = outward * (1.0 if axes.Direct() else -1.0)
    start, end = surface.FirstVParameter(), surface.LastVParameter()
    sweep = np.degrees(surface.LastUParameter() - surface.FirstUParameter())
    return Cylinder(
        point=(at.X(), at.Y(), at.Z()),
        axis=_triple(axis),
        radius=cylinder.Radius(),
        start=min(start, end),
        end=max(start, end),
        inside=natural_outward < 0.0,
        sweep_deg=float(sweep),
    )


def _triple(vector: NDArray[np.float64]) -> tuple[float, float, float]:
    x, y, z = (float(round(value, 12)) + 0.0 for value in vector)
    return (x, y, z)
