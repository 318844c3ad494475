"""The window: its frame, menus and title at once; what stands on its desk is furnished right after.

Most of the program is imported by what stands on the desk, so nothing of it may be imported here: the window is seen
before that, and says what it is waiting for.
"""

from __future__ import annotations

import gc
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPoint, QSettings, Qt, QTimer, Signal
from PySide6.QtGui import (
    QAction,
    QCloseEvent,
    QCursor,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QPaintEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import QApplication, QLabel, QMainWindow, QMenu, QMenuBar, QSizePolicy, QWhatsThis

from ledgecliff.store.recent import recent_jobs

from .actions import ACTIONS, MENUS, ActionSpec
from .hands import focus_help, in_order, let_tab_through, press_focused
from .theme import DAY, NIGHT, TEXT_SIZES, font, set_text_size, text_size
from .top_bar import TopBar

if TYPE_CHECKING:
    from .commands import Commands
    from .desk import Desk


class MainWindow(QMainWindow):
    """``desk`` and ``commands`` are there once it is furnished."""

    desk: Desk
    commands: Commands
    #: Its frame has been painted; once.
    seen = Signal()

    def __init__(self, settings: QSettings) -> None:
        super().__init__()
        self._settings = settings
        self.theme = NIGHT if settings.value("theme") == "night" else DAY
        size = settings.value("text")
        set_text_size(int(size) if str(size) in map(str, TEXT_SIZES) else 100)
        self._closing = self._stands = self._was_seen = False
        self._make_actions()
        waiting = QLabel("Setting out the desk…")
        waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setCentralWidget(waiting)
        self.setWindowTitle("Ledgecliff")
        self.setMinimumSize(1024, 640)
        geometry = settings.value("geometry")
        if geometry is None or not self.restoreGeometry(geometry):
            self.resize(1280, 800)
        # Plain colours first: a style sheet laid on each widget as it is put in its place takes twice as long as on all
        # of them at the end.
        self.setPalette(self.theme.palette())

    def furnish(self) -> None:
        """Sets out route, stage, tape and findings, and gives the commands something to work on."""
        # What is imported stays: looking through it for rubbish, again and again while it comes in, finds none.
        gc.disable()
        from .commands import Commands  # these two import nearly everything there is
        from .desk import Desk
        from .things import all_things

        gc.freeze()
        gc.enable()
        self.desk = desk = Desk(self.theme, self)
        self.commands = Commands(desk, self)
        self.setCentralWidget(desk)
        self.finder.ask = lambda: all_things(desk, self.actions_by_id)
        desk.restore(self._settings)
        self._lay_on_theme()
        self._stands = True
        self._recent_menu = QMenu("Open recent", self)
        self.menus["Job"].insertMenu(self.actions_by_id["save"], self._recent_menu)
        desk.files.recent_changed.connect(self._fill_recent)
        self._recent_menu.aboutToShow.connect(self._fill_recent)
        desk.document.file_changed.connect(self._show_file)
        desk.document.unit_changed.connect(self._show_unit)
        desk.stage.view_changed.connect(self._show_view)
        for held in (desk.stage.run_desk, desk.stage.backlog_desk):
            held.changed.connect(self._show_undo)
        self._fill_recent()
        self._show_unit()
        self._show_view()
        self._show_file()
        self.setAcceptDrops(True)
        desk.fit_to(self.width(), self.height())
        self._ordered: object = None
        self._order_soon = QTimer(self)
        self._order_soon.setSingleShot(True)
        self._order_soon.timeout.connect(self._order_tabs)
        for signal in (desk.document.plan_changed, desk.document.scene_changed, desk.document.findings_changed):
            signal.connect(self._order_soon.start)
        self._order_soon.start()

    def _order_tabs(self) -> None:
        """Route, lenses, fields, findings, tape; panels are made anew, so it is said again."""
        desk = self.desk
        panel = desk.stage.panels.get(desk.stage.panel_key())
        made = (panel, panel.widget() if panel is not None else None, len(desk.route.cards), desk.findings.rows())
        if made == self._ordered:
            return  # with a key that is held nothing is made anew
        self._ordered = made
        let_tab_through(self)
        bars = (desk.route, desk.stage.lens_bar, *((panel,) if panel is not None else ()))
        in_order((*bars, desk.findings, desk.tape, self.finder, self.unit_button))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """What no widget had a use for."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and press_focused(self):
            return
        super().keyPressEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        """Coming back to the window: what lies beside the job may have changed meanwhile."""
        super().changeEvent(event)
        if event.type() == QEvent.Type.ActivationChange and self.isActiveWindow() and hasattr(self, "desk"):
            self.desk.following.look_beside_again()

    # --- frame ------------------------------------------------------------------------------

    def _make_actions(self) -> None:
        menu_bar = QMenuBar()
        menu_bar.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Preferred)
        self.menus: dict[str, QMenu] = {name: menu_bar.addMenu(f"&{name}") for name in MENUS}
        self.actions_by_id: dict[str, QAction] = {}
        for spec in ACTIONS:
            action = QAction(spec.text, self)
            action.setToolTip(spec.tip)
            action.setStatusTip(spec.tip)
            if spec.shortcut:
                action.setShortcut(QKeySequence(spec.shortcut))
            action.triggered.connect(lambda _checked=False, spec=spec: self._run(spec))
            action.setEnabled(spec.id == "quit")
            if spec.separator_before:
                self.menus[spec.menu].addSeparator()
            self.menus[spec.menu].addAction(action)
            self.addAction(action)
            self.actions_by_id[spec.id] = action
        bar = TopBar(menu_bar)
        self.view_words = bar.views
        bar.view_wanted.connect(lambda view: self.actions_by_id[f"view_{view}"].trigger())
        bar.unit_wanted.connect(self.actions_by_id["unit"].trigger)
        self.title, self.state, self.finder, self.unit_button = bar.title, bar.state, bar.finder, bar.unit_button
        bar.title.edit_wanted.connect(self.edit_title)
        self.setMenuWidget(bar)

    def _run(self, spec: ActionSpec) -> None:
        handler = getattr(self if spec.of_window else self.commands, spec.handler)
        if spec.argument:
            handler(spec.argument)
        else:
            handler()

    def edit_title(self) -> None:
        from .in_place import edit_title

        edit_title(self.desk.document, self.title, lambda text: self.desk.notices.say(text, bad=True))

    def _show_view(self) -> None:
        self.view_words[self.desk.stage.view].setChecked(True)
        self._show_undo()

    def _show_undo(self) -> None:
        stack = self.desk.stage.undo_stack()
        self.actions_by_id["undo"].setText(f"Undo {stack.undoText()}".rstrip())
        self.actions_by_id["undo"].setEnabled(stack.canUndo())
        self.actions_by_id["redo"].setText(f"Redo {stack.redoText()}".rstrip())
        self.actions_by_id["redo"].setEnabled(stack.canRedo())

    def _show_unit(self) -> None:
        self.unit_button.setText(self.desk.document.unit)

    def _show_file(self) -> None:
        document = self.desk.document
        job = document.job
        for spec in ACTIONS:
            self.actions_by_id[spec.id].setEnabled(job is not None or not spec.needs_job)
        for view, word in self.view_words.items():
            word.setEnabled(self.actions_by_id[f"view_{view}"].isEnabled())
        self._show_undo()
        if job is None:
            self.setWindowTitle("Ledgecliff")
            return
        state = "not saved" if document.unsaved else "saved"
        where = document.path.name if document.path else "new"
        self.setWindowTitle(f"{job.title} · {where} · {state} — Ledgecliff")
        self.title.setText(job.title)
        self.state.setText(f"· {where}, {state}")

    def _fill_recent(self) -> None:
        self._recent_menu.clear()
        for path in recent_jobs():
            action = self._recent_menu.addAction(str(path).replace("&", "&&"))
            action.triggered.connect(lambda _checked=False, path=path: self.desk.files.open(path))
        self._recent_menu.setEnabled(not self._recent_menu.isEmpty())

    def _lay_on_theme(self) -> None:
        application, sheet = QApplication.instance(), self.theme.style_sheet()
        # Every widget there is gets it laid on, so not for nothing.
        if isinstance(application, QApplication) and application.styleSheet() != sheet:
            application.setPalette(self.theme.palette())
            application.setStyleSheet(sheet)

    # --- commands of the frame itself ---------------------------------------------------------

    def switch_theme(self) -> None:
        self.theme = DAY if self.theme is NIGHT else NIGHT
        self._lay_on_theme()
        self.desk.set_theme(self.theme)

    def larger_text(self) -> None:
        self._step_text(1)

    def smaller_text(self) -> None:
        self._step_text(-1)

    def _step_text(self, step: int) -> None:
        at = TEXT_SIZES.index(text_size()) + step
        if 0 <= at < len(TEXT_SIZES):
            set_text_size(TEXT_SIZES[at])
            QApplication.setFont(font())
            self._lay_on_theme()
            self.desk.set_theme(self.theme)  # what paints its own words does so anew

    def find_command(self) -> None:
        self.finder.setFocus()
        self.finder.selectAll()

    def show_help(self) -> None:
        """What the thing under the pointer is for, where it stands."""
        at = QCursor.pos()
        widget = focus_help(QApplication.widgetAt(at) or QApplication.focusWidget())
        if widget is not None and widget is QApplication.focusWidget():
            at = widget.mapToGlobal(QPoint(widget.width() // 2, widget.height()))
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

    # --- events -----------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self._was_seen:
            self._was_seen = True
            QTimer.singleShot(0, self.seen.emit)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._stands:
            self.desk.fit_to(self.width(), self.height())

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        self.desk.drag_over(event)

    def dropEvent(self, event: QDropEvent) -> None:
        self.desk.drop(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._stands:
            if (self.desk.document.unsaved or self.desk.document.drafts) and not self._closing:
                event.ignore()
                files = self.desk.files
                files.when_saved_or_dropped("Close", lambda: files.when_kept_or_dropped("Close", self._close_now))
                return
            self.commands.stop()
            self.desk.put_away()
            self.desk.keep(self._settings)
        self._settings.setValue("geometry", self.saveGeometry())
        self._settings.setValue("theme", self.theme.name)
        self._settings.setValue("text", text_size())
        event.accept()

    def _close_now(self) -> None:
        self._closing = True
        self.close()
