"""Reading part models of each format into ``PartGeometry``; only the kernel worker imports this module.

STEP goes through the CAD kernel, which honours the unit that the file states.  STL states no unit and
promises nothing, so it is mended as far as trimesh can, and its faces are fitted.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ledgecliff.core.errors import InternalError, ModelFileError, SeveralBodiesError
from ledgecliff.core.model.part import MM_PER, ModelUnit
from ledgecliff.core.quantities import said_bare
from ledgecliff.core.solids.adjacency import areas_and_normals
from ledgecliff.core.solids.fitting import facet_allowance, fitted_faces
from ledgecliff.core.solids.geometry import Freeform, PartGeometry
from ledgecliff.core.solids.meshes import Mesh, is_closed, mesh_of
from ledgecliff.core.solids.welding import joined, weld

#: More triangles than this are a scan, not a part model.
_MOST_TRIANGLES = 400_000
#: Corners are joined over so much of the model's size, step by step, until nothing is open.
_WELDS = (0.0, 1e-8, 1e-7, 1e-6, 1e-5)
#: A triangle with less than this share of the square of the model's size has no area.
_NO_AREA = 1e-13
#: Volumes of one thing worked out in two ways may differ by this share.
_SAME_VOLUME = 1e-6
#: A part may reach so far from the model's zero (mm): farther out, sections lose the digits that walls are told by.
_FARTHEST = 10_000.0
#: Less than this is not worth a word (mm).
_WORTH_SAYING = 0.001


def read_step(path: Path, key: str, body: int | None) -> PartGeometry:
    """One body of a STEP file, from 1, or all of them as an assembly (0), in millimetres.

    Raises SeveralBodiesError when the file holds several and ``body`` is None, and ModelFileError.
    """
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.STEPControl import STEPControl_Reader

    from ledgecliff.core.solids.kernel import bodies_of, body_size, geometry_of

    reader = STEPControl_Reader()
    if reader.ReadFile(str(path)) != IFSelect_RetDone or reader.TransferRoots() == 0:
        raise ModelFileError(f"'{path.name}' is not a STEP file that can be read; export the part again as STEP.")
    bodies = bodies_of(reader.OneShape())
    if not bodies:
        raise ModelFileError(f"'{path.name}' holds no solid body, only surfaces or lines; export the part as a solid.")
    if body is None and len(bodies) > 1:
        sizes = [body_size(each) for each in bodies]
        raise SeveralBodiesError(path.name, [tuple(float(round(v, 3)) for v in size) for size in sizes])
    if body is not None and body > len(bodies):
        count = f"{len(bodies)} bod{'y' if len(bodies) == 1 else 'ies'}"
        raise ModelFileError(f"'{path.name}' holds {count}; there is no body {body}.")
    return _in_reach(geometry_of(bodies if not body else [bodies[body - 1]], key), path.name)


def _in_reach(geometry: PartGeometry, name: str) -> PartGeometry:
    """``geometry``, which jobs can hold with stock round it.  Raises ModelFileError where it lies too far out."""
    farthest = float(np.abs([geometry.low, geometry.high]).max())
    if farthest > _FARTHEST:
        raise ModelFileError(
            f"'{name}' reaches {farthest / 1000.0:.1f} m from the model's zero, more than {_FARTHEST / 1000.0:.0f} m; "
            "check its length unit, or move the part to the zero where the model was made and export it again."
        )
    return geometry


def read_stl(path: Path, key: str, unit: ModelUnit) -> PartGeometry:
    """The part in an STL file whose lengths are in ``unit``.  Raises ModelFileError."""
    corners = _triangles(path) * MM_PER[unit]
    notes = [f"triangles only, read as {unit}; faces are fitted"]
    mesh, said = _closed(corners, path.name)
    notes += said
    solid = mesh.solid()
    # Triangles without area are gone from the solid's own mesh, their corners taken up by those beside them.
    clean = mesh_of(solid)
    if abs(_volume(clean) - _volume(mesh)) > _SAME_VOLUME * abs(_volume(mesh)):
        raise InternalError(f"the mesh of '{path.name}'", "cleaning it changed its volume")
    faces, face_of = fitted_faces(clean)
    allowance = facet_allowance(faces, clean, face_of)
    if allowance > _WORTH_SAYING:
        notes.append(
            f"its sizes are those of its facets; round faces stand up to {said_bare(allowance)} further out or in"
        )
    free = sum(isinstance(face, Freeform) for face in faces)
    if free:
        notes.append(f"{free} of {len(faces)} faces are neither flat nor round; how far these stand off is not known")
    return _in_reach(PartGeometry(key, clean, lambda: clean, faces, face_of, tuple(notes)), path.name)


def _triangles(path: Path) -> NDArray[np.float64]:
    """The corners (M, 3, 3) in an STL file, as they stand there."""
    import trimesh

    try:
        mesh: Any = trimesh.load_mesh(str(path), file_type="stl", process=False)
        corners = np.asarray(mesh.vertices, dtype=float)[np.asarray(mesh.faces, dtype=np.int64)]
    except Exception:  # trimesh raises whatever its parsers raise
        raise ModelFileError(
            f"'{path.name}' is not an STL file that can be read: it is neither the binary kind, whose length follows "
            "from its number of triangles, nor the text kind. Export the part again as STL."
        ) from None
    if len(corners) == 0:
        raise ModelFileError(f"'{path.name}' holds no triangles; export the part again as STL.")
    if len(corners) > _MOST_TRIANGLES:
        raise ModelFileError(
            f"'{path.name}' has {len(corners)} triangles, more than {_MOST_TRIANGLES}; export it coarser."
        )
    if not np.isfinite(corners).all():
        raise ModelFileError(f"'{path.name}' holds corners that are no numbers; export the part again as STL.")
    return corners


def _closed(corners: NDArray[np.float64], name: str) -> tuple[Mesh, list[str]]:
    """A closed mesh of loose triangles (M, 3, 3), and what had to be done to it in words.

    Corners at one place are one; where that leaves edges open, those that lie a little apart as well, little by
    little.  Triangles of no area stay as long as they close something.  Raises ModelFileError where edges stay open.
    """
    places, number = np.unique(corners.reshape(-1, 3), axis=0, return_inverse=True)
    loose = number.reshape(-1, 3).astype(np.int64)
    size = float(np.linalg.norm(np.ptp(places, axis=0)))
    for share in _WELDS:
        mesh, kept = (
            joined(places, loose, np.arange(len(places))) if share == 0.0 else weld(places, loose, share * size)
        )
        if len(mesh.triangles) and is_closed(mesh.triangles):
            break
    else:
        return _mended(*joined(places, loose, np.arange(len(places))), name)
    said = []
    if share > 0.0:
        said.append(f"corners up to {said_bare(share * size)} apart joined")
    if not kept.all():
        said.append(f"{np.count_nonzero(~kept)} triangles without a third corner dropped")
    flat = np.count_nonzero(areas_and_normals(mesh)[0] < _NO_AREA * size * size)
    if flat:
        said.append(f"{flat} triangles without area taken up by those beside them")
    if _volume(mesh) < 0.0:
        return Mesh(mesh.vertices, mesh.triangles[:, ::-1]), [*said, "mended: faces turned outward"]
    return mesh, said or ["watertight as it came"]


def _mended(mesh: Mesh, _kept: NDArray[np.bool_], name: str) -> tuple[Mesh, list[str]]:
    """Closes holes and turns faces outward; says what was done.  Raises ModelFileError when that fails."""
    import trimesh

    made: Any = trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False)
    open_edges = len(trimesh.grouping.group_rows(made.edges_sorted, require_count=1))
    trimesh.repair.fix_winding(made)
    trimesh.repair.fill_holes(made)
    trimesh.repair.fix_normals(made)
    if made.volume < 0:
        made.invert()
    triangles = np.asarray(made.faces, dtype=np.int64)
    if not is_closed(triangles):
        left = len(trimesh.grouping.group_rows(made.edges_sorted, require_count=1))
        raise ModelFileError(
            f"'{name}' is not watertight: {left} edges are open and could not be closed. "
            "Mend the model where it was made and export it again."
        )
    words = f"mended: {open_edges} open edges closed" if open_edges else "mended: faces turned outward"
    return Mesh(np.asarray(made.vertices, dtype=float), triangles), [words]


def _volume(mesh: Mesh) -> float:
    """Of a closed mesh, from the tetrahedra between its triangles and one of its corners (mm³)."""
    a, b, c = np.moveaxis(mesh.vertices[mesh.triangles] - mesh.vertices[0], 1, 0)
    return float(np.einsum("ij,ij->", a, np.cross(b, c))) / 6.0
