"""What stands in the window: route above, stage in the middle, tape at the right, findings below."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings, Qt, QTimer
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.finding import Fix
from ledgecliff.core.record.made import of_ticks
from ledgecliff.core.route import scenes_of
from ledgecliff.core.tape.scenes import scene_tape
from ledgecliff.core.tape_lines import Tape
from ledgecliff.store import kernel_process, part_models
from ledgecliff.store.shop import read_shop

from .behind import Behind
from .document import Document
from .file_desk import FileDesk
from .findings_bar import FindingsBar
from .fixture_desk import FixtureDesk
from .following import Following
from .look_round_strip import LookRoundStrip
from .notices import NoticeStrip
from .output_desk import OutputDesk
from .route import Route
from .scene_card import PICTURE
from .shelf_strip import ShelfStrip
from .stage import Stage
from .table_page import TableStrip
from .tape_view import TapeView
from .theme import Theme
from .trying import Trying

#: Windows lower than this fold the route to one line (pixels).
_FOLDED_BELOW = 720


class Desk(QWidget):
    """The views of one document, what is worked out for them, and where files come from."""

    def __init__(self, theme: Theme, window: QWidget) -> None:
        super().__init__()
        self.setObjectName("desk")
        self.document = Document(self)
        self.following = Following(self.document, PICTURE.width(), PICTURE.height())
        self.trying = Trying(self.document)
        self.route = Route(self.document, self.following, theme)
        self.stage = Stage(self.document, theme)
        self.tape = TapeView(theme)
        self.findings = FindingsBar(theme)
        self.notices = NoticeStrip()
        self.look_round = LookRoundStrip(self.document)
        self.table_strip, self.shelf_strip = TableStrip(self.document), ShelfStrip()
        self.files = FileDesk(self.document, self.notices, window)
        self.fixtures = FixtureDesk(self.document, self.files, self.notices)
        self.outputs = OutputDesk(self.document, self.stage, self.files, self.notices)
        self._tape_sized_by_hand = False
        #: Whether a hand wants the route folded; None while the window's height decides.
        self._route_by_hand: bool | None = None
        self._lay_out()
        self._connect()
        self.set_theme(theme)
        self._show_what_there_is()
        QTimer.singleShot(0, self._read_shop)

    def _read_shop(self) -> None:
        try:
            self.document.shop = read_shop()
        except LedgecliffError as error:
            self.notices.say(str(error), bad=True)
        self.stage.shop_desk.look_again()

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
        self.tape.setMinimumWidth(230)
        self._middle = middle
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        above = (self.route, self.table_strip, self.shelf_strip, self.look_round, self.notices)
        strips = tuple((view, 0) for view in above)
        for widget, stretch in (*strips, (middle, 1), (self.findings, 0)):
            column.addWidget(widget, stretch)

    def _tape_was_sized(self) -> None:
        self._tape_sized_by_hand = True

    def fit_to(self, width: int, height: int) -> None:
        """On a small screen the route folds, unless a hand has said how it is to be, and the tape gives up width."""
        if self._route_by_hand is None:
            self.route.fold(height < _FOLDED_BELOW)
        if not self._tape_sized_by_hand:
            tape = max(230, min(width * 10 // 43, 330))
            self._middle.setSizes([width - tape, tape])

    def _fold_by_hand(self, folded: bool) -> None:
        self._route_by_hand = folded

    def restore(self, settings: QSettings) -> None:
        """As it was left."""
        middle = settings.value("middle")
        if middle is not None:
            self._tape_sized_by_hand = self._middle.restoreState(middle)
        if settings.value("route") in ("folded", "open"):
            self._route_by_hand = settings.value("route") == "folded"
            self.route.fold(self._route_by_hand)
        folded = settings.value("folded")
        self.document.folded.update(folded if isinstance(folded, list) else [folded] if folded else [])
        if settings.value("unit") == "in":
            self.document.show_unit("in")

    def keep(self, settings: QSettings) -> None:
        if self._tape_sized_by_hand:
            settings.setValue("middle", self._middle.saveState())
        if self._route_by_hand is not None:
            settings.setValue("route", "folded" if self._route_by_hand else "open")
        settings.setValue("folded", sorted(self.document.folded))
        settings.setValue("unit", self.document.unit)

    def put_away(self) -> None:
        """Ends all that runs or is held for the window."""
        self.following.stop()
        self.trying.stop()
        self.files.wait()
        self.files.drop_copy()
        for each in self._tried():
            each.stop()
        self.stage.rehearse_panel.stop()
        self.stage.budget.stop()
        self.stage.turn_panel.stop()
        self.stage.turn_panel.weighing.stop()
        self.stage.sides_panel.weighing.stop()
        self.stage.solid_view.close_view()
        self.stage.programs_sheet.stop()
        self.stage.register_desk.close()
        self.stage.run_sheet.writing.stop()
        self.stage.run_desk.stop()
        self.stage.backlog_desk.stop()
        self.record.stop()
        self.stage.record_sheet.stop()
        self.stage.shop_desk.reading.stop()
        self.stage.paper_sheet.stop()
        self.stage.at_machine.reading.stop()
        self.stage.at_machine.close()
        self.stage.figures_sheet.reading.stop()

    def _tried(self) -> tuple[Behind, ...]:
        """What lenses have tried behind them."""
        stage = self.stage
        probe = stage.probe_panel
        return stage.cut_panel.adding, probe.adding, probe.cards, stage.datum_panel.comparing

    def set_theme(self, theme: Theme) -> None:
        for view in (self.route, self.stage, self.tape, self.findings):
            view.set_theme(theme)

    def _connect(self) -> None:
        document = self.document
        document.opened.connect(self._show_what_there_is)
        document.plan_changed.connect(self._show_plan)
        document.findings_changed.connect(self._show_findings)
        document.remedies_changed.connect(self._show_remedies)
        self.stage.register_desk.changed.connect(self.following.look_beside_again)
        for each in (self.following, self.trying, *self._tried()):
            each.failed.connect(lambda text: self.notices.say(text, bad=True))
        document.scene_changed.connect(self._show_tape)
        document.rehearsal_changed.connect(self._show_tape)
        document.unit_changed.connect(self._show_unit)
        document.picked_changed.connect(self._show_picked)
        self.stage.picked.connect(document.pick)
        self.stage.canvas.heights_named.connect(self._tell_heights)
        for view in (self.stage, self.route):
            view.refused.connect(lambda text: self.notices.say(text, bad=True))
        self.route.folded_by_hand.connect(self._fold_by_hand)
        self.tape.picked.connect(document.pick)
        self.stage.register_sheet.tape_wanted.connect(self.tape.show_tape)
        self.stage.centre_sheet.tape_wanted.connect(self.tape.show_tape)
        # A sheet is about no scene: what is not its own stands on no paper beside it.
        self.stage.sheet_opened.connect(lambda title: self.tape.show_tape(Tape(title, "nothing picked", ())))
        self.stage.sheet_closed.connect(self._show_tape)
        self.stage.coordinates.tape_changed.connect(self._show_tape)
        self.findings.fix_wanted.connect(self.apply_fix)
        self.findings.setup_wanted.connect(self.show_setup)
        self.stage.view_changed.connect(self._show_what_there_is)
        self.stage.view_changed.connect(self._show_tape)
        self.stage.table_page.tape_changed.connect(self._show_tape)
        self.stage.table_page.refused.connect(lambda text: self.notices.say(text, bad=True))
        self.table_strip.picked.connect(self.stage.table_page.pick)
        self.shelf_strip.wanted.connect(self.stage.open_sheet)
        first = self.stage.first_page
        first.job_wanted.connect(self.files.open)
        self.files.run_wanted.connect(self._open_run)
        self.files.backlog_wanted.connect(self._open_backlog)
        for held in (self.stage.run_desk, self.stage.backlog_desk):
            held.opened.connect(self.files.remember)
        self.record = self.stage.record_desk
        self.record.told.connect(self.notices.say)
        self.record.waits.connect(self.notices.say)
        self.record.failed.connect(lambda why: self.notices.say(why, bad=True))
        self.stage.shop_desk.changed.connect(self.following.look_beside_again)
        self.stage.shop_desk.reading.failed.connect(lambda why: self.notices.say(why, bad=True))
        self.stage.run_desk.ticked.connect(lambda before, after: self.record.keep(of_ticks(before, after)))
        document.rehearsed.connect(self.record.keep_rehearsal)
        self.record.noted.connect(self.following.look_beside_again)
        self.record.send_what_waits()
        first.new_wanted.connect(self.files.new_job)
        first.style_wanted.connect(self._take_style)
        self.stage.sides_panel.order_taken.connect(self.files.plan_order)
        self.stage.hold_panel.fixture_taken.connect(self.fixtures.hold_by)
        self.stage.hold_panel.model_wanted.connect(self.fixtures.ask)
        self.stage.hand_panel.tape_changed.connect(self._show_tape)
        self.stage.hand_panel.print_wanted.connect(self.outputs.write_tape)
        self.stage.turn_panel.pattern_wanted.connect(self.outputs.take_pattern)
        self.stage.turn_panel.outline_wanted.connect(self.outputs.take_outline)

    def _show_what_there_is(self) -> None:
        """Before a job is open there is no route, no paper and nothing to be found; each view has its own strip."""
        is_open, view = self.document.plan is not None, self.stage.view
        for each in (self.tape, self.findings):
            each.setVisible(is_open and view != "run")  # a run has findings and a tape of its own
        self.route.setVisible(is_open and view == "part")
        self.table_strip.setVisible(is_open and view == "table")
        self.shelf_strip.setVisible(view == "shop")
        self.shelf_strip.show_shelf(self.stage.shelf)

    def _open_run(self, path: Path) -> None:
        self.stage.show_view("run")
        self.stage.attempt(lambda: self.stage.run_desk.open(path))

    def _open_backlog(self, path: Path) -> None:
        self.stage.open_sheet("backlog")
        self.stage.attempt(lambda: self.stage.backlog_desk.open(path))

    # --- showing ----------------------------------------------------------------------------

    def _show_plan(self) -> None:
        self.findings.show_checking()
        self._show_tape()

    def _show_findings(self) -> None:
        if self.document.findings is not None:
            self.findings.show_findings(self.document.findings, whole=self.document.beside is not None)
            self.findings.show_remedies(self.document.remedies)
            self._show_tape()  # the rest of it is worked out now

    def _show_station(self) -> None:
        """The station in hand: lit in the strip, worked out on the tape."""
        page = self.stage.table_page
        each, tape = page.panel.in_hand(), page.tape()
        self.table_strip.show_stations(page.panel.stations(), each.station.id if each is not None else "")
        if tape is not None:
            self.tape.show_tape(tape)

    def _show_remedies(self) -> None:
        self.findings.show_remedies(self.document.remedies)

    def _show_tape(self) -> None:
        if self.stage.has_sheet():
            return
        if self.stage.view == "table":
            self._show_station()
            return
        look, lens = self.document.look(self.stage.number()), self.document.lens
        number_in_hand = self.stage.coordinates.tape() if lens == "coordinates" else None
        if number_in_hand is not None:
            self.tape.show_tape(number_in_hand)
        elif look is not None and self.document.lens == "hand":
            self.tape.show_tape(self.stage.hand_panel.tape())
        elif look is not None:
            tape = scene_tape(look, self.document.lens)
            self.tape.show_tape(tape, beside_ladder=self.stage.canvas.names_heights)

    def _tell_heights(self) -> None:
        if self.document.plan is not None and self.document.lens == "hold":
            self._show_tape()

    def _show_picked(self, source: str) -> None:
        self.tape.show_picked(source)
        self._show_tape()

    def _show_unit(self) -> None:
        self.findings.show_unit(self.document.unit)
        self.tape.show_unit(self.document.unit)

    def show_setup(self, name: str) -> None:
        plan = self.document.plan
        if plan is not None:
            index = next((k for k, scene in enumerate(scenes_of(plan)) if scene.title == name), None)
            if index is not None:
                self.document.show_scene(index)

    def _take_style(self, profile: str) -> None:
        """The shop's machine, and with it every new job, is written for so."""
        shop = self.document.shop
        if shop is None:
            return
        machine = shop.machine.model_copy(update={"profile": profile})
        after = shop.model_copy(update={"machine": machine})
        try:
            self.stage.shop_desk.apply("style of programs", lambda _shop: after)
        except LedgecliffError as error:
            self.notices.say(str(error), bad=True)

    def apply_fix(self, fix: Fix) -> None:
        try:
            told = self.document.apply_fix(fix)
        except LedgecliffError as error:
            self.notices.say(str(error), bad=True)
            return
        self.notices.say(f"{told}. Ctrl+Z takes it back." if told else "Done. Ctrl+Z takes it back.")

    # --- dropped files ------------------------------------------------------------------------

    def drag_over(self, event: QDragEnterEvent) -> None:
        path = _dropped(event)
        if path is not None:
            event.acceptProposedAction()
            if path.suffix.lower() in part_models.FORMATS:
                kernel_process.warm_up()  # while it still hangs over the window

    def drop(self, event: QDropEvent) -> None:
        path = _dropped(event)
        if path is not None:
            event.acceptProposedAction()
            self.files.take_dropped(path)


def _dropped(event: QDropEvent) -> Path | None:
    urls = event.mimeData().urls()
    return Path(urls[0].toLocalFile()) if len(urls) == 1 and urls[0].isLocalFile() else None
