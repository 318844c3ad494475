"""Reads one part model in a process of its own: ``python -m ledgecliff.store.kernel_worker``.

Apart, because the CAD kernel takes more than a second to import, prints to standard output, can
be stopped at any time by ending its process, and cannot take the window down with it when a file
makes it fall over.

The process imports the kernel and all else it needs, then waits for one line of JSON on standard
input: ``path``, ``key``, ``body``, ``unit``, and the files to write, ``out`` and ``fine``.  First comes
the part with its coarse mesh, later its fine mesh.  Lines on standard error tell how far it is; status 3
is a refusal, status 4 means that the file holds several bodies, whose sizes the last line gives as JSON.
"""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path
from typing import Any

# All that reading needs is imported while the user still chooses a file.
import ledgecliff.core.solids.kernel  # noqa: F401
from ledgecliff.core.errors import ModelFileError, SeveralBodiesError
from ledgecliff.store.geometry_archive import PROGRESS, write_geometry, write_mesh
from ledgecliff.store.model_formats import read_step, read_stl


def _read(order: dict[str, Any]) -> None:
    path, out, fine = Path(order["path"]), Path(order["out"]), Path(order["fine"])
    _tell(1)
    if order["format"] == "stl":
        geometry = read_stl(path, order["key"], order["unit"])
    else:
        geometry = read_step(path, order["key"], order["body"])
    _tell(2)
    # A file may parse and still hold no closed solid; say so here, where it costs nothing.
    geometry.coarse.solid()
    write_geometry(geometry, out)
    _tell(3)
    os.nice(10)  # nobody waits for the rest, but others want to go on with what is there
    write_mesh(geometry.fine, fine)


def _tell(step: int) -> None:
    print(PROGRESS, step, file=sys.stderr, flush=True)


def main() -> int:
    _tell(0)
    line = sys.stdin.readline()
    if not line.strip():
        return 0  # nobody wanted anything after all
    try:
        _read(json.loads(line))
    except SeveralBodiesError as error:
        print(json.dumps({"name": error.name, "sizes": error.sizes}), file=sys.stderr)
        return 4
    except ModelFileError as error:
        print(error, file=sys.stderr)
        return 3
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
