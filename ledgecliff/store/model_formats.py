"""Reading part models of each format into ``PartGeometry``; only the kernel worker imports this module.

STEP goes through the CAD kernel, which honours the unit that the file states.  STL states no unit and
promises nothing, so it is mended as far as trimesh can, and its faces are fitted.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from ledgecliff.core.errors import ModelFileError, SeveralBodiesError
from ledgecliff.core.model.part import MM_PER
from ledgecliff.core.solids.fitting import fitted_faces
from ledgecliff.core.solids.geometry import PartGeometry, weld

#: More triangles than this are a scan, not a part model.
_MOST_TRIANGLES = 400_000


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
        raise ModelFileError(f"'{path.name}' holds {len(bodies)} bodies; there is no body {body}.")
    return geometry_of(bodies if not body else [bodies[body - 1]], key)


def read_stl(path: Path, key: str, unit: str) -> PartGeometry:
    """The part in an STL file whose lengths are in ``unit``.  Raises ModelFileError."""
    import trimesh

    try:
        mesh: Any = trimesh.load_mesh(str(path), file_type="stl", process=True)
    except Exception as error:  # trimesh raises whatever its parsers raise
        raise ModelFileError(f"'{path.name}' is not an STL file that can be read: {error}.") from error
    if not isinstance(mesh, trimesh.Trimesh) or len(mesh.faces) == 0:
        raise ModelFileError(f"'{path.name}' holds no triangles; export the part again as STL.")
    if len(mesh.faces) > _MOST_TRIANGLES:
        raise ModelFileError(
            f"'{path.name}' has {len(mesh.faces)} triangles, more than {_MOST_TRIANGLES}; export it coarser."
        )
    notes = [f"triangles only, read as {unit}; faces are fitted"]
    mesh.merge_vertices()
    mesh.update_faces(mesh.nondegenerate_faces())
    notes.append(_mended(mesh, path.name))
    vertices = np.asarray(mesh.vertices, dtype=float) * MM_PER[unit]
    welded, _ = weld(vertices, np.asarray(mesh.faces, dtype=np.int64))
    welded.solid()
    faces, face_of = fitted_faces(welded)
    return PartGeometry(key, welded, lambda: welded, faces, face_of, tuple(notes))


def _mended(mesh: Any, name: str) -> str:
    """Closes holes and turns faces outward; says what was done.  Raises ModelFileError when that fails."""
    import trimesh

    if mesh.is_watertight and mesh.is_winding_consistent and mesh.volume > 0:
        return "watertight as it came"
    open_edges = len(trimesh.grouping.group_rows(mesh.edges_sorted, require_count=1))
    trimesh.repair.fix_winding(mesh)
    trimesh.repair.fill_holes(mesh)
    trimesh.repair.fix_normals(mesh)
    if mesh.volume < 0:
        mesh.invert()
    if not mesh.is_watertight:
        left = len(trimesh.grouping.group_rows(mesh.edges_sorted, require_count=1))
        raise ModelFileError(
            f"'{name}' is not watertight: {left} edges are open and could not be closed. "
            "Mend the model where it was made and export it again."
        )
    return f"mended: {open_edges} open edges closed" if open_edges else "mended: faces turned outward"
