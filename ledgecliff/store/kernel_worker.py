"""Reads one STEP file in a process of its own: ``python -m ledgecliff.store.kernel_worker IN OUT``.

Apart, because the CAD kernel takes more than a second to import, prints to standard output, can
be stopped at any time by ending its process, and cannot take the window down with it when a file
makes it fall over.  Writes an array archive to OUT; on refusal prints one line on standard error
and ends with status 3.
"""

from __future__ import annotations

import hashlib
import sys
from pathlib import Path

from ledgecliff.core.errors import ModelFileError
from ledgecliff.core.solids.geometry import PartGeometry


def read_step(path: Path) -> PartGeometry:
    """The part in a STEP file, in millimetres whatever unit the file states."""
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.STEPControl import STEPControl_Reader

    from ledgecliff.core.solids.kernel import geometry_of

    reader = STEPControl_Reader()
    if reader.ReadFile(str(path)) != IFSelect_RetDone or reader.TransferRoots() == 0:
        raise ModelFileError(f"'{path.name}' is not a STEP file that can be read; export the part again as STEP.")
    return geometry_of(reader.OneShape(), hashlib.sha256(path.read_bytes()).hexdigest())


def main(arguments: list[str]) -> int:
    from ledgecliff.store.geometry_archive import write_geometry

    source, out = map(Path, arguments)
    try:
        geometry = read_step(source)
        # A file may parse and still hold no closed solid; say so here, where it costs nothing.
        geometry.coarse.solid()
    except ModelFileError as error:
        print(error, file=sys.stderr)
        return 3
    write_geometry(geometry, out)
    return 0


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
