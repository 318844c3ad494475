"""Triangles of a kernel shape as one closed mesh, welded by what the shape says its faces share.

The kernel triangulates face by face.  Which corners of two faces are one is not guessed from how near they lie:
faces that meet share an edge, and both number its corners in the edge's own order.  So a shape whose faces meet
with a gap, as sewn surfaces do, is as closed as it says it is.

Like ``kernel`` only the process that reads models imports this module.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools
from OCP.TopAbs import TopAbs_EDGE, TopAbs_REVERSED
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS

from ..errors import ModelFileError
from .adjacency import components
from .meshes import Mesh, is_closed
from .welding import joined, weld


def explore(shape: Any, kind: Any) -> list[Any]:
    """What of a kind a shape is made of, in the order of the file."""
    found, explorer = [], TopExp_Explorer(shape, kind)
    while explorer.More():
        found.append(explorer.Current())
        explorer.Next()
    return found


def meshed(shape: Any, faces: list[Any], deflection: float, angle: float) -> tuple[Mesh, NDArray[np.int64]]:
    """A closed mesh within ``deflection`` (mm) and ``angle`` (radians) of ``shape``, and the face of each triangle."""
    BRepTools.Clean_s(shape)
    BRepMesh_IncrementalMesh(shape, deflection, False, angle, True)
    vertices: list[NDArray[np.float64]] = []
    triangles: list[NDArray[np.int64]] = []
    owners: list[NDArray[np.int64]] = []
    weld_of = _Shared()
    count = 0
    for number, face in enumerate(faces):
        location = TopLoc_Location()
        triangulation = BRep_Tool.Triangulation_s(face, location)
        if triangulation is None:
            raise ModelFileError("A face of the model cannot be triangulated; repair the model and export it again.")
        points = [triangulation.Node(i + 1) for i in range(triangulation.NbNodes())]
        if not location.IsIdentity():
            transform = location.Transformation()
            points = [point.Transformed(transform) for point in points]
        corners = np.array([triangulation.Triangle(i + 1).Get() for i in range(triangulation.NbTriangles())])
        if face.Orientation() == TopAbs_REVERSED:
            corners = corners[:, ::-1]
        vertices.append(np.array([(p.X(), p.Y(), p.Z()) for p in points]))
        triangles.append(corners.astype(np.int64) - 1 + count)
        owners.append(np.full(len(corners), number))
        weld_of.note(face, triangulation, location, count)
        count += len(points)
    every, owner = np.concatenate(vertices), np.concatenate(owners)
    mesh, kept = joined(every, np.concatenate(triangles), weld_of.labels(count))
    if not is_closed(mesh.triangles):
        # What the shape does not say is shared may lie at one place all the same.
        mesh, more = weld(mesh.vertices, mesh.triangles)
        return mesh, owner[kept][more]
    return mesh, owner[kept]


class _Shared:
    """Which numbered corners are one: corresponding ones on an edge, all at a vertex, all of an edge without length."""

    def __init__(self) -> None:
        self._edges: dict[_Same, list[NDArray[np.int64]]] = {}
        self._vertices: dict[_Same, list[int]] = {}
        self._links: list[tuple[NDArray[np.int64], NDArray[np.int64]]] = []

    def note(self, face: Any, triangulation: Any, location: Any, first: int) -> None:
        """The corners of a face's triangulation, numbered from ``first``, that lie on its edges."""
        for edge in (TopoDS.Edge(each) for each in explore(face, TopAbs_EDGE)):
            polygon = BRep_Tool.PolygonOnTriangulation_s(edge, triangulation, location)
            if polygon is None:
                continue
            nodes = np.array([polygon.Node(i + 1) - 1 + first for i in range(polygon.NbNodes())], dtype=np.int64)
            if BRep_Tool.Degenerated_s(edge):
                self._links.append((nodes[:-1], nodes[1:]))
            self._edges.setdefault(_Same(edge), []).append(nodes)
            for vertex, node in (
                (TopExp.FirstVertex_s(edge), nodes[0]),
                (TopExp.LastVertex_s(edge), nodes[-1]),
            ):
                if not vertex.IsNull():
                    self._vertices.setdefault(_Same(vertex), []).append(int(node))

    def labels(self, count: int) -> NDArray[np.int64]:
        """For each of ``count`` corners the number of the one that it and all that are the same become."""
        links = list(self._links)
        for sharing in self._edges.values():
            links += [(sharing[0], other) for other in sharing[1:] if len(other) == len(sharing[0])]
        for at in self._vertices.values():
            nodes = np.array(at, dtype=np.int64)
            links.append((nodes[:-1], nodes[1:]))
        if not links:
            return np.arange(count)
        a, b = (np.concatenate(side) for side in zip(*links, strict=True))
        return components(count, a, b)


class _Same:
    """A shape as a key that is the same whichever way round a face uses it."""

    __slots__ = ("_hash", "_shape")

    def __init__(self, shape: Any) -> None:
        self._shape, self._hash = shape, hash(shape)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and bool(self._shape.IsSame(other._shape))
