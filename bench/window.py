"""How long an edit takes until stage, tape, findings and route show it."""

from __future__ import annotations

import statistics
import time
from pathlib import Path

from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from bench.waiting import wait_until
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


def show_all(window: MainWindow, application: QApplication) -> None:
    """Until the stage is painted and every picture of the route is new and painted."""
    application.processEvents()
    wait_until(application, lambda: not window.desk.following.busy())
    application.processEvents()


def _held_key(window: MainWindow, application: QApplication) -> Row:
    """A key that is held in a field: edits one after the other, each painted before the next."""
    name, scene, lens, path, start = EDITS[1]
    window.desk.document.show_scene(scene)
    window.desk.document.show_lens(lens)
    show_all(window, application)
    count, begin = 60, time.perf_counter()
    for k in range(count):
        window.desk.document.set_value(name, path, start + 0.01 * k)
        application.processEvents()
    return (
        "held key: pictures of the stage a second", count / (time.perf_counter() - begin), "30", "", None,
    )  # fmt: skip


def measure_window(job: Path) -> list[Row]:
    existing = QApplication.instance()
    application = existing if isinstance(existing, QApplication) else QApplication(["bench"])
    window = make_window()
    window.show()
    QTest.qWaitForWindowExposed(window, 5000)
    window.desk.files.open(job)
    wait_until(application, lambda: window.desk.document.plan is not None and not window.desk.files.busy())
    show_all(window, application)
    rows: list[Row] = []
    for name, scene, lens, path, start in EDITS:
        window.desk.document.show_scene(scene)
        window.desk.document.show_lens(lens)
        show_all(window, application)
        stage_only, whole = [], []
        for k in range(1, 10):
            begin = time.perf_counter()
            window.desk.document.set_value(name, path, start + 0.01 * k)
            application.processEvents()
            stage_only.append(time.perf_counter() - begin)
            show_all(window, application)
            whole.append(time.perf_counter() - begin)
        rows.append(
            (
                f"edit: {name} (s)",
                statistics.median(whole),
                "0.15",
                "of it stage and tape, 0.05 wanted",
                statistics.median(stage_only),
            )
        )
    rows.append(_held_key(window, application))
    window._closing = True
    window.close()
    return rows
