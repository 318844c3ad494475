"""Fixtures of the shop's own come to a setup of the open job: from a model, or from the shop's library."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject

from ledgecliff.core.edits.own_fixtures import fixture_from, with_fixture, with_moving_part
from ledgecliff.core.edits.setups import hold_with
from ledgecliff.core.edits.standing import Standing
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.own_fixture import OwnFixture
from ledgecliff.core.solids.geometry import FixtureModels, Models
from ledgecliff.store.imports import ReadBody
from ledgecliff.store.part_models import read_fixtures

from .document import Document
from .file_desk import FileDesk, Purpose
from .notices import NoticeStrip


class FixtureDesk(QObject):
    def __init__(self, document: Document, files: FileDesk, notices: NoticeStrip) -> None:
        super().__init__(files)
        self._document, self._files, self._notices = document, files, notices
        files.body_read.connect(self._read)

    def _setup(self) -> int:
        """The setup on the stage, or the one that a turn leads to."""
        scene = self._document.scene
        return (scene.setup if scene is not None else None) or 0

    def ask(self, purpose: Purpose) -> None:
        """Asks for a model and reads it aside."""
        path = self._files.ask_model()
        if path is not None:
            self._files.import_model(path, purpose)

    def _read(self, path: Path, purpose: Purpose, body: ReadBody) -> None:
        plan, setup = self._document.plan, self._setup()
        if plan is None:
            return
        reference = self._files.from_here(body.reference, path)
        name = path.stem.replace("_", " ").replace("-", " ").strip()[:60] or "fixture"
        models = body.beside(plan.models)
        if purpose == "fixture":
            self._take(
                "fixture from a model", path.name,
                lambda job: with_fixture(job, setup, fixture_from(name, reference, body.geometry)), models,
                f"'{name}' holds {plan.job.setups[setup].name}, on its largest face that looks up. Say below what "
                "its other faces are for, and where it stands.",
            )  # fmt: skip
        else:
            self._take(
                "part that moves", path.name, lambda job: with_moving_part(job, setup, name, reference), models,
                f"'{name}' moves on this fixture. Say which way, and how far it goes.",
            )  # fmt: skip

    def hold_by(self, standing: Standing) -> None:
        """The setup on the stage held by what stands somewhere; a fixture's models are read aside first."""
        plan, setup = self._document.plan, self._setup()
        if plan is None:
            return
        fixture = standing.fixture
        if not isinstance(fixture, OwnFixture) or all(plan.models.fixtures.has(each) for each in fixture.models):
            self._hold(standing, setup, plan.models)
            return
        machine, folder = plan.job.machine.model_copy(update={"fixtures": (fixture,)}), self._files.model_folder

        def read(progress: Callable[[int, int], None], cancelled: Callable[[], bool]) -> FixtureModels:
            return read_fixtures((machine,), folder, cancelled, progress)

        def done(found: FixtureModels) -> None:
            self._hold(
                standing, setup, Models(plan.models.part, plan.models.stock, plan.models.fixtures.and_also(found))
            )

        self._files.start(read, f"Reading {fixture.name}…", done)

    def _hold(self, standing: Standing, setup: int, models: Models) -> None:
        self._take("what holds it", standing.name, lambda job: hold_with(job, setup, standing), models, "")

    def _take(self, words: str, name: str, change: Callable[[Job], Job], models: Models, said: str) -> None:
        job = self._document.job
        if job is None:
            return
        self._notices.hide()
        try:
            self._document.apply_with_models(words, change(job), models)
        except LedgecliffError as error:
            self._notices.say(f"'{name}': {error}", bad=True)
            return
        if said:
            self._notices.say(said)
