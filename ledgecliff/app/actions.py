"""Every command as one table; menus, shortcuts and the command finder are built from it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ledgecliff.core.lenses import LENSES, Lens, lenses_of

Menu = Literal["Job", "Edit", "Scene", "View", "Help"]
MENUS: tuple[Menu, ...] = ("Job", "Edit", "Scene", "View", "Help")


@dataclass(frozen=True)
class ActionSpec:
    """``handler`` names a method of ``Commands``, or of the window itself, called with the ``argument`` if there is
    one; ``needs_job`` greys it out on an empty stage."""

    id: str
    text: str
    tip: str
    menu: Menu
    handler: str
    shortcut: str = ""
    needs_job: bool = True
    separator_before: bool = False
    argument: str = ""
    of_window: bool = False


def _of_lens(lens: Lens) -> ActionSpec:
    """A line stands before the first lens of each kind of scene."""
    first = lenses_of(lens.scenes[0])[0] is lens
    return ActionSpec(
        lens.key, lens.words, lens.tip, "Scene", "show_lens", lens.shortcut, separator_before=first, argument=lens.key
    )


ACTIONS: tuple[ActionSpec, ...] = (
    ActionSpec("open", "Open…", "Open a job file", "Job", "open_file", "Ctrl+O", needs_job=False),
    ActionSpec("import", "Import a model…", "A new job from a STEP or STL file", "Job", "import_model", "Ctrl+I",
               needs_job=False),
    ActionSpec("new", "New job without a model", "A block or bar entered by its dimensions", "Job", "new_job", "Ctrl+N",
               needs_job=False),
    ActionSpec("demo", "Open the demo", "Open the float housing of the Brackwater Tide Works", "Job", "open_demo", "",
               needs_job=False),
    ActionSpec("reimport", "Import a changed model…", "Another version of the model; names and operations stay", "Job",
               "import_changed_model", "Ctrl+Shift+I", separator_before=True),
    ActionSpec("stock_model", "Use a model as stock…", "Stock that is a model itself, such as a casting", "Job",
               "import_stock_model", ""),
    ActionSpec("fixture_model", "Hold by a fixture from a model…", "A fixture of your own, from STEP or STL", "Job",
               "import_fixture_model", ""),
    ActionSpec("template", "Begin a new job like this…", "A copy of its own, saved elsewhere, for another model",
               "Job", "begin_alike", ""),
    ActionSpec("save", "Save", "Save the job", "Job", "save", "Ctrl+S", separator_before=True),
    ActionSpec("save_as", "Save as…", "Save the job and its model in another place", "Job", "save_as", "Ctrl+Shift+S"),
    ActionSpec("shop", "The shop's library", "Vises, parallels, jaws, plates and cutters, kept apart from jobs", "Job",
               "open_sheet", "Ctrl+B", needs_job=False, separator_before=True, argument="shop"),
    ActionSpec("profile", "The machine's text profile", "How its programs are spelled, to copy and change", "Job",
               "open_sheet", "Ctrl+Shift+B", argument="profile"),
    ActionSpec("record", "The record", "What was measured and done, and numbers against time", "Job",
               "open_sheet", "Ctrl+Shift+J", needs_job=False, argument="record"),
    ActionSpec("figures", "Figures from the record", "How fixtures and touches repeat, and blanks vary, into this job",
               "Job", "open_sheet", "", argument="figures"),
    ActionSpec("register", "The offset register", "What every work offset of the machine holds, and for whom", "Job",
               "open_sheet", "Ctrl+G", needs_job=False, argument="register"),
    ActionSpec("axes", "Rotary axes, step by step", "What is known of each axis, and the way to what is not", "Job",
               "open_sheet", argument="axes"),
    ActionSpec("tools", "The tool table", "Numbers, lengths, wear and what D holds, with their checks", "Job",
               "open_sheet", "Ctrl+Shift+T", argument="tools"),
    ActionSpec("toolpaths", "Toolpath programs", "What the programs that will run call, and how far they go", "Job",
               "open_sheet", "Ctrl+Y", argument="programs"),
    ActionSpec("programs", "Write programs…", "Probing and hover-check programs", "Job", "write_programs",
               "Ctrl+E", separator_before=True),
    ActionSpec("cards", "Write cards…", "Cards of this setup for the control's own cycles", "Job", "write_cards",
               ""),
    ActionSpec("drawings", "Write drawings…", "Every drawing of the turns as DXF and SVG", "Job", "write_drawings",
               "Ctrl+Shift+E"),
    ActionSpec("paper", "On paper…", "Setup, turn and table sheets, tool list, first article, offset labels", "Job",
               "open_sheet", "Ctrl+P", argument="paper"),
    ActionSpec("at_machine", "At the machine", "The checklist of this setup in large letters, on a window of its own",
               "Job", "walk_at_machine", "Ctrl+Shift+M"),
    ActionSpec("release_sheet", "Release…", "How far each setup has come; released under one seal, and compared", "Job",
               "open_sheet", "Ctrl+Shift+L", argument="release"),
    ActionSpec("sheet", "Write setup sheet…", "The setup sheet as HTML or PDF", "Job", "write_sheet", ""),
    ActionSpec("print", "Print setup sheet…", "The setup sheet on a printer of this computer", "Job", "print_sheet",
               "Ctrl+Shift+P"),
    ActionSpec("quit", "Quit", "Close the window", "Job", "close", "Ctrl+Q", needs_job=False,
               separator_before=True, of_window=True),
    ActionSpec("undo", "Undo", "Take back the last change", "Edit", "undo", "Ctrl+Z"),
    ActionSpec("redo", "Redo", "Make the change again that was taken back", "Edit", "redo", "Ctrl+Shift+Z"),
    ActionSpec("copy_tape", "Copy tape", "Copy the tape as text", "Edit", "copy_tape", "Ctrl+Shift+C",
               separator_before=True),
    ActionSpec("take_along", "Take along", "The setup, its hold, or the picked operation or step",
               "Edit", "take_along", "Ctrl+Shift+D"),
    ActionSpec("put_in", "Put in", "What was taken along, into this setup; a whole setup after it", "Edit", "put_in",
               "Ctrl+Shift+V"),
    ActionSpec("copy_picture", "Copy picture of the scene", "Copy the stage's drawing as a picture", "Edit",
               "copy_picture", "Ctrl+Shift+X"),
    ActionSpec("save_picture", "Save picture of the scene…", "The stage's drawing as PNG, SVG or DXF", "Edit",
               "save_picture", ""),
    ActionSpec("next", "Next scene", "Walk the route to the right", "Scene", "next_scene", "Alt+Right"),
    ActionSpec("previous", "Previous scene", "Walk the route to the left", "Scene", "previous_scene", "Alt+Left"),
    *(_of_lens(lens) for lens in LENSES if lens.shortcut),
    ActionSpec("play", "Play the turn", "Shows the stock on its way from one setup to the next", "Scene", "play_turn",
               "Ctrl+T", separator_before=True),
    ActionSpec("run", "Rehearse now", "Run all programs on the simulated machine", "Scene", "rehearse_now", "Ctrl+R"),
    ActionSpec("view_part", "Part", "The part's journey from the stock to the finished part", "View", "show_view", "F2",
               argument="part"),
    ActionSpec("view_table", "Table", "What stands on the machine, to scale, with its offsets", "View", "show_view",
               "F3", argument="table"),
    ActionSpec("view_run", "Run", "A day at the machine: several jobs in the order with the fewest tool calls", "View",
               "show_view", "F4", needs_job=False, argument="run"),
    ActionSpec("view_shop", "Shop", "Register, library, tools, profiles and programs: what outlives a job", "View",
               "show_view", "F5", needs_job=False, argument="shop"),
    ActionSpec("unit", "Millimetres or inches", "Switch the unit that is shown", "View", "switch_unit", "Ctrl+U",
               needs_job=False),
    ActionSpec("solid", "Solid view", "A solid view to turn freely, beside the drawing", "View", "toggle_solid_view",
               "Ctrl+L"),
    ActionSpec("theme", "Night shift", "Light or dark theme", "View", "switch_theme", "Ctrl+D",
               needs_job=False, of_window=True),
    ActionSpec("larger", "Larger text", "Read it from further away", "View", "larger_text", "Ctrl++", needs_job=False,
               of_window=True, separator_before=True),
    ActionSpec("smaller", "Smaller text", "More finds room", "View", "smaller_text", "Ctrl+-", needs_job=False,
               of_window=True),
    ActionSpec("fold", "Fold the route", "The route in one line, or open", "View", "fold_route", "Ctrl+Shift+R"),
    ActionSpec("groups", "Fold all groups of fields", "Fold all groups beside the drawing, or open them", "View",
               "fold_groups", "Ctrl+Shift+F"),
    ActionSpec("findings", "All findings", "Open or close the list of findings", "View", "toggle_findings", "Ctrl+F"),
    ActionSpec("find", "Find anything", "A command, setup, feature, field or finding", "Help", "find_command", "Ctrl+J",
               needs_job=False, of_window=True),
    ActionSpec("help", "Help on what is under the pointer", "What this is and why", "Help", "show_help", "F1",
               needs_job=False, of_window=True),
    ActionSpec("keys", "Keys", "All keys on one sheet", "Help", "open_sheet", "Ctrl+Shift+K", needs_job=False,
               argument="keys"),
    ActionSpec("round", "Look round", "Five minutes on a demo: change, find, mend, rehearse, release", "Help",
               "look_round", "", needs_job=False),
    ActionSpec("about", "About Ledgecliff", "Version and licences", "Help", "show_about", "", needs_job=False),
)  # fmt: skip
