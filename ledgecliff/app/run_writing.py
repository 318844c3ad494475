"""Programs and the list of a run, written behind the window while its order may still get better."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Signal

from ledgecliff.core.model.run import Run
from ledgecliff.core.quantities import Unit
from ledgecliff.core.runs.rules import Planned
from ledgecliff.core.scheduling.ordering import Ordered
from ledgecliff.store.run_outputs import write_run_programs, write_run_sheet

from .behind import Behind

_Progress = Callable[[int, int], None]
_Cancelled = Callable[[], bool]


class RunWriting(Behind):
    #: What was written, in words; and that something began or came to its end.
    written = Signal(str)
    changed = Signal()

    def programs(self, run: Run, path: Path, planned: Planned, folder: Path, *, by_block: bool) -> None:
        """They are read back before anything is written, which may take its time."""

        def work(progress: _Progress, cancelled: _Cancelled) -> None:
            found = write_run_programs(
                run, path, planned, folder, by_block=by_block, progress=progress, should_stop=cancelled
            )
            names = ", ".join(str(each) for each in found.paths)
            self.written.emit(f"Written: {names}. {found.back.words} Read it through before it runs.")

        self._begun(work)

    def list(self, run: Run, path: Path, planned: Planned, ordered: Ordered, to: Path, unit: Unit) -> None:
        def work(_progress: _Progress, _cancelled: _Cancelled) -> None:
            self.written.emit(f"Written: {write_run_sheet(run, path, planned, ordered, to, unit)}.")

        self._begun(work)

    def give_up(self) -> None:
        self._cancel()
        self.changed.emit()

    def _begun(self, work: Callable[[_Progress, _Cancelled], None]) -> None:
        self._cancel()
        self._run(work)
        self.changed.emit()

    def _all_done(self) -> None:
        self.changed.emit()
