"""Fields of an operation and of the cutter it uses."""

from __future__ import annotations

from ledgecliff.core.changing import Path
from ledgecliff.core.edits.setups import rename_operation, tabs_at_words, with_tabs_at
from ledgecliff.core.model.holding import BoardHold
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.operations import Operation, PinBores

from .field_table import FieldSpec, Section, length


def operation_section(job: Job, setup: int, index: int, operation: Operation) -> Section:
    """Everything that is typed of one operation."""
    path = ("setups", setup, "operations", index)
    own = {
        "face": (length("Leave", "What stays above the finished top.", *path, "leave"),),
        "outline": (
            length("Below", "How far below the part's underside it goes.", *path, "below"),
            length("Slot", "Blank: everything outside goes. Else the width cut.", *path, "slot", optional=True),
            FieldSpec("Tabs", (*path, "tabs"), "count", "Bridges left evenly round the outline."),
            FieldSpec(
                "Tabs at",
                (*path, "tabs_at"),
                "text",
                "Percent of the way round; blank: evenly.",
                optional=True,
                change=lambda job, text: with_tabs_at(job, setup, index, text),
                show=tabs_at_words,
            ),
            length("Tab width", "Of each bridge.", *path, "tab_width"),
            length("Tab height", "Up from the floor of the cut.", *path, "tab_height"),
        ),
        "seen": (length("Below", "How far below the part's underside it goes.", *path, "below"),),
        "bore": (length("Beyond", "How far it goes on below the stock.", *path, "beyond"),),
        "hole": (
            length("Beyond", "How far it goes on past the hole's end.", *path, "beyond"),
            length("Drill point", "Height of the cone below; 0 for a flat end.", *path, "point"),
        ),
        "pocket": (length("Leave", "What stays over the floor.", *path, "leave"),),
        "slot": (length("Leave", "What stays over the floor.", *path, "leave"),),
        "region": (
            length("Left", "Of the rectangle, in part numbers along machine X.", *path, "left"),
            length("Right", "Of the rectangle.", *path, "right"),
            length("Front", "Of the rectangle, in part numbers along machine Y.", *path, "front"),
            length("Back", "Of the rectangle.", *path, "back"),
            length("Depth", "Below the finished top.", *path, "depth"),
        ),
        "edge break": (),
        "pin bores": _pin_fields(path, operation),
        "frame slot": (
            length("Keep X", "Half of what it stays outside of, along X.", *path, "keep_x"),
            length("Keep Y", "Half of what it stays outside of, along Y.", *path, "keep_y"),
            length("Slot", "Its width; no narrower than the cutter.", *path, "slot"),
            length("Fit", "Clearance of the turned piece.", *path, "fit"),
            length("Below", "How far it goes on below the stock.", *path, "below"),
            length("Pass depth", "Of each pass of its program.", *path, "pass_depth"),
            FieldSpec("Feed", (*path, "feed"), "feed", "Of its program."),
            FieldSpec("Spindle", (*path, "spindle"), "count", "Revolutions a minute, of its program."),
            FieldSpec("Tabs", (*path, "tabs"), "count", "Bridges left evenly round the piece."),
            length("Tab width", "Of each bridge.", *path, "tab_width"),
            length("Tab height", "Over the part's underside.", *path, "tab_height"),
        ),
    }[operation.removes]
    return Section(
        "This operation",
        (
            FieldSpec(
                "Name",
                (*path, "name"),
                "text",
                "As it is called on the sheet.",
                change=lambda job, name: rename_operation(job, setup, index, name),
            ),
            FieldSpec("Tool", (*path, "tool"), "tool", "The cutter's number in the tool table."),
            *own,
            *_against_tape(job, setup, path),
            FieldSpec("Program", (*path, "program"), "text", "The toolpath file it belongs to, if any.", optional=True),
        ),
    )


def _against_tape(job: Job, setup: int, path: Path) -> tuple[FieldSpec, ...]:
    """How strongly it pushes, where tape has to bear that."""
    hold = job.setups[setup].hold
    if not isinstance(hold, BoardHold) or hold.tape is None:
        return ()
    why = "N it pushes sideways at most, which the tape must bear. Blank: estimated from material and cutter."
    return (FieldSpec("Side force", (*path, "side_force"), "count", why, optional=True),)


def _pin_fields(path: Path, operation: Operation) -> tuple[FieldSpec, ...]:
    """What all pins share, then the place and diameter of each; nothing for any other operation."""
    if not isinstance(operation, PinBores):
        return ()
    shared = (
        length("Clearance", "How much wider the bores are than the pins.", *path, "clearance"),
        length("Blind, to", "Below the part's top, minus: over it; blank: through.", *path, "blind", optional=True),
        length("Into board", "How deep the board is bored.", *path, "into_board"),
        FieldSpec(
            "Board's zero",
            (*path, "board_offset"),
            "text",
            "A work offset whose Z0 is the bare board's top, to bore the board by itself; blank: the setup's own zero.",
            optional=True,
        ),
        FieldSpec("Pin length", (*path, "pin_length"), "length", "Of a whole pin, board and blank.", optional=True),
        length("Wall", "Left round a bore, to cuts and to the edge.", *path, "wall"),
        length("Peck", "Depth of each peck of its program.", *path, "peck"),
        FieldSpec("Feed", (*path, "feed"), "feed", "Of its program."),
        FieldSpec("Spindle", (*path, "spindle"), "count", "Revolutions a minute, of its program."),
    )
    pins = (
        spec
        for k in range(len(operation.pins))
        for spec in (
            length(f"Pin {k + 1} X", "From the part's middle.", *path, "pins", k, "x"),
            length(f"Pin {k + 1} Y", "From the part's middle.", *path, "pins", k, "y"),
            length(f"Pin {k + 1} Ø", "Of the pin.", *path, "pins", k, "diameter"),
        )
    )
    return (*shared, *pins)


def cutter_section(job: Job, setup: int, tool: int) -> Section | None:
    """The sizes of a cutter of a setup's machine that decide what it reaches."""
    machine = job.machine_of(job.setups[setup])
    numbers = [cutter.tool for cutter in machine.cutters]
    if tool not in numbers:
        return None
    path = (*job.machine_path(job.setups[setup]), "cutters", numbers.index(tool))
    return Section(
        f"T{tool} {machine.cutters[numbers.index(tool)].name}",
        (
            length("Diameter", "Of the cutting part.", *path, "diameter"),
            length("Flute length", "How far up it cuts. Blank: not checked.", *path, "flute", optional=True),
            length("Reach", "How far down before the holder follows.", *path, "reach", optional=True),
            length("Holder", "Diameter of what follows above.", *path, "holder_diameter"),
        ),
    )
