"""Fields of a step beside the machine, by its kind."""

from __future__ import annotations

from ledgecliff.core.model.bench import AnyBenchStep, Fill, Glue, HeatTreat, MakeFixture, Sand, Saw, TakeOut

from .field_table import FieldSpec, Section, length


def bench_sections(step: AnyBenchStep, path: tuple[str | int, ...]) -> tuple[Section, ...]:
    """Its name, what it changes, and how long one waits after it."""
    name = FieldSpec("Name", (*path, "name"), "text", "On the route and on the sheet.")
    wait = FieldSpec("Wait", (*path, "wait"), "minutes", "Minutes until the next step may begin.")
    note = FieldSpec("Note", (*path, "note"), "text", "Printed with its box on the sheet.", optional=True)
    return (Section("This step", (name, *_of_kind(step, path), wait, note)),)


def _of_kind(step: AnyBenchStep, path: tuple[str | int, ...]) -> tuple[FieldSpec, ...]:
    match step:
        case Saw():
            return (length(f"Along part {step.off[1]}", "Beyond this place of the part all goes.", *path, "at"),)
        case Glue():
            corner = tuple(
                length(f"From part {axis.upper()}", "Of its lowest corner.", *path, "low", axis) for axis in "xyz"
            )
            sizes = tuple(length(f"Size {axis.upper()}", "Of the piece.", *path, "size", axis) for axis in "xyz")
            return (*corner, *sizes, FieldSpec("Material", (*path, "material"), "text", "Of the piece."))
        case Fill() | TakeOut():
            return (FieldSpec("Feature", (*path, "feature"), "text", "What was cut for it is filled."),)
        case Sand():
            return (length("Takes off", "As much as the paper takes, by feel or by caliper.", *path, "takes"),)
        case MakeFixture():
            return (
                FieldSpec("Tool", (*path, "tool"), "count", "The cutter that cuts it."),
                FieldSpec("Offset", (*path, "offset"), "text", "Keeps the zero that it is cut from."),
                FieldSpec("Feed", (*path, "feed"), "feed", "Of its program."),
                FieldSpec("Spindle", (*path, "spindle"), "count", "Revolutions a minute, of its program."),
                length("Each pass", "How deep.", *path, "pass_depth"),
                length("Bores, deep", "Those for the dowels of a plate.", *path, "bore_depth"),
                FieldSpec("Measured", (*path, "measured"), "text", "What came out, once it is made.", optional=True),
            )
        case HeatTreat():
            return (length("May move by", "To either side, by what was seen before.", *path, "moves"),)
        case _:
            return ()
