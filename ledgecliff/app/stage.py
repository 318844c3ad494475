"""The stage: the picked scene through the picked lens, drawing beside panel."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPixmap, QResizeEvent, QUndoStack
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ledgecliff.core.changing import set_value
from ledgecliff.core.comparing_zeros import ZeroCandidate
from ledgecliff.core.drawing.items import Drawing
from ledgecliff.core.drawing.paths import u_path, with_path
from ledgecliff.core.drawing.proposed_zero import with_proposed_zero
from ledgecliff.core.drawing.scene_bodies import scene_solids
from ledgecliff.core.drawing.stage import scene_views
from ledgecliff.core.drawing.turn_play import play_moment
from ledgecliff.core.drawing.turn_views import turn_moment
from ledgecliff.core.edits.placing import Draggable, Placed, draggables, draggables_of_turn, place, place_on_turn
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.lenses import LENSES, LensKey
from ledgecliff.core.model.job import Job
from ledgecliff.core.quantities import Unit, format_length, spell
from ledgecliff.core.turns.turn_plan import turns_of

from .at_machine import AtMachine
from .axes_sheet import AxesSheet
from .backlog_desk import BacklogDesk
from .backlog_sheet import BacklogSheet
from .canvas import Canvas, Ghost
from .centre_sheet import CentreSheet
from .document import Document
from .figures_sheet import FiguresSheet
from .first_page import FirstPage
from .flow_sheet import FlowSheet
from .keys_sheet import KeysSheet
from .lenses.base import LensPanel
from .lenses.bench import BenchPanel
from .lenses.budget import BudgetLens
from .lenses.coordinates import CoordinatesLens
from .lenses.cut import CutPanel
from .lenses.hand import HandPanel
from .lenses.hold import HoldPanel
from .lenses.part import PartPanel
from .lenses.plain import DatumPanel, FinishedPanel
from .lenses.probe import ProbePanel
from .lenses.rehearse import RehearsePanel
from .lenses.release import ReleasePanel
from .lenses.sides import SidesPanel
from .lenses.stock import StockPanel
from .lenses.turn import TurnPanel
from .paper_sheet import PaperSheet
from .profile_sheet import ProfileSheet
from .programs_sheet import ProgramsSheet
from .record_desk import RecordDesk
from .record_sheet import RecordSheet
from .register_desk import RegisterDesk
from .register_sheet import RegisterSheet
from .release_sheet import ReleaseSheet
from .run_desk import RunDesk
from .run_sheet import RunSheet
from .sheet import Sheet
from .shelf_strip import SHELVES
from .shop_desk import ShopDesk
from .shop_sheet import ShopSheet
from .solid_view import SolidView
from .table_page import TablePage
from .theme import Theme
from .tool_sheet import ToolSheet
from .touch_desk import TouchDesk
from .written_desk import WrittenDesk

#: A stage at least so wide shows drawing, solid view and fields side by side (pixels).
_ROOM_FOR_ALL = 1200


View = Literal["part", "table", "run", "shop"]
#: The sheets of the Run view, the run itself first.
_OF_A_RUN = ("run", "flow", "backlog")
#: What is dragged comes to lie on this grid (mm), by the unit that is shown.
_GRID: dict[Unit, float] = {"mm": 0.5, "in": 0.254}


class Stage(QWidget):
    picked = Signal(str)
    #: What the core refused of a drag.
    refused = Signal(str)
    #: A sheet comes over the stage: its title; and it is put away.
    sheet_opened = Signal(str)
    sheet_closed = Signal()
    #: Another view of the work, or another shelf of the shop.
    view_changed = Signal()

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document = document
        self.canvas = Canvas(theme)
        self.canvas.picked.connect(self.picked)
        self.canvas.dragged.connect(self._show_drag)
        self.canvas.dropped.connect(self._drop)
        self.register_desk = RegisterDesk(document)
        self.rehearse_panel = RehearsePanel(document, self.register_desk)
        self.release_panel = ReleasePanel(document)
        self.sides_panel = SidesPanel(document)
        self.turn_panel = TurnPanel(document)
        self.hold_panel = HoldPanel(document)
        self.cut_panel = CutPanel(document)
        self.datum_panel = DatumPanel(document)
        self.probe_panel = ProbePanel(document)
        self.hand_panel = HandPanel(document, TouchDesk(document, self.register_desk))
        self.panels: dict[str, LensPanel] = {
            "part": PartPanel(document),
            "stock": StockPanel(document, theme),
            "sides": self.sides_panel,
            "bench": BenchPanel(document),
            "turn": self.turn_panel,
            "finished": FinishedPanel(document),
            "hold": self.hold_panel,
            "cut": self.cut_panel,
            "datum": self.datum_panel,
            "probe": self.probe_panel,
            "hand": self.hand_panel,
            "rehearse": self.rehearse_panel,
            "release": self.release_panel,
        }
        self.coordinates = CoordinatesLens(document)
        self.coordinates.picked.connect(self.picked)
        self.budget = BudgetLens(document, theme)
        self.budget.picked.connect(self.picked)
        self._panel_stack = QStackedWidget()
        for panel in self.panels.values():
            self._panel_stack.addWidget(panel)
        self._board = QSplitter(Qt.Orientation.Horizontal)
        self.program = QPlainTextEdit()
        self.program.setObjectName("program")
        self.program.setReadOnly(True)
        self.program.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.program.setAccessibleName("Program text")
        self._sheet = QStackedWidget()
        self.solid_view = SolidView(theme)
        self.solid_view.hide()
        self._views = QSplitter(Qt.Orientation.Horizontal)
        self._views.addWidget(self.canvas)
        self._views.addWidget(self.solid_view)
        self._views.setChildrenCollapsible(False)
        self._sheet.addWidget(self._views)
        self._sheet.addWidget(self.program)
        self._board.addWidget(self._sheet)
        self._board.addWidget(self._panel_stack)
        self._board.setStretchFactor(0, 1)
        self._board.setStretchFactor(1, 0)
        self._board.setChildrenCollapsible(False)
        self.first_page = FirstPage()
        self._empty = self.first_page
        self._pages = QStackedWidget()
        self.shop_desk = ShopDesk(document)
        self.shop_sheet = ShopSheet(document, self.shop_desk)
        self.profile_sheet = ProfileSheet(document, theme)
        self.register_sheet = RegisterSheet(document, self.register_desk)
        self.programs_sheet = ProgramsSheet(document, self.register_desk)
        self.tool_sheet = ToolSheet(document)
        self.record_desk = RecordDesk(document)
        self.record_sheet = RecordSheet(document, self.record_desk, theme)
        self.paper_sheet = PaperSheet(document, self.record_desk)
        self.release_sheet = ReleaseSheet(document)
        self.figures_sheet = FiguresSheet(document)
        self.at_machine = AtMachine(document, self.record_desk, theme)
        self.run_desk = RunDesk(document)
        self.run_sheet = RunSheet(document, self.run_desk, theme)
        self.flow_sheet = FlowSheet(self.run_desk, theme)
        self.backlog_desk = BacklogDesk(document)
        self.backlog_sheet = BacklogSheet(self.backlog_desk, theme)
        self.run_sheet.backlog_wanted.connect(lambda: self.open_sheet("backlog"))
        self.run_sheet.flow_wanted.connect(lambda: self.open_sheet("flow"))
        self.centre_sheet, self.axes_sheet = CentreSheet(document), AxesSheet(document)
        self.sheets: dict[str, Sheet] = {
            "shop": self.shop_sheet,
            "profile": self.profile_sheet,
            "register": self.register_sheet,
            "record": self.record_sheet,
            "paper": self.paper_sheet,
            "release": self.release_sheet,
            "figures": self.figures_sheet,
            "programs": self.programs_sheet,
            "tools": self.tool_sheet,
            "centre": self.centre_sheet,
            "axes": self.axes_sheet,
            "run": self.run_sheet,
            "flow": self.flow_sheet,
            "backlog": self.backlog_sheet,
            "keys": KeysSheet(),
        }
        self._over: Sheet | None = None
        self.table_page = TablePage(document, theme)
        #: Which view is on the stage, the one that the shop's shelves give way to, and which of those lies there.
        self.view: View = "part"
        self._before: View = "part"
        self.shelf = SHELVES[0][0]
        for page in (self._empty, self._board, self.coordinates, self.budget, self.table_page, *self.sheets.values()):
            self._pages.addWidget(page)
        for sheet in self.sheets.values():
            sheet.closed.connect(self.close_sheet)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.lens_bar = self._tab_bar()
        self.lens_bar.hide()
        column.addWidget(self.lens_bar)
        column.addWidget(self._pages, 1)
        #: A zero that is looked at before it is taken.
        self._proposed: ZeroCandidate | None = None
        self.table_page.panel.centre_wanted.connect(self._find_centre)
        self.table_page.panel.steps_wanted.connect(lambda: self.open_sheet("axes"))
        self.axes_sheet.page_wanted.connect(self._find_centre)
        self.datum_panel.zero_looked_at.connect(self._propose)
        self.rehearse_panel.ball_moved.connect(self._show_ball)
        self.turn_panel.moment_shown.connect(self.show_moment)
        self.turn_panel.play_shown.connect(self.show_play)
        self.turn_panel.ended.connect(self.refresh)
        self.release_panel.release_wanted.connect(lambda: self.open_sheet("release"))
        self.release_panel.kind_changed.connect(self._show_program)
        self.release_panel.profile_wanted.connect(lambda: self.open_sheet("profile"))
        document.plan_changed.connect(self.refresh)
        document.scene_changed.connect(self._show_part)
        document.opened.connect(self._put_sheet_away)
        document.unit_changed.connect(self.refresh)
        document.rehearsal_changed.connect(self.refresh)
        document.picked_changed.connect(self._show_picked)

    def _tab_bar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("desk")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(bar)
        row.setContentsMargins(10, 4, 12, 0)
        row.setSpacing(2)
        self.tabs: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for lens in LENSES:
            tab = QPushButton(lens.words)
            tab.setCheckable(True)
            tab.setProperty("tab", True)
            tab.setToolTip(f"{lens.tip} ({lens.shortcut})" if lens.shortcut else lens.tip)
            tab.clicked.connect(lambda _checked=False, key=lens.key: self._look_through(key))
            group.addButton(tab)
            self.tabs[lens.key] = tab
            row.addWidget(tab)
        row.addStretch(1)
        self.caption = QLabel()
        self.caption.setTextFormat(Qt.TextFormat.PlainText)
        self.caption.setProperty("quiet", True)
        row.addWidget(self.caption)
        return bar

    def _look_through(self, lens: LensKey) -> None:
        self._document.show_lens(lens)
        self.refresh()

    # --- what is shown --------------------------------------------------------------------

    def panel_key(self) -> str:
        """The panel that belongs to scene and lens."""
        scene = self._document.scene
        lens = self._document.lens
        return "finished" if scene is None else lens if lens in self.panels else scene.kind

    def show_view(self, view: View) -> None:
        """The part's journey, what stands on the machine, or the shop with the shelf that was looked at last."""
        if view == "shop":
            self.open_sheet(self.shelf)
            return
        if view == "run":
            self.open_sheet("run")
            return
        self._put_sheet_away()
        self.view = self._before = view
        self.view_changed.emit()
        self.refresh()

    def _show_part(self) -> None:
        self.show_view("part")

    def _find_centre(self, axis: str, title: str = "") -> None:
        self.centre_sheet.of_axis(axis, title)
        self.open_sheet("centre")

    def open_sheet(self, name: str) -> None:
        """A sheet over the stage, until it is closed or another scene is picked; a shelf's is the shop's view."""
        self._put_sheet_away()
        self._over = self.sheets[name]
        if name in dict.fromkeys(shelf for shelf, _, _ in SHELVES):
            self.view, self.shelf = "shop", name
            self.view_changed.emit()
        elif name in _OF_A_RUN:
            self.view = "run"
            self.view_changed.emit()
        self._pages.setCurrentWidget(self._over)
        self.sheet_opened.emit(self._over.title.text())
        self._over.open()
        self.lens_bar.hide()  # none is looked through meanwhile
        self._over.setFocus()

    def undo_stack(self) -> QUndoStack:
        """Of what is looked at: a backlog, a run, or the job."""
        desk = self.written_desk()
        return self._document.undo_stack if desk is None else desk.undo_stack

    def written_desk(self) -> WrittenDesk | None:
        """What is looked at where that is a document beside the jobs."""
        if self.view != "run":
            return None
        return self.backlog_desk if self._over is self.backlog_sheet else self.run_desk

    def attempt(self, action: Callable[[], object]) -> None:
        """What a hand asks for of the sheet that lies over the stage, which says what is refused."""
        assert self._over is not None, "asked while a sheet is looked at"
        self._over.attempt(action)

    def has_sheet(self) -> bool:
        """Whether a sheet lies over the scene, which then is not what is looked at."""
        return self._over is not None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape puts a sheet away, unless something on it has a use for it."""
        if event.key() == Qt.Key.Key_Escape and self._over is not None:
            self.close_sheet()
            return
        super().keyPressEvent(event)

    def close_sheet(self) -> None:
        """Back to what it lay over."""
        beside_run = any(self._over is self.sheets[name] for name in _OF_A_RUN[1:])
        self.show_view("run" if beside_run else self._before)

    def _put_sheet_away(self) -> None:
        if self._over is not None:
            self._over.put_away()
            self._over = None
            self.sheet_closed.emit()

    def refresh(self) -> None:
        if self._over is not None:
            self._over.refresh()
            return
        plan, scene = self._document.plan, self._document.scene
        if plan is None or scene is None:
            self._pages.setCurrentWidget(self._empty)
            return
        if self.view == "table":
            self.lens_bar.hide()
            self.table_page.refresh()
            self._pages.setCurrentWidget(self.table_page)
            return
        self.lens_bar.show()
        for lens in LENSES:
            self.tabs[lens.key].setVisible(scene.kind in lens.scenes)
            self.tabs[lens.key].setChecked(lens.key == self._document.lens)
        words = (scene.title, spell(scene.caption, self._document.unit), scene.detail)
        self.caption.setText(" · ".join(part for part in words if part))
        if self._document.lens == "coordinates":
            self.coordinates.refresh()
            self._pages.setCurrentWidget(self.coordinates)
            return
        if self._document.lens == "budget":
            self.budget.refresh()
            self._pages.setCurrentWidget(self.budget)
            return
        if self._document.lens != "datum":
            self._document.light(frozenset())  # a link of a chain is looked at there
        self._pages.setCurrentWidget(self._board)
        panel = self.panels[self.panel_key()]
        panel.refresh()
        self._panel_stack.setCurrentWidget(panel)
        if panel is self.release_panel:
            self._show_program()
            return
        self._sheet.setCurrentWidget(self._views)
        self.canvas.unit = self._document.unit
        self._draw()
        self.canvas.draggables = self._draggables()
        self._show_solids()

    def _draw(self) -> None:
        look, lens = self._document.look(self.number()), self._document.lens
        assert look is not None, "there is a plan"
        views: tuple[Drawing, ...] = scene_views(look, lens)
        playback = self.rehearse_panel.playback() if lens == "rehearse" else None
        if playback is not None:
            views = with_path(views, playback.moves())
        if lens == "datum" and self._proposed is not None:
            views = with_proposed_zero(views, self._proposed.axis, self._proposed.moves)
        self.canvas.show_drawings(views)

    def _propose(self, zero: ZeroCandidate | None) -> None:
        if zero is not self._proposed:
            self._proposed = None if zero is None or zero.why_not else zero
            if self._document.plan is not None and self._document.lens == "datum":
                self._draw()

    def number(self) -> int:
        """The operation, or through the probe lens the step, that is on the stage."""
        if self._document.lens != "probe":
            return self._document.operation
        chosen = self.probe_panel.chosen()
        return 0 if chosen is None else chosen

    def _place(self, name: str, x: float, y: float) -> Placed | None:
        plan, scene = self._document.plan, self._document.scene
        if plan is None or scene is None or scene.setup is None:
            return None
        if scene.kind == "turn":
            return place_on_turn(turns_of(plan)[scene.setup - 1], name, (x, y), _GRID[self._document.unit])
        return place(plan.setups[scene.setup], name, (x, y), _GRID[self._document.unit])

    def _draggables(self) -> tuple[Draggable, ...]:
        plan, scene = self._document.plan, self._document.scene
        if plan is None or scene is None or scene.setup is None:
            return ()
        if scene.kind == "turn":
            return draggables_of_turn(turns_of(plan)[scene.setup - 1])
        return draggables(plan.setups[scene.setup]) if self._document.lens == "hold" else ()

    def _show_drag(self, name: str, x: float, y: float) -> None:
        placed = self._place(name, x, y)
        thing = next((thing for thing in self.canvas.draggables if thing.name == name), None)
        if placed is not None and thing is not None:
            dx, dy = placed.moved
            low, high = (thing.low[0] + dx, thing.low[1] + dy), (thing.high[0] + dx, thing.high[1] + dy)
            numbers = ", ".join(
                f"{path[-1]} {format_length(value, self._document.unit, sign=True)}" for path, value in placed.values
            )
            words = f"{numbers}   {spell(placed.words, self._document.unit)}".strip()
            self.canvas.show_ghost(Ghost(low, high, words, placed.outlines))

    def _drop(self, name: str, x: float, y: float) -> None:
        placed = self._place(name, x, y)
        if placed is None:
            return

        def moved(job: Job) -> Job:
            for path, value in placed.values:
                job = set_value(job, path, value)
            return job

        try:
            self._document.apply(f"place of the {name}", moved)
        except LedgecliffError as error:
            self.refused.emit(str(error))
        self.canvas.update()

    def show_solid_view(self, wanted: bool) -> None:
        """The solid view beside the drawing, or away; made when it is first wanted."""
        self.solid_view.setVisible(wanted)
        self._make_room()
        self._show_solids()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _make_room(self) -> None:
        """On a narrow stage drawing and solid view need the room of the fields, which come back without it."""
        solid = not self.solid_view.isHidden()
        self._panel_stack.setVisible(not solid or self.width() >= _ROOM_FOR_ALL)
        if solid:
            whole = self._views.width()
            self._views.setSizes([whole * 55 // 100, whole * 45 // 100])

    def _show_solids(self) -> None:
        plan, scene = self._document.plan, self._document.scene
        if plan is not None and scene is not None and not self.solid_view.isHidden():
            solids = scene_solids(plan, scene, self._document.lens, self._document.operation)
            self.solid_view.show_solids(solids, self._document.unit)
            playback = self.rehearse_panel.playback() if self._document.lens == "rehearse" else None
            self.solid_view.show_path(u_path(plan, scene, playback))

    def show_moment(self, share: float) -> None:
        """A moment of the turn on the stage, in the drawing and in the solid view."""
        plan, scene = self._document.plan, self._document.scene
        if plan is None or scene is None or scene.kind != "turn" or scene.setup is None:
            return
        moment = turn_moment(plan, scene.setup, share)
        self.canvas.show_drawings((moment.drawing,))
        if not self.solid_view.isHidden():
            self.solid_view.turn_to(moment.matrix)

    def show_play(self, share: float) -> None:
        """A moment of the seated part at the limits of its play."""
        plan, scene = self._document.plan, self._document.scene
        if plan is not None and scene is not None and scene.kind == "turn" and scene.setup is not None:
            drawing = play_moment(turns_of(plan)[scene.setup - 1], share)
            if drawing is not None:
                self.canvas.show_drawings((drawing,))

    def picture(self) -> QPixmap:
        """The stage's drawing, with the solid view beside it where that is shown."""
        if self.solid_view.isHidden():
            return self.canvas.grab()
        drawing, solid = self.canvas.grab(), self.solid_view.picture()
        both = QPixmap(drawing.width() + solid.width(), max(drawing.height(), solid.height()))
        both.fill(self.canvas.theme.color("paper"))
        painter = QPainter(both)
        painter.drawPixmap(0, 0, drawing)
        painter.drawImage(drawing.width(), 0, solid)
        painter.end()
        return both

    def _show_program(self) -> None:
        text = self.release_panel.program_text()
        if text != self.program.toPlainText():
            self.program.setPlainText(text)
        self._sheet.setCurrentWidget(self.program)

    def _show_picked(self, source: str) -> None:
        self.canvas.picked_source = source
        scene = self._document.scene
        if self._document.lens in ("part", "probe") or (scene is not None and scene.kind == "turn"):
            self.refresh()  # the list, the fields and the drawing all follow what is picked
        self.canvas.update()

    def _show_ball(self, moment: object) -> None:
        machine = self._document.machine
        if moment is None or machine is None:
            self.canvas.hide_ball()
            return
        x, y, z = moment.w_ball  # type: ignore[attr-defined]
        self.canvas.show_ball((x, y), (x, z), machine.probe.ball_radius)

    def set_theme(self, theme: Theme) -> None:
        self.canvas.theme = theme
        self.canvas.update()
        self.solid_view.set_theme(theme)
        self.profile_sheet.theme = theme
        self.budget.set_theme(theme)
        self.run_sheet.set_theme(theme)
        self.flow_sheet.set_theme(theme)
        self.backlog_sheet.set_theme(theme)
        self.record_sheet.set_theme(theme)
        self.at_machine.set_theme(theme)
        self.table_page.set_theme(theme)
        for panel in self.panels.values():
            panel.fit_text()
