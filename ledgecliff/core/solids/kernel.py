"""From a shape of the CAD kernel to ``PartGeometry``.

The kernel takes more than a second to import, so only the process that reads models
(``ledgecliff.store.kernel_worker``) and the demo's model script import this module.
"""

from __future__ import annotations

from typing import Any

import manifold3d
import numpy as np
from numpy.typing import NDArray
from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepGProp import BRepGProp
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_FACE, TopAbs_REVERSED, TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS

from ..errors import ModelFileError
from .geometry import (
    COARSE_DEFLECTION,
    FINE_DEFLECTION,
    Cone,
    Cylinder,
    Freeform,
    Mesh,
    PartGeometry,
    Plane,
    Surface,
    triple,
    weld,
    with_owners,
)

#: Mesh of a body, the face of each triangle, and the faces.
_Meshed = tuple[Mesh, NDArray[np.int64], tuple[Surface, ...]]


def bodies_of(shape: Any) -> list[Any]:
    """The solid bodies of a kernel shape, in the order of the file."""
    return _explore(shape, TopAbs_SOLID)


def body_size(body: Any) -> NDArray[np.float64]:
    """Overall sizes (3,) of a body along X, Y and Z, mm."""
    bounds = Bnd_Box()
    BRepBndLib.AddOptimal_s(body, bounds, False, False)
    low, high = bounds.CornerMin(), bounds.CornerMax()
    return np.array([high.X() - low.X(), high.Y() - low.Y(), high.Z() - low.Z()])


def geometry_of(bodies: list[Any], key: str) -> PartGeometry:
    """Mesh and faces of one body, or of several taken together as an assembly."""
    meshed = [_coarse(body) for body in bodies]
    faces = tuple(face for _, _, of_body in meshed for face in of_body)
    coarse, face_of = meshed[0][:2]
    notes: tuple[str, ...] = ()
    if len(meshed) > 1:
        coarse, face_of = _together(meshed)
        notes = (f"an assembly of {len(meshed)} bodies",)
    return PartGeometry(key, coarse, lambda: fine_mesh(bodies), faces, face_of, notes)


def fine_mesh(bodies: list[Any]) -> Mesh:
    """The mesh for the simulated machine's ball; takes seconds where a part has hundreds of faces."""
    meshes = [_mesh(body, _faces(body), FINE_DEFLECTION, angle=0.1) for body in bodies]
    return meshes[0][0] if len(meshes) == 1 else _together([(mesh, owner, ()) for mesh, owner in meshes])[0]


def _faces(body: Any) -> list[Any]:
    return [TopoDS.Face(face) for face in _explore(body, TopAbs_FACE)]


def _coarse(body: Any) -> _Meshed:
    faces = _faces(body)
    return (*_mesh(body, faces, COARSE_DEFLECTION, angle=0.45), _surfaces(faces))


def _together(meshed: list[_Meshed]) -> tuple[Mesh, NDArray[np.int64]]:
    """One mesh of several bodies, united so that bodies which touch make one solid; faces stay apart."""
    solids, start = [], 0
    for mesh, owner, faces in meshed:
        solids.append(mesh.solid(start + owner))
        start += len(faces)
    return with_owners(manifold3d.Manifold.batch_boolean(solids, manifold3d.OpType.Add))


def _explore(shape: Any, kind: Any) -> list[Any]:
    found, explorer = [], TopExp_Explorer(shape, kind)
    while explorer.More():
        found.append(explorer.Current())
        explorer.Next()
    return found


def _mesh(shape: Any, faces: list[Any], deflection: float, angle: float) -> tuple[Mesh, NDArray[np.int64]]:
    BRepTools.Clean_s(shape)
    BRepMesh_IncrementalMesh(shape, deflection, False, angle, True)
    vertices: list[NDArray[np.float64]] = []
    triangles: list[NDArray[np.int64]] = []
    owners: list[NDArray[np.int64]] = []
    count = 0
    for number, face in enumerate(faces):
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
        owners.append(np.full(len(corners), number))
        count += len(points)
    mesh, kept = weld(np.concatenate(vertices), np.concatenate(triangles))
    return mesh, np.concatenate(owners)[kept]


def _surfaces(faces: list[Any]) -> tuple[Surface, ...]:
    surfaces: list[Surface] = []
    for face in faces:
        surface = BRepAdaptor_Surface(face)
        outward = -1.0 if face.Orientation() == TopAbs_REVERSED else 1.0
        properties = GProp_GProps()
        BRepGProp.SurfaceProperties_s(face, properties)
        area = float(properties.Mass())
        match surface.GetType():
            case GeomAbs_SurfaceType.GeomAbs_Plane:
                surfaces.append(_plane(surface.Plane(), outward, area))
            case GeomAbs_SurfaceType.GeomAbs_Cylinder:
                surfaces.append(_cylinder(surface, outward, area))
            case GeomAbs_SurfaceType.GeomAbs_Cone:
                surfaces.append(_cone(surface, outward, area))
            case _:
                surfaces.append(Freeform(area))
    return tuple(surfaces)


def _plane(plane: Any, outward: float, area: float) -> Plane:
    axes, at = plane.Position(), plane.Location()
    # A left-handed placement turns the natural normal (u x v) round.
    flip = outward * (1.0 if axes.Direct() else -1.0)
    normal = _vector(axes.Direction()) * flip
    return Plane(triple(normal), float(normal @ _vector(at)), area)


def _cylinder(surface: Any, outward: float, area: float) -> Cylinder:
    cylinder = surface.Cylinder()
    axes = cylinder.Position()
    start, end = surface.FirstVParameter(), surface.LastVParameter()
    return Cylinder(
        point=triple(_vector(cylinder.Location())),
        axis=triple(_vector(axes.Direction())),
        radius=cylinder.Radius(),
        start=min(start, end),
        end=max(start, end),
        inside=outward * (1.0 if axes.Direct() else -1.0) < 0.0,
        sweep_deg=_sweep_deg(surface),
        area=area,
    )


def _cone(surface: Any, outward: float, area: float) -> Cone:
    """The kernel measures along the slope; here along the axis."""
    cone = surface.Cone()
    axes, half = cone.Position(), cone.SemiAngle()
    along = sorted((surface.FirstVParameter(), surface.LastVParameter()))
    start, end = (v * np.cos(half) for v in along)
    radii = tuple(float(cone.RefRadius() + v * np.sin(half)) for v in along)
    return Cone(
        point=triple(_vector(cone.Location())),
        axis=triple(_vector(axes.Direction())),
        start_radius=radii[0],
        end_radius=radii[1],
        start=float(start),
        end=float(end),
        inside=outward * (1.0 if axes.Direct() else -1.0) < 0.0,
        sweep_deg=_sweep_deg(surface),
        area=area,
    )


def _sweep_deg(surface: Any) -> float:
    return float(np.degrees(surface.LastUParameter() - surface.FirstUParameter()))


def _vector(of: Any) -> NDArray[np.float64]:
    return np.array([of.X(), of.Y(), of.Z()])
