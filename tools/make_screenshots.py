"""One current picture of each main view, from the demo: ``./run screenshots`` writes docs/screenshots/."""

from __future__ import annotations

import os
import random
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

ROOT = Path(__file__).parents[1]
OUT = ROOT / "docs" / "screenshots"
_FOLDER = tempfile.mkdtemp(prefix="ledgecliff-pictures-")
for _kind in ("CONFIG", "DATA", "STATE"):
    os.environ[f"XDG_{_kind}_HOME"] = _FOLDER

from PySide6.QtWidgets import QApplication  # noqa: E402 - settings must point away from the user's first

from ledgecliff.app.comparing import CompareZeros  # noqa: E402
from ledgecliff.app.main import make_window  # noqa: E402
from ledgecliff.core.edits.tolerances import seen_from, with_asked  # noqa: E402
from ledgecliff.core.quantities import said_signed  # noqa: E402
from ledgecliff.core.record.entries import RecordEntry  # noqa: E402
from ledgecliff.core.record.subjects import subjects_of_setup  # noqa: E402
from ledgecliff.core.register import entries as register  # noqa: E402
from ledgecliff.core.register.allocation import use_of  # noqa: E402
from ledgecliff.core.touchoff.draft import with_method  # noqa: E402
from ledgecliff.store.demo import demo_job  # noqa: E402
from ledgecliff.store.identity import new_id  # noqa: E402
from ledgecliff.store.record_db import RecordDb  # noqa: E402
from ledgecliff.store.register_place import register_place  # noqa: E402

PROGRAM = """%
G21 G17 G90 G40 G49 G80
T{tool} M6
{offset}
G43 H{length}
M3 S8000
G0 X-60 Y0 Z10
G1 Z-1 F400
X{x}
G0 Z10
M30
%
"""

application = QApplication(sys.argv[:1])
window = make_window()
window.resize(1280, 800)
document = window.desk.document


def wait(fact: Callable[[], object], seconds: float = 20.0) -> None:
    end = time.monotonic() + seconds
    while not fact() and time.monotonic() < end:
        application.processEvents()
        time.sleep(0.005)


def picture(name: str, scene: int, lens: str) -> None:
    document.show_scene(scene)
    document.show_lens(lens)
    wait(lambda: not window.desk.following.busy() and not window.desk.trying.busy())
    for _ in range(5):
        application.processEvents()
    window.grab().save(str(OUT / f"{name}.png"))


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    window.show()
    window.desk.files.open(demo_job("float-housing"))
    wait(lambda: document.plan is not None and not window.desk.files.busy())
    document.show_scene(0)
    document.show_lens("part")
    document.pick("port")
    picture_now("part")
    picture("sides", 0, "sides")
    panel = window.desk.stage.sides_panel
    wait(lambda: getattr(panel, "take_buttons", None))
    wait(lambda: panel.weighing.found and not panel.weighing.busy(), 60.0)
    panel.ensureWidgetVisible(panel.take_buttons[1])
    picture_now("sides")
    picture("hold", 1, "hold")
    document.show_scene(1)
    document.show_lens("cut")
    document.show_operation(2)
    picture_now("cut")
    window.commands.open_sheet("shop")
    window.desk.stage.shop_sheet.pick("small vise")
    picture_now("shop")
    window.desk.stage.close_sheet()
    document.show_scene(3)
    document.show_lens("datum")
    compare_zeros()
    picture("probe", 1, "probe")
    document.pick("main bore")
    wait(lambda: window.desk.stage.probe_panel.adding.offers is not None, 60.0)
    picture_now("probe")
    document.pick("")
    window.commands.show_lens("coordinates")
    window.desk.stage.coordinates.leap(1, 4)
    picture("coordinates", 3, "coordinates")
    window.commands.rehearse_now()
    wait(lambda: document.rehearsal is not None and window.commands._work is None)
    panel = window.desk.stage.rehearse_panel
    document.show_scene(1)
    panel.toggle_play()
    panel._seconds = 0.3 * panel._playback.duration_s
    wait(lambda: window.desk.stage.canvas._ball is not None)
    panel._timer.stop()
    picture_now("rehearse")
    panel.stop()
    released()
    by_hand()
    fill_register()
    window.commands.open_sheet("register")
    window.desk.stage.register_sheet.pick("G54")
    picture_now("register")
    window.desk.stage.close_sheet()
    window.desk.files.open(demo_job("dial-ring-on-pins"))
    wait(lambda: document.job.title == "Dial ring on pins" and not window.desk.files.busy())
    picture("turn", 2, "hold")
    wait(lambda: not window.desk.stage.turn_panel.weighing.busy(), 60.0)
    picture_now("turn")
    budget()
    window.desk.files.open(demo_job("rack-shoes"))
    wait(lambda: document.job.title == "Rack shoes" and not window.desk.files.busy())
    window.commands.show_view("table")
    window.desk.stage.table_page.panel.pick_places({"3-1"})
    picture_now("table")
    a_day()
    window.commands.show_view("part")
    window.desk.files.open(demo_job("float-housing"))
    wait(lambda: document.job.title == "Float housing" and not window.desk.files.busy())
    document.set_value("parallels height", ("setups", 0, "hold", "parallels_height"), 36.0)
    document.set_value("work offset", ("setups", 1, "offset"), "G54")
    window.desk.findings.toggle_list()
    window.switch_theme()
    document.show_scene(1)
    record_of_a_month()
    picture_now("record-night-shift")
    window._closing = True
    window.close()


def budget() -> None:
    """By stop and jaw, and a tolerance asked for."""
    window.desk.files.open(demo_job("float-housing-by-jaw"))
    wait(lambda: document.job.title == "Float housing by jaw" and not window.desk.files.busy())
    edge = [each.name for each in document.job.part.features].index("bore edge break")
    document.apply("asked", lambda job: seen_from(with_asked(job, edge, "position", 0.06), edge, "main bore"))
    document.show_scene(3)
    document.show_lens("budget")
    lens = window.desk.stage.budget
    wait(lambda: lens.weighing.routes, 60.0)
    picture_now("budget")
    window.commands.undo()


def released() -> None:
    """One setup released after it was rehearsed, and the checklist of the other at the machine."""
    stage = window.desk.stage
    window.desk.files.ask_folder = lambda: Path(_FOLDER) / "released"
    wait(lambda: document.seals and document.seals[0].stage == "rehearsed")
    window.commands.release("Ada", [0], {}, "A4")
    window.commands.open_sheet("release")
    wait(lambda: window.commands._work is None and document.seals and document.seals[0].stage == "released")
    stage.release_sheet.by.setText("Ada")
    window.desk.notices.hide()
    picture_now("release")
    stage.close_sheet()
    document.show_scene(3)
    window.commands.walk_at_machine()
    page = stage.at_machine
    page.resize(1180, 760)
    wait(lambda: not page.reading.busy())
    while page.walk.check.asked is None:
        page.done.click()
    page.entry.setText("28")
    page.done.click()
    application.processEvents()
    page.grab().save(str(OUT / "at-machine.png"))
    page.close()


def record_of_a_month() -> None:
    """Touches of one vise day by day, its jaws ground once, and a blow at the end."""
    job, chance = document.job, random.Random(3)
    used = subjects_of_setup(job, job.setups[0])
    vise = tuple(each for each in used if each.kind == "fixture")
    day, entries = datetime(2026, 10, 5, 7, 10, tzinfo=UTC), []
    for number in range(26):
        day += timedelta(days=1, minutes=chance.randint(-90, 90))
        off = chance.gauss(0.002, 0.004) + (0.03 if number == 25 else 0.0)
        words = "Op 10, step 1: left and right of the stock"
        entries.append(RecordEntry(id=new_id(), kind="touch", at=day.isoformat(), by="Ada", workstation="hall-2",
                                   on=used, what=words, numbers={"x off": off}))  # fmt: skip
        if number == 9:
            entries.append(RecordEntry(id=new_id(), kind="mark", at=(day + timedelta(hours=2)).isoformat(), by="Bo",
                                       on=vise, what="jaws ground"))  # fmt: skip
    db = RecordDb(register_place())
    db.add(entries)
    db.close()
    window.commands.open_sheet("record")
    sheet = window.desk.stage.record_sheet
    wait(lambda: not sheet.pages.busy() and sheet.table.rowCount() > len(entries) - 1)
    row = next(k for k, each in enumerate(sheet._page.entries) if each.kind == "touch")
    sheet.table.selectRow(row)
    for box, words in ((sheet.number, "x off"), (sheet.subject, "fixture")):
        box.setCurrentIndex(next(k for k in range(box.count()) if box.itemText(k).startswith(words)))
        box.activated.emit(box.currentIndex())
    wait(lambda: not sheet.drifts.busy())


def a_day() -> None:
    """Tuesday's table by the shortest time, the shoes cut while the filler cures."""
    window.commands.show_view("run")
    desk = window.desk.stage.run_desk
    desk.open_demo()
    desk.count_by("time")
    wait(lambda: desk.ordered is not None and not desk.busy())
    picture_now("run")
    window.desk.stage.open_sheet("backlog")
    loads = window.desk.stage.backlog_desk
    loads.open_demo()
    wait(lambda: loads.split is not None and not loads.busy())
    picture_now("backlog")
    window.desk.stage.close_sheet()


def compare_zeros() -> None:
    """X of the second side, one of them looked at before it is taken."""
    panel = window.desk.stage.datum_panel
    wait(lambda: document.found is not None and document.beside is not None)
    compare = panel.findChild(CompareZeros)
    compare.buttons["x"].click()
    wait(lambda: not panel.comparing.busy(), 60.0)
    words = [each.choice.words for each in panel.comparing.candidates]
    compare.table.selectRow(words.index("part left side"))
    picture_now("datum")


def by_hand() -> None:
    """X of the first setup by an edge finder against the left side."""
    document.show_scene(1)
    document.show_lens("hand")
    panel = window.desk.stage.hand_panel
    panel.show_page("x")
    setup = document.plan.setups[0]
    panel.desk.apply("method", lambda draft: with_method(setup, draft, "x", "edge"))
    panel.show_page("x")
    panel.desk.set_value("reading", ("x", "reading"), -574.62)
    picture_now("by-hand")


def fill_register() -> None:
    """Codes in each of their states."""
    desk, job = window.desk.stage.register_desk, document.job
    lid = register.Use("Lamp lid", "Op 10", "", "jig")
    value = register.Value
    own = register.claimed(desk.entry("G54"), use_of(job, job.setups[0]))
    desk.write([register.with_value(own, value(-519.62, -214.03, -409.48), "touches", ("5 touches, ball 4.000",))])
    desk.write([register.labelled(register.claimed(desk.entry("G57"), lid), "by the door")])
    stale = register.with_value(desk.entry("G55"), value(-258.4, -212.1, -455.9), "tape", found_for=lid)
    desk.write([register.claimed(stale, use_of(job, job.setups[1]))])
    stays = register.with_value(desk.entry("G59"), value(-620.0, -120.0, -330.0), "typed")
    desk.write([register.made_resident(stays, "rotary chuck")])
    told = (("left side, moving +", -574.62), ("radius, +", 5.0), ("surface", -569.62), ("must read, −", 50.0))
    lines = tuple(f"X: {words} {said_signed(mm)}" for words, mm in (*told, ("G54 X", -519.62)))
    desk.write([register.with_value(desk.entry("G54"), value(-519.62, -214.01, -409.5), "tape", lines)])


def picture_now(name: str) -> None:
    wait(lambda: not window.desk.following.busy() and not window.desk.trying.busy())
    for _ in range(5):
        application.processEvents()
    window.grab().save(str(OUT / f"{name}.png"))


if __name__ == "__main__":
    main()
