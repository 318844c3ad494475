"""Long work off the interface thread: one function, its progress, its result or its error."""

from __future__ import annotations

from collections.abc import Callable
from threading import Event
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.store.part_models import CancelledError


class Work(QObject):
    """Runs ``function(progress, cancelled)`` in a pool thread; signals arrive in the interface thread."""

    progress = Signal(int, int)
    done = Signal(object)
    failed = Signal(str)
    #: After done, failed or cancelling: always, once.
    ended = Signal()

    def __init__(self, function: Callable[[Callable[[int, int], None], Callable[[], bool]], Any]) -> None:
        super().__init__()
        self._function = function
        self._stop = Event()

    def start(self, pool: QThreadPool) -> None:
        pool.start(QRunnable.create(self._run))

    def cancel(self) -> None:
        self._stop.set()

    def _run(self) -> None:
        try:
            result = self._function(self.progress.emit, self._stop.is_set)
        except CancelledError:
            pass
        except LedgecliffError as error:
            self.failed.emit(str(error))
        else:
            if not self._stop.is_set():
                self.done.emit(result)
        finally:
            # Also after a fault of ours, or the window would wait for ever.
            self.ended.emit()
