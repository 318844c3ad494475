"""From a model file to a job: new, or an older job carried over to a changed model."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from ledgecliff.core.dimensioned import part_geometry
from ledgecliff.core.edits.parts import with_stock_model
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.part import ModelReference, ModelUnit
from ledgecliff.core.new_job import first_plan, job_for_model, with_changed_model
from ledgecliff.core.quantities import Unit, spell
from ledgecliff.core.recognition.matching import Reimport
from ledgecliff.core.solids.geometry import FixtureModels, Models, PartGeometry
from ledgecliff.store.identity import new_id

from .library import current_shop
from .part_models import Progress, checksum_of, read_fixtures, read_model

#: Kinds whose plural is not made with an s.
_MANY = {"boss": "bosses"}


@dataclass(frozen=True, eq=False)
class Imported:
    """A job and the models it refers to; ``report`` says how named features fared when an older job was kept."""

    job: Job
    models: Models
    report: Reimport | None = None

    def words(self, unit: Unit = "mm") -> str:
        """What was recognised and what not: faces by kind, features by kind, and what the reader had to say."""
        part = self.models.part
        assert part is not None, "imported from a file"
        kinds = Counter(feature.kind for feature in self.job.part.features)
        listed = ", ".join(
            f"{number} {kind if number == 1 else _MANY.get(kind, kind + 's')}" for kind, number in kinds.items()
        )
        count = len(self.job.part.features)
        named = f"{count} feature{'' if count == 1 else 's'} recognised" + (f" ({listed})" if listed else "")
        faces = f"{part.face_count} face{'' if part.face_count == 1 else 's'}"
        return "; ".join((f"{faces}, {named}", *(spell(note, unit) for note in part.notes)))


def import_model(
    path: Path,
    unit: ModelUnit = "mm",
    body: int | None = None,
    keep: tuple[Job, Models] | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    progress: Progress = lambda _done, _of: None,
) -> Imported:
    """The job for a model file whose reference is its name, so that both can stand in one folder; its sides are not
    planned yet (see ``core.new_job.first_plan``).

    ``keep`` is an older job (with its models) whose features, datums and operations are carried over.
    Raises SeveralBodiesError when the file holds several bodies and ``body`` is None, ModelFileError,
    ShopFileError, and CancelledError.
    """
    reference = ModelReference(path=path.name, sha256=checksum_of(path), body=body, unit=unit)
    geometry = read_model(path, reference, cancelled, progress)
    if keep is not None:
        job, report = with_changed_model(keep[0], reference, geometry)
        return Imported(job, replace(keep[1], part=geometry), report)
    title = path.stem.replace("_", " ").replace("-", " ").strip() or "part"
    job = job_for_model(reference, geometry, title[:1].upper() + title[1:80], current_shop(), new_id())
    return Imported(job, Models(geometry, fixtures=read_fixtures(job.machines, path.parent, cancelled)))


def plan_imported(imported: Imported, within_s: float) -> tuple[Imported, str]:
    """An imported part with its first plan, and in one sentence what could not be made so; the best there is after
    ``within_s`` seconds."""
    last = time.monotonic() + within_s
    made = first_plan(imported.job, imported.models, current_shop(), lambda: time.monotonic() > last)
    return replace(imported, job=made.job), spell(made.words(), "mm")


def import_stock(
    path: Path,
    of: tuple[Job, Models],
    unit: ModelUnit = "mm",
    body: int | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    progress: Progress = lambda _done, _of: None,
) -> Imported:
    """A job with the model in a file as its stock, such as a casting.  Raises like ``import_model``."""
    job, models = of
    reference = ModelReference(path=path.name, sha256=checksum_of(path), body=body, unit=unit)
    geometry = read_model(path, reference, cancelled, progress)
    part = part_geometry(job.part, models)
    return Imported(with_stock_model(job, reference, geometry, part), replace(models, stock=geometry))


@dataclass(frozen=True, eq=False)
class ReadBody:
    """A model that was read to be a fixture, or something on one: how it is referred to, and its geometry."""

    reference: ModelReference
    geometry: PartGeometry

    def beside(self, models: Models) -> Models:
        """``models`` with it among the fixtures."""
        return replace(models, fixtures=models.fixtures.and_also(FixtureModels(((self.reference.key, self.geometry),))))


def read_body(
    path: Path,
    unit: ModelUnit = "mm",
    body: int | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    progress: Progress = lambda _done, _of: None,
) -> ReadBody:
    """A fixture's model in a file.  Raises like ``import_model``."""
    reference = ModelReference(path=path.name, sha256=checksum_of(path), body=body, unit=unit)
    return ReadBody(reference, read_model(path, reference, cancelled, progress))
