"""Long work off the interface thread: one function, its progress, its result or its error."""

from __future__ import annotations

from collections.abc import Callable
from threading import Event
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from ledgecliff.core.errors import CancelledError, LedgecliffError


class _Task(QRunnable):
    """Runs a function in the pool.

    It belongs to Python: one that the pool deletes leaves its wrapper behind, and whatever Qt makes next at the
    same address is then taken for a QRunnable.
    """

    def __init__(self, function: Callable[[], None]) -> None:
        super().__init__()
        self.setAutoDelete(False)
        self._function = function

    def run(self) -> None:
        self._function()


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
        self._task = _Task(self._run)

    def start(self, pool: QThreadPool) -> None:
        pool.start(self._task)

    def cancel(self) -> None:
        self._stop.set()

    def _run(self) -> None:
        try:
            result = self._function(self.progress.emit, self._stop.is_set)
        except CancelledError:
            pass
        except LedgecliffError as error:
            self.failed.emit(str(error))
        except Exception as error:
            # Whatever it is, somebody waits for an answer.
            what = f"{type(error).__name__}: {error}"
            self.failed.emit(f"Internal error ({what}). The job is unchanged; report this with it.")
            raise
        else:
            if not self._stop.is_set():
                self.done.emit(result)
        finally:
            # Also after a fault of ours, or the window would wait for ever.
            self.ended.emit()
