"""The library read from the shop's database behind the window: a server may take its time, or be away."""

from __future__ import annotations

from PySide6.QtCore import Signal

from ledgecliff.store.register_place import register_place

from .behind import Behind


class LibraryReading(Behind):
    found = Signal(object)

    def ask(self) -> None:
        self._begin_in(0)

    def _begin(self) -> None:
        place = register_place()

        def work(_progress: object, _cancelled: object) -> None:
            from ledgecliff.store.library import library

            self.found.emit(library(place))

        self._run(work)
