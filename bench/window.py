"""How long an edit takes until stage, tape, findings and route show it, and what the window weighs."""

from __future__ import annotations

import os
import statistics
import time
from pathlib import Path

from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ledgecliff.app.main import make_window
from ledgecliff.app.window import MainWindow

Row = tuple[str, float, str, str, float | None]
#: Name, scene on the stage, lens, path, value to start from.
EDITS = (
    ("probing depth, on Op 20", 3, "probe", ("setups", 1, "probing", "depth"), 8.0),
    ("parallels height, on Op 20", 3, "hold", ("setups", 1, "hold", "parallels_height"), 24.0),
    ("jaw height, on Op 20", 3, "hold", ("machines", 0, "fixtures", 1, "jaw_height"), 42.0),
    ("datum shift, on Op 20", 3, "datum", ("setups", 1, "datum", "x", "shift"), 0.0),
    ("stock length, on the stock", 0, "hold", ("stock", "measured", "x"), 101.0),
    ("stock length, on Op 20", 3, "hold", ("stock", "measured", "x"), 100.0),
)


def resident_mb() -> float:
    pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def show_all(window: MainWindow, application: QApplication) -> None:
    """Until the stage is painted and every picture of the route is new and painted."""
    application.processEvents()
    while window.route.pictures_pending():
        application.processEvents()
    application.processEvents()


def measure_window(job: Path) -> list[Row]:
    existing = QApplication.instance()
    application = existing if isinstance(existing, QApplication) else QApplication(["bench"])
    before = resident_mb()
    window = make_window()
    window.show()
    QTest.qWaitForWindowExposed(window, 5000)
    window.files.open(job)
    while window.document.plan is None or window.files.busy() or window.route.pictures_pending():
        application.processEvents()
    weight = resident_mb()
    rows: list[Row] = []
    for name, scene, lens, path, start in EDITS:
        window.document.show_scene(scene)
        window.document.show_lens(lens)
        show_all(window, application)
        stage_only, whole = [], []
        for k in range(1, 10):
            begin = time.perf_counter()
            window.document.set_value(name, path, start + 0.01 * k)
            application.processEvents()
            stage_only.append(time.perf_counter() - begin)
            show_all(window, application)
            whole.append(time.perf_counter() - begin)
        rows.append(
            (
                f"edit: {name} (s)",
                statistics.median(whole),
                "0.1",
                "of it stage, tape and findings",
                statistics.median(stage_only),
            )
        )
    rows.append(("memory after opening the demo (MB)", weight, "500", "this bench before the window", before))
    window._closing = True
    window.close()
    return rows
