"""One current picture of each main view, from the demo: ``./run screenshots`` writes docs/screenshots/."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).parents[1]
OUT = ROOT / "docs" / "screenshots"
_FOLDER = tempfile.mkdtemp(prefix="ledgecliff-pictures-")
for _kind in ("CONFIG", "STATE"):
    os.environ[f"XDG_{_kind}_HOME"] = _FOLDER

from PySide6.QtWidgets import QApplication  # noqa: E402 - settings must point away from the user's first

from ledgecliff.app.main import make_window  # noqa: E402
from ledgecliff.store.demo import demo_job  # noqa: E402

application = QApplication(sys.argv[:1])
window = make_window()
window.resize(1280, 800)
document = window.document


def wait(fact: Callable[[], object], seconds: float = 20.0) -> None:
    end = time.monotonic() + seconds
    while not fact() and time.monotonic() < end:
        application.processEvents()
        time.sleep(0.005)


def picture(name: str, scene: int, lens: str) -> None:
    document.show_scene(scene)
    document.show_lens(lens)
    wait(lambda: not window.route.pictures_pending())
    for _ in range(5):
        application.processEvents()
    window.grab().save(str(OUT / f"{name}.png"))


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    window.show()
    window.files.open(demo_job("float-housing"))
    wait(lambda: document.plan is not None and not window.files.busy())
    document.show_scene(0)
    document.show_lens("part")
    document.pick("port")
    picture_now("part")
    picture("stock", 0, "stock")
    picture("sides", 0, "sides")
    wait(lambda: getattr(window.stage.sides_panel, "take_buttons", None))
    picture_now("sides")
    picture("hold", 1, "hold")
    document.show_scene(1)
    document.show_lens("cut")
    document.show_operation(2)
    picture_now("cut")
    document.show_scene(3)
    document.show_lens("hold")
    window.toggle_solid_view()
    window.stage.solid_view.plane.setCurrentIndex(2)
    wait(lambda: window.stage.solid_view._window is not None)
    picture_of_screen("solid")
    window.toggle_solid_view()
    window.open_shop()
    window.stage.shop_sheet.pick("small vise")
    picture_now("shop")
    window.stage.close_sheet()
    picture("datum", 3, "datum")
    picture("probe", 1, "probe")
    window.show_table()
    window.stage.table.view.selectRow(4)
    picture("table", 3, "table")
    window.rehearse_now()
    wait(lambda: document.rehearsal is not None and window._work is None)
    panel = window.stage.rehearse_panel
    document.show_scene(1)
    panel.toggle_play()
    panel._seconds = 0.3 * panel._playback.duration_s
    wait(lambda: window.stage.canvas._ball is not None)
    panel._timer.stop()
    picture_now("rehearse")
    panel.stop()
    picture("release", 3, "release")
    window.open_profile()
    picture_now("profile")
    window.stage.close_sheet()
    for name, job, title in (
        ("turn", "dial-ring-on-pins", "Dial ring on pins"),
        ("frame", "dial-ring-in-a-frame", "Dial ring in a frame"),
        ("jig", "lamp-lid", "Lamp lid"),
    ):
        window.files.open(demo_job(job))
        wait(lambda title=title: document.job.title == title and not window.files.busy())
        picture(name, 2, "hold")
    window.files.open(demo_job("winch-cheek"))
    wait(lambda: document.job.title == "Winch cheek" and not window.files.busy())
    picture("plate", 3, "hold")
    window.files.open(demo_job("float-housing"))
    wait(lambda: document.job.title == "Float housing" and not window.files.busy())
    document.set_value("parallels height", ("setups", 0, "hold", "parallels_height"), 36.0)
    document.set_value("work offset", ("setups", 1, "offset"), "G54")
    window.findings.toggle_list()
    window.switch_theme()
    picture("findings-night-shift", 1, "hold")
    window._closing = True
    window.close()


def picture_of_screen(name: str) -> None:
    """What the screen shows, since VTK's picture is not one of Qt's."""
    for _ in range(50):
        application.processEvents()
        time.sleep(0.02)
    screen = window.screen().grabWindow(0, window.x(), window.y(), window.width(), window.height())
    screen.save(str(OUT / f"{name}.png"))


def picture_now(name: str) -> None:
    wait(lambda: not window.route.pictures_pending())
    for _ in range(5):
        application.processEvents()
    window.grab().save(str(OUT / f"{name}.png"))


if __name__ == "__main__":
    main()
