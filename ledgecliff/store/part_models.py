"""Part models: from a job's reference to the geometry the plan needs.

The kernel runs in its own process (see ``kernel_worker``).  What it read is kept in the user's
cache under the model's checksum, so a model is read by the kernel once.
"""

from __future__ import annotations

import atexit
import contextlib
import hashlib
import json
import shutil
import tempfile
import threading
import time
from collections.abc import Callable, Iterable
from pathlib import Path
from weakref import WeakValueDictionary

import platformdirs

from ledgecliff.core.errors import CancelledError, ModelFileError, ReaderStartError, SeveralBodiesError
from ledgecliff.core.model.holding import Fixture
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.own_fixture import OwnFixture
from ledgecliff.core.model.part import ModelReference
from ledgecliff.core.solids.geometry import FixtureModels, Models, PartGeometry
from ledgecliff.core.solids.meshes import Mesh

from . import kernel_process
from .atomic import write_atomic
from .geometry_archive import ARCHIVE_VERSION, BROKEN, PROGRESS, read_geometry, read_mesh

_LONGEST_S = 180.0
#: Before the reader has said that it is there.
_NOT_STARTED = -1
#: How a model file's name ends, and what format that is.
FORMATS = {".step": "step", ".stp": "step", ".stl": "stl"}
#: Steps that reading a model reports.
STEPS = 4

#: What the kernel gave for the demos' models comes with the program, under their checksums as in the cache.
SHIPPED = Path(__file__).parents[1] / "demo" / f"models-{ARCHIVE_VERSION}"

Progress = Callable[[int, int], None]
#: What was read and is still held by somebody, by content and place: all that has been worked out for it is kept by it.
_HELD: WeakValueDictionary[tuple[str, Path], PartGeometry] = WeakValueDictionary()


def cache_folder() -> Path:
    return Path(platformdirs.user_cache_dir("ledgecliff")) / f"models-{ARCHIVE_VERSION}"


def shipped_shadows(reference: ModelReference) -> Path:
    """Where those of a demo's model are, worked out beforehand so that a demo stands at once."""
    return SHIPPED / f"{reference.key}.shadows.npz"


def checksum_of(path: Path) -> str:
    """Raises ModelFileError when the file cannot be read."""
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    except FileNotFoundError:
        raise ModelFileError(f"'{path}' does not exist.") from None
    except (OSError, ValueError) as error:
        raise ModelFileError(f"'{path}' cannot be read: {error}.") from None


def load_models(
    job: Job,
    job_file: Path,
    cancelled: Callable[[], bool] = lambda: False,
    progress: Progress = lambda _done, _of: None,
    *,
    with_part: bool = True,
) -> Models:
    """The geometry of every model file that ``job`` refers to, its machines' fixtures too; without its part's where
    that is replaced.

    Raises ModelFileError when a model is missing, is not the one the job was made for, or
    cannot be read, and CancelledError when ``cancelled`` becomes true meanwhile.
    """

    def load(reference: ModelReference | None, where: str) -> PartGeometry | None:
        return None if reference is None else _load(reference, job_file.parent, where, cancelled, progress)

    stock = job.stock.model if job.stock.form == "model" else None
    part = load(job.part.model, "part, model") if with_part else None
    fixtures = read_fixtures(job.machines, job_file.parent, cancelled, progress)
    return Models(part, load(stock, "stock, model"), fixtures)


def read_fixtures(
    machines: Iterable[Machine],
    folder: Path,
    cancelled: Callable[[], bool] = lambda: False,
    progress: Progress = lambda _done, _of: None,
) -> FixtureModels:
    """The geometry of the machines' fixtures that are models, whose paths count from ``folder``.  Raises like
    ``load_models``."""
    found: dict[str, PartGeometry] = {}
    for fixture in (each for machine in machines for each in machine.fixtures if isinstance(each, OwnFixture)):
        for reference in fixture.models:
            if reference.key not in found:
                where = f"fixture '{fixture.name}', model"
                found[reference.key] = _load(reference, folder, where, cancelled, progress)
    return FixtureModels(tuple(found.items()))


def _load(
    reference: ModelReference, folder: Path, where: str, cancelled: Callable[[], bool], progress: Progress
) -> PartGeometry:
    try:
        path = (folder / reference.path).resolve()
        checksum = hashlib.sha256(path.read_bytes()).hexdigest()
    except FileNotFoundError:
        raise ModelFileError(
            f"{where}, path: the model '{reference.path}' is not there. "
            "Put it beside the job file, or correct the path."
        ) from None
    except (OSError, ValueError) as error:
        raise ModelFileError(f"{where}, path: {reference.path!r} cannot be read: {error}.") from None
    if checksum != reference.sha256:
        raise ModelFileError(
            f"{where}, sha256: '{reference.path}' is not the model this job was made for; it has changed. "
            "Bring back the earlier model, or import the changed one into the job."
        )
    held = _HELD.get((reference.key, path))
    if held is not None:
        return held
    try:
        geometry = read_model(path, reference, cancelled, progress)
        return _HELD.setdefault((reference.key, path), geometry)
    except SeveralBodiesError:
        raise
    except ModelFileError as error:
        raise ModelFileError(f"{where}, path: {error}") from error


def read_model(
    path: Path,
    reference: ModelReference,
    cancelled: Callable[[], bool] = lambda: False,
    progress: Progress = lambda _done, _of: None,
) -> PartGeometry:
    """The geometry in a model file, from the cache when this very file was read before, or comes with the program.

    ``reference`` says which body and unit; its path is not looked at.  Raises SeveralBodiesError when
    the file holds several bodies and none was chosen, ModelFileError and CancelledError.
    """
    if path.suffix.lower() not in FORMATS:
        raise ModelFileError(f"'{path.name}' is no model file; choose one that ends in {', '.join(FORMATS)}.")
    kept = cache_folder() / f"{reference.key}.npz"
    fine = kept.with_suffix(".fine.npz")
    for archive in (kept, SHIPPED / kept.name):
        with contextlib.suppress(*BROKEN):
            geometry = read_geometry(archive, _Fine(path, reference, fine), shipped_shadows(reference))
            if geometry.key == reference.key:
                return geometry
    folder = _writable(kept.parent)
    kept, fine = folder / kept.name, folder / fine.name
    kept.unlink(missing_ok=True)
    reading = _Reading(path, reference, kept, fine)
    reading.wait_for(kept, cancelled, progress)
    return read_geometry(kept, _Fine(path, reference, fine, reading))


def _writable(folder: Path) -> Path:
    """``folder``, or one that lasts as long as this program where nothing can be kept."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=folder):
            return folder
    except OSError:
        temporary = Path(tempfile.mkdtemp(prefix="ledgecliff-"))
        atexit.register(shutil.rmtree, temporary, ignore_errors=True)
        return temporary


class _Fine:
    """Gives the fine mesh of a model: from its file, from the worker that still makes it, or made anew."""

    def __init__(self, path: Path, reference: ModelReference, file: Path, reading: _Reading | None = None) -> None:
        self._path, self._reference, self._file, self._reading = path, reference, file, reading

    def __call__(self) -> Mesh:
        if self._reading is not None:
            self._reading.wait_for(self._file)
            self._reading = None
        with contextlib.suppress(*BROKEN):
            return read_mesh(self._file)
        folder = _writable(self._file.parent)
        file = folder / self._file.name
        again = _Reading(self._path, self._reference, file.with_suffix(".again.npz"), file)
        again.wait_for(file)
        file.with_suffix(".again.npz").unlink(missing_ok=True)
        return read_mesh(file)


class _Reading:
    """A kernel worker that reads one model."""

    def __init__(self, path: Path, reference: ModelReference, out: Path, fine: Path) -> None:
        self._name = path.name
        self._started = time.monotonic()
        self._said: list[str] = []
        self._step = _NOT_STARTED
        try:
            self._worker = kernel_process.take()
        except OSError as error:
            raise ReaderStartError(
                f"The program that reads models cannot be started: {error.strerror}. '{path.name}' was not looked at."
            ) from error
        order = {
            "path": str(path),
            "format": FORMATS[path.suffix.lower()],
            "key": reference.key,
            "body": reference.body,
            "unit": reference.unit,
            "out": str(out),
            "fine": str(fine),
        }
        assert self._worker.stdin is not None, "started with pipes"
        with contextlib.suppress(OSError):  # a worker that has died is noticed when it is waited for
            self._worker.stdin.write(json.dumps(order) + "\n")
            self._worker.stdin.close()
        self._listener = threading.Thread(target=self._listen, daemon=True)
        self._listener.start()

    def _listen(self) -> None:
        assert self._worker.stderr is not None, "started with pipes"
        for line in self._worker.stderr:
            if line.startswith(PROGRESS):
                self._step = int(line.split()[1])
            elif line.strip():
                self._said.append(line.strip())
        self._worker.stderr.close()
        self._worker.wait()  # it ends with its last word; one that nobody waits for stays in the process table

    def wait_for(
        self,
        file: Path,
        cancelled: Callable[[], bool] = lambda: False,
        progress: Progress = lambda _done, _of: None,
    ) -> None:
        """Until ``file`` is written.

        Raises ModelFileError, SeveralBodiesError, ReaderStartError or CancelledError.
        """
        while self._worker.poll() is None and not file.exists():
            progress(max(self._step, 0), STEPS)
            if cancelled() or time.monotonic() - self._started > _LONGEST_S:
                self._worker.kill()
                self._worker.wait()
                if cancelled():
                    raise CancelledError
                raise ModelFileError(f"'{self._name}' took longer than {_LONGEST_S:.0f} s to read and was given up.")
            time.sleep(0.01)
        if not file.exists():
            self._raise_why()

    def _raise_why(self) -> None:
        self._listener.join(2.0)
        status, last = self._worker.returncode, self._said[-1] if self._said else ""
        if status == 4:
            several = json.loads(last)
            raise SeveralBodiesError(several["name"], [tuple(size) for size in several["sizes"]])
        if status == 3:
            raise ModelFileError(last)
        if self._step == _NOT_STARTED:
            why = f"status {status}" + (f": {last}" if last else "")
            raise ReaderStartError(
                f"The program that reads models did not start ({why}). "
                f"'{self._name}' was not looked at. Let ./run set up Ledgecliff's environment again, or free memory."
            )
        raise ModelFileError(
            f"'{self._name}' made the CAD kernel fall over (status {status}); export the part again as STEP."
        )


# --- models that go along with a job -------------------------------------------------------------


def carry_models(job: Job, from_folder: Path, to_folder: Path) -> Job:
    """``job`` as it must be to stand in ``to_folder``: its models go along, beside it.

    Raises WriteError or ModelFileError; then nothing refers to anything that is not there.
    """
    own = [each for machine in job.machines for each in machine.fixtures if isinstance(each, OwnFixture)]
    # What comes from the shop's library lies there, and goes along wherever the job is kept.
    from_shop = any(Path(reference.path).is_absolute() for fixture in own for reference in fixture.models)
    if from_folder.resolve() == to_folder.resolve() and not from_shop:
        return job
    part, stock = job.part, job.stock
    if part.model is not None:
        part = part.model_copy(update={"model": _carry(part.model, from_folder, to_folder)})
    if stock.form == "model":
        stock = stock.model_copy(update={"model": _carry(stock.model, from_folder, to_folder)})
    machines = tuple(
        machine.model_copy(
            update={"fixtures": tuple(carry_fixture(each, from_folder, to_folder) for each in machine.fixtures)}
        )
        for machine in job.machines
    )
    return job.model_copy(update={"part": part, "stock": stock, "machines": machines})


def carry_fixture(fixture: Fixture, from_folder: Path, to_folder: Path) -> Fixture:
    """A fixture whose models, if it has any, go along into another folder.  Raises WriteError or ModelFileError."""
    if not isinstance(fixture, OwnFixture):
        return fixture
    return fixture.with_models(lambda reference: _carry(reference, from_folder, to_folder))


def _carry(reference: ModelReference, from_folder: Path, to_folder: Path) -> ModelReference:
    source = (from_folder / reference.path).resolve()
    target = to_folder / source.name
    try:
        content = source.read_bytes()
    except OSError as error:
        raise ModelFileError(f"The model '{source}' cannot be read: {error.strerror}.") from error
    if target.exists() and target.read_bytes() != content:
        target = to_folder / f"{source.stem}-{reference.sha256[:8]}{source.suffix}"
    if not target.exists():
        write_atomic(target, content)
    return reference.model_copy(update={"path": target.name})
