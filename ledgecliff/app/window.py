"""The window: route above, stage in the middle, tape at the right, findings below."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QPoint, QSettings, Qt, QThreadPool, QTimer
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QCursor,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeySequence,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QMainWindow,
    QMenu,
    QMenuBar,
    QSizePolicy,
    QSplitter,
    QVBoxLayout,
    QWhatsThis,
    QWidget,
)

from ledgecliff import __version__
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.finding import Fix
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.route import scenes_of
from ledgecliff.core.tape.scenes import scene_tape
from ledgecliff.core.tape_lines import tape_text
from ledgecliff.store import kernel_process, outputs, part_models, recent
from ledgecliff.store.demo import demo_job
from ledgecliff.store.shop import read_shop

from .actions import ACTIONS, MENUS, ActionSpec
from .document import LENSES, Document
from .file_desk import FileDesk, Purpose
from .findings_bar import FindingsBar
from .notices import NoticeStrip
from .output_desk import OutputDesk
from .route import Route
from .stage import Stage
from .tape_view import TapeView
from .theme import DAY, NIGHT
from .top_bar import TopBar
from .workers import Work

#: Windows lower than this show the route without much air (pixels).
_COMPACT_BELOW = 720


class MainWindow(QMainWindow):
    def __init__(self, settings: QSettings) -> None:
        super().__init__()
        self._settings = settings
        self.theme = NIGHT if settings.value("theme") == "night" else DAY
        self.document = Document(self)
        self.route = Route(self.document, self.theme)
        self.stage = Stage(self.document, self.theme)
        self.tape = TapeView(self.theme)
        self.findings = FindingsBar(self.theme)
        self.notices = NoticeStrip()
        self.files = FileDesk(self.document, self.notices, self)
        self.outputs = OutputDesk(self.document, self.stage, self.files, self.notices)
        self._pool = QThreadPool(self)
        self._work: Work | None = None
        #: Kept while it runs; Qt would drop it.
        self._proposing: Work | None = None
        self._closing = False
        self._tape_sized_by_hand = False
        self._lay_out()
        self._make_actions()
        self._connect()
        self.setAcceptDrops(True)
        self.setMinimumSize(1024, 640)
        self._restore_layout()
        self._set_theme()
        self._show_file()
        QTimer.singleShot(0, self._read_shop)

    def _read_shop(self) -> None:
        try:
            self.document.shop = read_shop()
        except LedgecliffError as error:
            self.notices.say(str(error), bad=True)

    # --- building ---------------------------------------------------------------------------

    def _lay_out(self) -> None:
        middle = QSplitter(Qt.Orientation.Horizontal)
        middle.setObjectName("middle")
        middle.addWidget(self.stage)
        middle.addWidget(self.tape)
        middle.setStretchFactor(0, 1)
        middle.setStretchFactor(1, 0)
        middle.splitterMoved.connect(self._tape_was_sized)
        middle.setChildrenCollapsible(False)
        self.tape.setMinimumWidth(250)
        self._middle = middle
        desk = QWidget()
        desk.setObjectName("desk")
        column = QVBoxLayout(desk)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget, stretch in ((self.route, 0), (self.notices, 0), (middle, 1), (self.findings, 0)):
            column.addWidget(widget, stretch)
        self.setCentralWidget(desk)

    def _tape_was_sized(self) -> None:
        self._tape_sized_by_hand = True

    def resizeEvent(self, event: QResizeEvent) -> None:
        """On a small screen the route gives up height and the tape width."""
        super().resizeEvent(event)
        self.route.set_compact(self.height() < _COMPACT_BELOW)
        if not self._tape_sized_by_hand:
            tape = max(250, min(self.width() // 4, 330))
            self._middle.setSizes([self.width() - tape, tape])

    def _make_actions(self) -> None:
        self._menu_bar = QMenuBar()
        self._menu_bar.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Preferred)
        self.menus: dict[str, QMenu] = {name: self._menu_bar.addMenu(name) for name in MENUS}
        self.actions_by_id: dict[str, QAction] = {}
        for spec in ACTIONS:
            action = QAction(spec.text, self)
            action.setToolTip(spec.tip)
            action.setStatusTip(spec.tip)
            if spec.shortcut:
                action.setShortcut(QKeySequence(spec.shortcut))
            action.triggered.connect(lambda _checked=False, spec=spec: self._run(spec))
            if spec.separator_before:
                self.menus[spec.menu].addSeparator()
            self.menus[spec.menu].addAction(action)
            self.addAction(action)
            self.actions_by_id[spec.id] = action
        self._recent_menu = QMenu("Open recent", self)
        self.menus["Job"].insertMenu(self.actions_by_id["save"], self._recent_menu)
        self._make_top_bar()

    def _run(self, spec: ActionSpec) -> None:
        handler = getattr(self, spec.handler)
        if spec.argument:
            handler(spec.argument)
        else:
            handler()

    def _make_top_bar(self) -> None:
        bar = TopBar(self._menu_bar)
        bar.command_wanted.connect(self._run_command)
        bar.unit_wanted.connect(self.switch_unit)
        self.title, self.state, self.finder, self.unit_button = bar.title, bar.state, bar.finder, bar.unit_button
        self.setMenuWidget(bar)

    def _connect(self) -> None:
        document = self.document
        document.plan_changed.connect(self._show_plan)
        document.scene_changed.connect(self._show_tape)
        document.rehearsal_changed.connect(self._show_tape)
        document.unit_changed.connect(self._show_unit)
        document.picked_changed.connect(self._show_picked)
        document.file_changed.connect(self._show_file)
        self.stage.picked.connect(document.pick)
        self.stage.refused.connect(lambda text: self.notices.say(text, bad=True))
        self.tape.picked.connect(document.pick)
        self.stage.register_sheet.tape_wanted.connect(self.tape.show_tape)
        self.stage.sheet_closed.connect(self._show_tape)
        self.findings.fix_wanted.connect(self.apply_fix)
        self.findings.setup_wanted.connect(self._show_setup)
        self.stage.sides_panel.proposal_wanted.connect(self.propose)
        self.stage.sides_panel.order_taken.connect(self.files.plan_order)
        self.stage.hand_panel.tape_changed.connect(self._show_tape)
        self.stage.hand_panel.hover_wanted.connect(self.show_hover)
        self.stage.hand_panel.print_wanted.connect(self.outputs.write_tape)
        self.stage.turn_panel.pattern_wanted.connect(self.outputs.take_pattern)
        self.stage.turn_panel.outline_wanted.connect(self.outputs.take_outline)
        self.stage.turn_panel.drawings_wanted.connect(self.write_drawings)
        self.stage.rehearse_panel.run_wanted.connect(self.rehearse)
        self.stage.release_panel.read_back_wanted.connect(self.read_back)
        self.stage.release_panel.programs_wanted.connect(self.write_programs)
        self.stage.release_panel.sheet_wanted.connect(self.write_sheet)
        self.files.recent_changed.connect(self._fill_recent)
        self._recent_menu.aboutToShow.connect(self._fill_recent)
        self._fill_recent()

    # --- showing ----------------------------------------------------------------------------

    def _show_plan(self) -> None:
        plan = self.document.plan
        if plan is not None:
            self.findings.show_findings(findings_of(plan))
        self._show_tape()

    def _show_tape(self) -> None:
        plan, scene = self.document.plan, self.document.scene
        if plan is not None and scene is not None and self.document.lens == "hand":
            self.tape.show_tape(self.stage.hand_panel.tape())
        elif plan is not None and scene is not None:
            self.tape.show_tape(
                scene_tape(
                    plan, scene, self.document.lens, self.document.rehearsal, self.document.picked,
                    self.stage.number(),
                )
            )  # fmt: skip

    def _show_picked(self, source: str) -> None:
        self.tape.show_picked(source)
        self._show_tape()

    def _show_unit(self) -> None:
        self.unit_button.setText(self.document.unit)
        self.findings.show_unit(self.document.unit)
        self.tape.show_unit(self.document.unit)

    def _show_file(self) -> None:
        job = self.document.job
        for spec in ACTIONS:
            self.actions_by_id[spec.id].setEnabled(job is not None or not spec.needs_job)
        stack = self.document.undo_stack
        self.actions_by_id["undo"].setText(f"Undo {stack.undoText()}".rstrip())
        self.actions_by_id["undo"].setEnabled(stack.canUndo())
        self.actions_by_id["redo"].setText(f"Redo {stack.redoText()}".rstrip())
        self.actions_by_id["redo"].setEnabled(stack.canRedo())
        if job is None:
            self.setWindowTitle("Ledgecliff")
            return
        state = "not saved" if self.document.unsaved else "saved"
        where = self.document.path.name if self.document.path else "new"
        self.setWindowTitle(f"{job.title} · {where} · {state} — Ledgecliff")
        self.title.setText(job.title)
        self.state.setText(f"· {where}, {state}")

    def _show_setup(self, name: str) -> None:
        plan = self.document.plan
        if plan is not None:
            index = next((k for k, scene in enumerate(scenes_of(plan)) if scene.title == name), None)
            if index is not None:
                self.document.show_scene(index)

    def _fill_recent(self) -> None:
        self._recent_menu.clear()
        for path in recent.recent_jobs():
            action = self._recent_menu.addAction(str(path).replace("&", "&&"))
            action.triggered.connect(lambda _checked=False, path=path: self.files.open(path))
        self._recent_menu.setEnabled(not self._recent_menu.isEmpty())

    def _set_theme(self) -> None:
        application, sheet = QApplication.instance(), self.theme.style_sheet()
        # Every widget there is gets it laid on, so not for nothing.
        if isinstance(application, QApplication) and application.styleSheet() != sheet:
            application.setStyleSheet(sheet)
        for view in (self.route, self.stage, self.tape, self.findings):
            view.set_theme(self.theme)

    # --- commands ---------------------------------------------------------------------------

    def open_file(self) -> None:
        path = self.files.ask_open()
        if path is not None:
            self.files.open(path)

    def import_model(self) -> None:
        self._import("new job")

    def import_changed_model(self) -> None:
        self._import("changed part")

    def import_stock_model(self) -> None:
        self._import("stock")

    def _import(self, purpose: Purpose) -> None:
        path = self.files.ask_model()
        if path is not None:
            self.files.import_model(path, purpose)

    def new_job(self) -> None:
        self.files.new_job()

    def open_demo(self) -> None:
        self.files.open(demo_job("float-housing"))

    def save(self) -> None:
        self.files.save()

    def save_as(self) -> None:
        self.files.save_as()

    def undo(self) -> None:
        self.document.undo_stack.undo()

    def redo(self) -> None:
        self.document.undo_stack.redo()

    def apply_fix(self, fix: Fix) -> None:
        try:
            self.document.set_value(fix.label, fix.path, fix.value)
        except LedgecliffError as error:
            self.notices.say(str(error), bad=True)

    def copy_tape(self) -> None:
        QGuiApplication.clipboard().setText(tape_text(self.tape.tape, self.document.unit))

    def copy_picture(self) -> None:
        QGuiApplication.clipboard().setPixmap(self.stage.picture())

    def save_picture(self) -> None:
        self.outputs.save_picture()

    def open_sheet(self, name: str) -> None:
        self.stage.open_sheet(name)

    def toggle_solid_view(self) -> None:
        self.stage.show_solid_view(self.stage.solid_view.isHidden())

    def next_scene(self) -> None:
        self.document.show_scene(self.document.scene_index + 1)

    def previous_scene(self) -> None:
        self.document.show_scene(self.document.scene_index - 1)

    def show_lens(self, lens: str) -> None:
        """A lens of a setup or of the stock; from another scene the nearest that has it comes to the stage."""
        plan, scene = self.document.plan, self.document.scene
        if plan is None or scene is None:
            return
        if lens in LENSES["stock"] and lens != "table":
            self.document.show_scene(0)
        elif scene.kind != "setup" and lens != "table":
            wanted = scene.setup if scene.setup is not None else 0 if scene.kind == "stock" else len(plan.setups) - 1
            self.document.show_setup(wanted)
        self.document.show_lens(lens)

    def show_hover(self) -> None:
        """The hover-check program of the setup on the stage."""
        self.show_lens("release")
        self.stage.release_panel.show_kind("hover")

    def propose(self) -> None:
        """Orders of sides, worked out aside; what comes back counts only for part and stock it is about."""
        plan = self.document.plan
        if plan is None:
            return
        work = Work(lambda _progress, _cancelled: plan.proposal)
        work.done.connect(lambda proposal: self.stage.sides_panel.show_proposal(proposal, plan.coverage))
        work.failed.connect(lambda text: self.notices.say(text, bad=True))
        self._proposing = work
        work.start(self._pool)

    def play_turn(self) -> None:
        """The turn on the stage, or the next one from here."""
        plan, scene = self.document.plan, self.document.scene
        if plan is None or scene is None:
            return
        turns = [k for k, each in enumerate(scenes_of(plan)) if each.kind == "turn"]
        if not turns:
            self.notices.say("There is no turn to play: the route has one setup only.")
            return
        here = self.document.scene_index
        self.document.show_scene(next((k for k in turns if k >= here), turns[-1]))
        self.document.show_lens("turn")
        self.stage.turn_panel.toggle_play()

    def rehearse_now(self) -> None:
        self.show_lens("rehearse")
        self.rehearse(self.stage.rehearse_panel.seed_value())

    def rehearse(self, seed: int) -> None:
        """Runs in a worker; what comes back counts only for the plan it was started with."""
        plan = self.document.plan
        if plan is None or self._work is not None:
            return
        work = Work(
            lambda progress, cancelled: rehearse(
                written := written_plan(plan), drawn_world(written, seed), progress, cancelled
            )
        )
        self._work = work
        work.progress.connect(self.notices.set_progress)
        work.done.connect(lambda result: self.document.set_rehearsal(result) if self.document.plan is plan else None)
        work.failed.connect(lambda text: self.notices.say(text, bad=True))
        work.ended.connect(self._rehearsed)
        self.notices.show_busy(f"Rehearsing with seed {seed}…", work.cancel)
        work.start(self._pool)

    def read_back(self, setup_index: int) -> None:
        """Runs a setup's probing programs against the plan in a worker, each stop driven once."""
        plan = self.document.plan
        if plan is None or self._work is not None:
            return
        work = Work(lambda progress, cancelled: read_back(plan, setup_index, progress, cancelled))
        self._work = work
        work.progress.connect(self.notices.set_progress)
        show = self.stage.release_panel.show_read_back
        work.done.connect(lambda back: show(setup_index, back) if self.document.plan is plan else None)
        work.failed.connect(lambda text: self.notices.say(text, bad=True))
        work.ended.connect(self._rehearsed)
        self.notices.show_busy("Reading the programs back…", work.cancel)
        work.start(self._pool)

    def _rehearsed(self) -> None:
        self._work = None
        if self.notices.progress.isVisible():
            self.notices.hide()

    def write_programs(self) -> None:
        self.outputs.write_programs()

    def write_drawings(self) -> None:
        self.outputs.write_drawings()

    def write_sheet(self) -> None:
        plan = self.document.plan
        if plan is None or self._work is not None:
            return
        chosen = self.files.ask_save(self.files.folder() / "setup-sheet.pdf", "Sheets (*.pdf *.html)")
        if chosen is None:
            return
        work = Work(lambda _progress, _cancelled: outputs.write_sheet(plan, chosen))
        self._work = work
        work.failed.connect(lambda text: self.notices.say(text, bad=True))
        work.ended.connect(self._rehearsed)
        work.done.connect(lambda path: self.notices.say(f"Setup sheet written to {path}."))
        self.notices.show_busy(f"Writing {chosen.name}…", work.cancel)
        work.start(self._pool)

    def switch_unit(self) -> None:
        self.document.show_unit("in" if self.document.unit == "mm" else "mm")

    def switch_theme(self) -> None:
        self.theme = DAY if self.theme is NIGHT else NIGHT
        self._set_theme()

    def toggle_findings(self) -> None:
        self.findings.toggle_list()

    def find_command(self) -> None:
        self.finder.setFocus()
        self.finder.selectAll()

    def _run_command(self, text: str) -> None:
        wanted = text.strip().lower()
        spec = next((spec for spec in ACTIONS if spec.text.lower() == wanted), None)
        if spec is None or not self.actions_by_id[spec.id].isEnabled():
            return
        self.finder.clear()
        self.finder.clearFocus()
        self.actions_by_id[spec.id].trigger()

    def show_help(self) -> None:
        """What the thing under the pointer is for, where it stands."""
        at = QCursor.pos()
        widget: QWidget | None = QApplication.widgetAt(at) or QApplication.focusWidget()
        while widget is not None and not widget.toolTip():
            widget = widget.parentWidget()
        text = widget.toolTip() if widget is not None else ""
        QWhatsThis.showText(
            at if widget is not None else self.mapToGlobal(QPoint(40, 60)),
            text
            or "Walk the route with Alt+Left and Alt+Right, choose a lens with Alt+1 to Alt+7, and find any command "
            "with Ctrl+J. The tape shows the arithmetic of what is on the stage.",
            self,
        )

    def show_about(self) -> None:
        self.notices.say(
            f"Ledgecliff {__version__}. The typeface B612 ships under the SIL Open Font License; demo data is invented."
        )

    # --- window -----------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        path = self._dropped(event)
        if path is not None:
            event.acceptProposedAction()
            if path.suffix.lower() in part_models.FORMATS:
                kernel_process.warm_up()  # while it still hangs over the window

    def dropEvent(self, event: QDropEvent) -> None:
        path = self._dropped(event)
        if path is not None:
            event.acceptProposedAction()
            self.files.take_dropped(path)

    @staticmethod
    def _dropped(event: QDropEvent) -> Path | None:
        urls = event.mimeData().urls()
        return Path(urls[0].toLocalFile()) if len(urls) == 1 and urls[0].isLocalFile() else None

    def _restore_layout(self) -> None:
        geometry, middle = self._settings.value("geometry"), self._settings.value("middle")
        if geometry is None or not self.restoreGeometry(geometry):
            self.resize(1280, 800)
        if middle is not None:
            self._tape_sized_by_hand = self._middle.restoreState(middle)
        if self._settings.value("unit") == "in":
            self.document.show_unit("in")
            self._show_unit()

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.document.unsaved and not self._closing:
            event.ignore()
            self.files.when_saved_or_dropped("Close", self._close_now)
            return
        if self._work is not None:
            self._work.cancel()
        self._pool.waitForDone()
        self.files.wait()
        self.files.drop_copy()
        self.stage.rehearse_panel.stop()
        self.stage.turn_panel.stop()
        self.stage.solid_view.close_view()
        self.stage.programs_sheet.stop()
        self.stage.register_desk.close()
        self._settings.setValue("geometry", self.saveGeometry())
        if self._tape_sized_by_hand:
            self._settings.setValue("middle", self._middle.saveState())
        self._settings.setValue("unit", self.document.unit)
        self._settings.setValue("theme", self.theme.name)
        event.accept()

    def _close_now(self) -> None:
        self._closing = True
        self.close()
