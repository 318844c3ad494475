"""Part models: from a job's reference to the geometry the plan needs.

The kernel runs in its own process (see ``kernel_worker``).  What it read is kept in the user's
cache under the model's checksum, so a model is read by the kernel once.
"""

from __future__ import annotations

import contextlib
import hashlib
import subprocess
import sys
import tempfile
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import platformdirs

from ledgecliff.core.errors import ModelFileError
from ledgecliff.core.model.job import Job
from ledgecliff.core.solids.geometry import PartGeometry

from .atomic import write_atomic
from .geometry_archive import ARCHIVE_VERSION, read_geometry

_LONGEST_S = 120.0


class CancelledError(Exception):
    """Reading was cancelled; nothing has changed."""


def cache_folder() -> Path:
    return Path(platformdirs.user_cache_dir("ledgecliff")) / f"models-{ARCHIVE_VERSION}"


def load_part(job: Job, job_file: Path, cancelled: Callable[[], bool] = lambda: False) -> PartGeometry:
    """The geometry of the model that ``job`` refers to.

    Raises ModelFileError when the model is missing, is not the one the job was made for, or
    cannot be read, and CancelledError when ``cancelled`` becomes true meanwhile.
    """
    reference = job.part.model
    try:
        path = (job_file.parent / reference.path).resolve()
        checksum = hashlib.sha256(path.read_bytes()).hexdigest()
    except FileNotFoundError:
        raise ModelFileError(
            f"part, model, path: the model '{reference.path}' is not there. "
            "Put it beside the job file, or correct the path."
        ) from None
    except (OSError, ValueError) as error:
        raise ModelFileError(f"part, model, path: {reference.path!r} cannot be read: {error}.") from None
    if checksum != reference.sha256:
        raise ModelFileError(
            f"part, model, sha256: '{reference.path}' is not the model this job was made for; it has changed. "
            "Bring back the earlier model, or set the checksum once you have compared both."
        )
    try:
        return read_model(path, checksum, cancelled)
    except ModelFileError as error:
        raise ModelFileError(f"part, model, path: {error}") from error


def read_model(path: Path, checksum: str, cancelled: Callable[[], bool] = lambda: False) -> PartGeometry:
    """The geometry in a STEP file, from the cache when this very file was read before."""
    kept = cache_folder() / f"{checksum}.npz"
    with contextlib.suppress(OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
        geometry = read_geometry(kept)
        if geometry.sha256 == checksum:
            return geometry
    with tempfile.TemporaryDirectory(prefix="ledgecliff-") as folder:
        out = Path(folder) / "geometry.npz"
        _run_kernel(path, out, cancelled)
        geometry = read_geometry(out)
        with contextlib.suppress(OSError):  # without a cache everything still works, only slower
            kept.parent.mkdir(parents=True, exist_ok=True)
            partial = kept.with_suffix(f".{checksum[:8]}-{out.parent.name}")
            partial.write_bytes(out.read_bytes())
            partial.replace(kept)
    return geometry


def _run_kernel(path: Path, out: Path, cancelled: Callable[[], bool]) -> None:
    command = [sys.executable, "-m", "ledgecliff.store.kernel_worker", str(path), str(out)]
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True) as worker:
        started = time.monotonic()
        while worker.poll() is None:
            if cancelled() or time.monotonic() - started > _LONGEST_S:
                worker.kill()
                worker.wait()
                if cancelled():
                    raise CancelledError
                raise ModelFileError(f"'{path.name}' took longer than {_LONGEST_S:.0f} s to read and was given up.")
            with contextlib.suppress(subprocess.TimeoutExpired):
                worker.wait(0.05)
        said = worker.stderr.read().strip() if worker.stderr else ""
    if worker.returncode == 3:
        raise ModelFileError(said.splitlines()[-1])
    if worker.returncode != 0:
        raise ModelFileError(
            f"'{path.name}' made the CAD kernel fall over (status {worker.returncode}); export the part again as STEP."
        )


def carry_model(job: Job, from_folder: Path, to_folder: Path) -> Job:
    """``job`` as it must be to stand in ``to_folder``: its model goes along, beside it.

    Raises WriteError or ModelFileError; then nothing refers to anything that is not there.
    """
    source = (from_folder / job.part.model.path).resolve()
    if from_folder.resolve() == to_folder.resolve():
        return job
    target = to_folder / source.name
    try:
        content = source.read_bytes()
    except OSError as error:
        raise ModelFileError(f"The model '{source}' cannot be read: {error.strerror}.") from error
    if target.exists() and target.read_bytes() != content:
        target = to_folder / f"{source.stem}-{job.part.model.sha256[:8]}{source.suffix}"
    if not target.exists():
        write_atomic(target, content)
    model = job.part.model.model_copy(update={"path": target.name})
    return job.model_copy(update={"part": job.part.model_copy(update={"model": model})})
