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
from OCP.BRepBndLib import BRepBndLib
from OCP.TopAbs import TopAbs_FACE, TopAbs_SHELL, TopAbs_SOLID
from OCP.TopoDS import TopoDS

from ..errors import ModelFileError
from .geometry import COARSE_DEFLECTION, FINE_DEFLECTION, PartGeometry, Surface, Triple, triple
from .kernel_mesh import explore, meshed
from .kernel_surfaces import surfaces_of, words_about
from .meshes import NOT_CLOSED, Mesh, is_closed
from .welding import with_owners

#: Corners of facets lie on the surfaces within this (mm).
_SAME_PLACE = 1e-4
#: Where a mesh has gaps, it is made so much finer.
_FINER = (1.0, 0.6, 0.3)
#: Mesh of a body, the face of each triangle, and the faces.
_Meshed = tuple[Mesh, NDArray[np.int64], tuple[Surface, ...]]


def bodies_of(shape: Any) -> list[Any]:
    """The solid bodies of a kernel shape, in the order of the file."""
    return explore(shape, TopAbs_SOLID)


def body_size(body: Any) -> NDArray[np.float64]:
    """Overall sizes (3,) of a body along X, Y and Z, mm."""
    low, high = _extents(body)
    return high - low


def _extents(*bodies: Any) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Lowest and highest corner (3,) of bodies, from their surfaces."""
    bounds = Bnd_Box()
    for body in bodies:
        BRepBndLib.AddOptimal_s(body, bounds, False, False)
    low, high = bounds.CornerMin(), bounds.CornerMax()
    return np.array([low.X(), low.Y(), low.Z()]), np.array([high.X(), high.Y(), high.Z()])


def geometry_of(bodies: list[Any], key: str) -> PartGeometry:
    """Mesh and faces of one body, or of several taken together as an assembly."""
    of_bodies = [_coarse(body) for body in bodies]
    faces = tuple(face for _, _, of_body in of_bodies for face in of_body)
    coarse, face_of = of_bodies[0][:2]
    notes = words_about(faces)
    if len(of_bodies) > 1:
        coarse, face_of = _together(of_bodies)
        notes.insert(0, f"an assembly of {len(of_bodies)} bodies")
    extents = _checked_extents(bodies, coarse)
    if extents is None:
        notes.append("sizes are those of its facets, since its surfaces do not tell them")
    return PartGeometry(key, coarse, lambda: fine_mesh(bodies), faces, face_of, tuple(notes), extents)


def _checked_extents(bodies: list[Any], coarse: Mesh) -> tuple[Triple, Triple] | None:
    """The extents from the surfaces; None where facets, whose corners lie on them, say otherwise."""
    low, high = _extents(*bodies)
    over = np.array([coarse.vertices.min(axis=0) - low, high - coarse.vertices.max(axis=0)])
    if over.min() < -_SAME_PLACE or over.max() > 2.0 * COARSE_DEFLECTION:
        return None
    return triple(low), triple(high)


def fine_mesh(bodies: list[Any]) -> Mesh:
    """The mesh for the simulated machine's ball; takes seconds where a part has hundreds of faces."""
    meshes = [_closed_mesh(body, _faces(body), FINE_DEFLECTION, angle=0.1) for body in bodies]
    return meshes[0][0] if len(meshes) == 1 else _together([(mesh, owner, ()) for mesh, owner in meshes])[0]


def _faces(body: Any) -> list[Any]:
    return [TopoDS.Face(face) for face in explore(body, TopAbs_FACE)]


def _coarse(body: Any) -> _Meshed:
    faces = _faces(body)
    mesh, face_of = _closed_mesh(body, faces, COARSE_DEFLECTION, angle=0.45)
    return mesh, face_of, surfaces_of(faces, mesh, face_of)


def _closed_mesh(body: Any, faces: list[Any], deflection: float, angle: float) -> tuple[Mesh, NDArray[np.int64]]:
    """A closed mesh of a body; finer ones are tried where the first has gaps.

    Raises ModelFileError, which blames the file only where its faces themselves leave gaps.
    """
    for finer in _FINER:
        mesh, owner = meshed(body, faces, finer * deflection, finer * angle)
        if is_closed(mesh.triangles):
            return mesh, owner
    if all(BRep_Tool.IsClosed_s(shell) for shell in explore(body, TopAbs_SHELL)):
        raise ModelFileError(
            "The model is a closed solid, but the CAD kernel could not triangulate it without gaps. "
            "Export it with another tolerance, or as STL."
        )
    raise ModelFileError(NOT_CLOSED)


def _together(of_bodies: list[_Meshed]) -> tuple[Mesh, NDArray[np.int64]]:
    """One mesh of several bodies, united so that bodies which touch make one solid; faces stay apart."""
    solids, start = [], 0
    for mesh, owner, faces in of_bodies:
        solids.append(mesh.solid(start + owner))
        start += len(faces)
    return with_owners(manifold3d.Manifold.batch_boolean(solids, manifold3d.OpType.Add))
