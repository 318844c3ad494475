"""What the window's commands do: one method for each that is not of the frame itself (see ``actions``)."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, Qt, QThreadPool
from PySide6.QtGui import QGuiApplication

from ledgecliff import __version__
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.findings.everything import NOTHING_BESIDE
from ledgecliff.core.lenses import BY_KEY, LensKey
from ledgecliff.core.plan import Plan
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.worlds import Worlds, rehearse_in_worlds
from ledgecliff.core.route import scenes_of
from ledgecliff.core.tape_lines import tape_to_paste
from ledgecliff.sheets.about import About
from ledgecliff.sheets.wanted import ALL, KIND_WORDS, Paper, Wanted
from ledgecliff.store import outputs
from ledgecliff.store.demo import demo_job
from ledgecliff.store.printing import print_pdf, printers
from ledgecliff.store.release_wish import Wish
from ledgecliff.store.signed import about_now

from .desk import Desk
from .file_desk import Purpose
from .pieces_desk import PiecesDesk
from .stage import View
from .workers import Work

#: So many trials are rehearsed at once.
TRIALS = 20
#: So many printers are offered.
_PRINTERS = 4


class Commands(QObject):
    """Works on a desk; one long work of its own at a time."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self.document, self.stage, self.tape = desk.document, desk.stage, desk.tape
        self.files, self.outputs, self.notices = desk.files, desk.outputs, desk.notices
        self.pieces = PiecesDesk(desk.document, desk.notices, desk.files)
        self._look_round = desk.look_round
        self._findings, self._route = desk.findings, desk.route
        self._pool = QThreadPool(self)
        self._work: Work | None = None
        #: Kept while it runs; Qt would drop it.
        self._proposing: Work | None = None
        self.stage.first_page.look_round_wanted.connect(self.look_round)
        self.stage.first_page.import_wanted.connect(self.import_model)
        self.stage.first_page.open_wanted.connect(self.open_file)
        self.stage.sides_panel.proposal_wanted.connect(self.propose)
        self.stage.probe_panel.cards_wanted.connect(self.write_cards)
        self.stage.hand_panel.hover_wanted.connect(self.show_hover)
        self.stage.turn_panel.drawings_wanted.connect(self.write_drawings)
        self.stage.rehearse_panel.run_wanted.connect(self.rehearse)
        self.stage.rehearse_panel.many_wanted.connect(self.rehearse_many)
        self.stage.release_panel.read_back_wanted.connect(self.read_back)
        self.stage.release_panel.programs_wanted.connect(self.write_programs)
        self.stage.release_panel.sheet_wanted.connect(self.write_sheet)
        self.stage.paper_sheet.write_wanted.connect(self.write_sheet)
        self.stage.paper_sheet.print_wanted.connect(self.print_sheet)
        self.stage.paper_sheet.told.connect(self.notices.say)
        self.stage.release_sheet.release_wanted.connect(self.release)
        self.stage.at_machine.task_done.connect(self._task_done)
        self.stage.release_sheet.compare_wanted.connect(self.compare_release)

    def stop(self) -> None:
        """Cancels what runs and waits for its end."""
        if self._work is not None:
            self._work.cancel()
        self._pool.waitForDone()

    def busy(self) -> bool:
        return self._work is not None

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

    def import_fixture_model(self) -> None:
        self._import("fixture")

    def _import(self, purpose: Purpose) -> None:
        path = self.files.ask_model()
        if path is not None:
            self.files.import_model(path, purpose)

    def new_job(self) -> None:
        self.files.new_job()

    def open_demo(self) -> None:
        self.files.open(demo_job("float-housing"))

    def look_round(self) -> None:
        """Goes on where it was left, on the demo that is open, or begins on a fresh one."""
        demo = demo_job("float-housing")
        if self.document.path == demo:
            self._look_round.go_on()
            return
        self.document.opened.connect(self._begin_round, Qt.ConnectionType.SingleShotConnection)
        self.files.open(demo)

    def _begin_round(self) -> None:
        if self.document.path == demo_job("float-housing"):
            self._look_round.begin()

    def save(self) -> None:
        self.files.save()

    def save_as(self) -> None:
        self.files.save_as()

    def undo(self) -> None:
        """Of what is looked at: a run, a backlog, or the job."""
        desk = self.stage.written_desk()
        if desk is None:
            self.document.undo_stack.undo()
        else:
            self.stage.attempt(desk.undo)

    def redo(self) -> None:
        desk = self.stage.written_desk()
        if desk is None:
            self.document.undo_stack.redo()
        else:
            self.stage.attempt(desk.redo)

    def copy_tape(self) -> None:
        QGuiApplication.clipboard().setText(tape_to_paste(self.tape.whole, self.document.unit))

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

    def show_lens(self, lens: LensKey) -> None:
        """A lens of a setup or of the stock; from another scene the nearest that has it comes to the stage."""
        plan, scene = self.document.plan, self.document.scene
        if plan is None or scene is None:
            return
        self.stage.show_view("part")
        scenes = BY_KEY[lens].scenes
        if scene.kind not in scenes and "stock" in scenes:
            self.document.show_scene(0)
        elif scene.kind not in scenes:
            wanted = scene.setup if scene.setup is not None else 0 if scene.kind == "stock" else len(plan.setups) - 1
            self.document.show_setup(wanted)
        self.document.show_lens(lens)

    def show_view(self, view: View) -> None:
        self.stage.show_view(view)

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
        plan, by_cards = self.document.plan, self.stage.rehearse_panel.is_by_cards()
        if plan is None or self._work is not None:
            return
        self._start(
            f"Rehearsing trial {seed}…",
            lambda progress, cancelled: rehearse(
                written := written_plan(plan, by_cards=by_cards), drawn_world(written, seed), progress, cancelled
            ),
            self._while_at(plan, self.document.set_rehearsal),
        )

    def rehearse_many(self) -> None:
        """Many trials in a worker, the first of them as the panel has it."""
        plan = self.document.plan
        if plan is None or self._work is not None:
            return
        first, by_cards = self.stage.rehearse_panel.seed_value(), self.stage.rehearse_panel.is_by_cards()
        seeds = range(first, first + TRIALS)
        self._start(
            f"Rehearsing trials {first} to {first + TRIALS - 1}…",
            lambda progress, cancelled: rehearse_in_worlds(
                written_plan(plan, by_cards=by_cards), seeds, progress, cancelled
            ),
            self._while_at(plan, self._show_worlds),
        )

    def _show_worlds(self, worlds: Worlds) -> None:
        """The first trial that went wrong is the one to be rehearsed next."""
        if worlds.first_wrong is not None:
            self.stage.rehearse_panel.seed.setText(str(worlds.first_wrong))
        self.document.set_worlds(worlds)

    def read_back(self, setup_index: int) -> None:
        """Runs a setup's probing programs against the plan in a worker, each stop driven once."""
        plan = self.document.plan
        if plan is None or self._work is not None:
            return
        self._start(
            "Reading the programs back…",
            lambda progress, cancelled: read_back(plan, setup_index, progress, cancelled),
            self._while_at(plan, partial(self.stage.release_panel.show_read_back, setup_index)),
        )

    def _start(
        self,
        words: str,
        function: Callable[[Callable[[int, int], None], Callable[[], bool]], Any],
        done: Callable[[Any], None],
    ) -> None:
        """The one long work at a time, with its progress among the notices."""
        self._work = work = Work(function)
        work.progress.connect(self.notices.set_progress)
        work.failed.connect(lambda text: self.notices.say(text, bad=True))
        work.ended.connect(self._worked)
        work.done.connect(done)
        self.notices.show_busy(words, work.cancel)
        work.start(self._pool)

    def _while_at(self, plan: Plan, show: Callable[[Any], None]) -> Callable[[Any], None]:
        """What is worked out for a plan counts for no other."""
        return lambda result: show(result) if self.document.plan is plan else None

    def _worked(self) -> None:
        self._work = None
        if self.notices.progress.isVisible():
            self.notices.hide()

    def write_programs(self) -> None:
        self.outputs.write_programs()

    def take_along(self) -> None:
        self.pieces.take()

    def put_in(self) -> None:
        self.pieces.put_in()

    def begin_alike(self) -> None:
        self.pieces.begin_alike()

    def write_cards(self) -> None:
        """Of the setup on the stage."""
        self.outputs.write_cards()

    def write_drawings(self) -> None:
        self.outputs.write_drawings()

    def write_sheet(self, kind: str = "setup", wanted: Wanted = ALL, paper: Paper = "A4") -> None:
        plan, words = self.document.plan, KIND_WORDS[kind]
        if plan is None or self._work is not None:
            return
        suggested = self.files.folder() / f"{words.lower().replace(' ', '-')}.pdf"
        chosen = self.files.ask_save(suggested, "Sheets (*.pdf *.html)")
        if chosen is None:
            return
        beside, about, unit = self.document.beside or NOTHING_BESIDE, self._about(paper), self.document.unit
        self._start(
            f"Writing {chosen.name}…",
            lambda _progress, _cancelled: outputs.write_sheet(plan, chosen, beside, about, kind, unit, wanted),
            lambda path: self.notices.say(f"{words} written to {path}."),
        )

    def print_sheet(self, kind: str = "setup", wanted: Wanted = ALL, paper: Paper = "A4") -> None:
        """On one of the computer's printers; asked for where there are several."""
        names = printers()
        if not names:
            self.notices.say(
                "No printer is set up on this computer. Write the sheet as a PDF instead (Ctrl+P).", bad=True
            )
        elif len(names) == 1:
            self._print_on(names[0], kind, wanted, paper)
        else:
            answers = [(name, partial(self._print_on, name, kind, wanted, paper)) for name in names[:_PRINTERS]]
            self.notices.say(f"Print the {KIND_WORDS[kind].lower()} on which printer?", *answers)

    def _print_on(self, printer: str, kind: str, wanted: Wanted, paper: Paper) -> None:
        plan, beside, unit = self.document.plan, self.document.beside, self.document.unit
        if plan is None or self._work is not None:
            return
        about = self._about(paper)

        def work(_progress: object, _cancelled: object) -> None:
            from ledgecliff.sheets.page import print_page  # slow to import

            html = outputs.sheet_of(plan, kind, unit, beside or NOTHING_BESIDE, about, wanted)
            print_pdf(print_page(html), printer, plan.job.title)

        sent = f"The {KIND_WORDS[kind].lower()} is sent to {printer}."
        self._start(f"Printing on {printer}…", work, lambda _none: self.notices.say(sent))

    def release(self, by: str, setups: list[int], reasons: dict[str, str], paper: Paper) -> None:
        """Into a folder that is asked for."""
        document, plan = self.document, self.document.plan
        if plan is None or self._work is not None:
            return
        folder = self.files.ask_folder()
        if folder is None:
            return
        wish = Wish(
            by, setups, reasons, document.beside or NOTHING_BESIDE, document.rehearsal, document.worlds, paper,
            document.unit,
        )  # fmt: skip
        beside_job = document.path.parent if document.path is not None else None

        def work(_progress: object, _cancelled: object) -> str:
            from ledgecliff.store.release_files import write_release

            release, waits = write_release(plan, beside_job, folder, wish)
            told = [f"Released into {folder}, seal {release.seal[:12]}:", *(each.name for each in release.files)]
            return "\n".join([*told, *release.proof, *([waits] if waits else [])])

        self._start(f"Releasing into {folder.name}…", work, self._released)

    def _released(self, words: str) -> None:
        self.stage.record_desk.noted.emit()
        self.stage.release_sheet.show_words(words)
        self.notices.say(words.partition(":\n")[0] + ".")

    def walk_at_machine(self) -> None:
        """The checklist of the setup on the stage, on a window of its own."""
        plan, scene = self.document.plan, self.document.scene
        if plan is None or scene is None or scene.setup is None:
            self.notices.say("A checklist is of a setup: show one first.", bad=True)
            return
        self.stage.at_machine.begin(plan, scene.setup)

    def _task_done(self, setup: str, task: str) -> None:
        job = self.document.job
        if job is not None:
            try:
                self.stage.run_desk.tick_task(job.id, setup, task)
            except LedgecliffError as error:
                self.notices.say(str(error), bad=True)

    def compare_release(self) -> None:
        folder, plan = self.files.ask_folder(), self.document.plan
        if folder is None or self._work is not None:
            return

        def work(_progress: object, _cancelled: object) -> str:
            from ledgecliff.store.release_folder import read_release, verify_release

            release = read_release(folder)
            of_this = plan if plan is not None and plan.job.id == release.job else None
            told = verify_release(folder, of_this)
            head = f"{folder}: '{release.title}', {', '.join(release.setups)}, by {release.by}, {release.at[:16]}"
            return "\n".join([head, *(told or ["As it was released."])])

        self._start(f"Comparing {folder.name}…", work, self.stage.release_sheet.show_words)

    def _about(self, paper: Paper) -> About:
        document = self.document
        where = document.path.name if document.path else "new job"
        state = f"{where}, {'not saved' if document.unsaved else 'saved'}"
        return about_now(state, document.rehearsal, document.worlds, paper)

    def switch_unit(self) -> None:
        self.document.show_unit("in" if self.document.unit == "mm" else "mm")

    def fold_groups(self) -> None:
        self.stage.panels[self.stage.panel_key()].fold_all()

    def fold_route(self) -> None:
        self._route.toggle_fold()

    def toggle_findings(self) -> None:
        self._findings.toggle_list()

    def show_about(self) -> None:
        self.notices.say(
            f"Ledgecliff {__version__}. The typeface B612 ships under the SIL Open Font License; demo data is invented."
        )
