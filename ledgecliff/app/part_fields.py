"""Fields of the part: its own sizes where it has no model, and its features."""

from __future__ import annotations

from collections.abc import Callable

from ledgecliff.core.edits.parts import rename_feature, tilt_text, with_part_size, with_tilt
from ledgecliff.core.edits.several_parts import beside_each_other, with_parts
from ledgecliff.core.edits.tolerances import Asks, with_asked
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.part import Feature, Part
from ledgecliff.core.plan import Plan
from ledgecliff.store.identity import new_id

from .field_table import FieldSpec, Section, length


def job_section() -> Section:
    """What the job is called."""
    title = FieldSpec("Title", ("title",), "text", "In the window's head, on the sheet and in every program.")
    version = FieldSpec("Version", ("revision",), "text", "As the shop counts (1, 2, A, B); in names of programs.")
    return Section("This job", (title, version, FieldSpec("Note", ("note",), "text", "Printed on the sheet.")))


def shape_section(part: Part) -> Section | None:
    """The sizes of a part that is entered by dimensions."""
    if part.shape is None:
        return None
    if part.shape.form == "block":
        return Section(
            "The block",
            tuple(
                _size(f"Size {axis.upper()}", "Finished size of the part; the stock goes along.", "size", axis)
                for axis in AXES
            ),
        )
    return Section(
        "The bar",
        (
            _size("Diameter", "Finished diameter of the part; the stock goes along.", "diameter"),
            _size("Length", "Finished length of the part; the stock goes along.", "length"),
        ),
    )


def _size(label: str, why: str, *path: str) -> FieldSpec:
    """A size of the part itself: stock that stands out over it keeps standing out as far."""
    whole = ("part", "shape", *path)
    return FieldSpec(label, whole, "length", why, change=lambda job, mm: with_part_size(job, whole, mm))


def parts_section(part: Part, plan_now: Callable[[], Plan]) -> Section:
    """How many parts come from the blank, and how far apart they lie in it."""
    copies = part.copies
    many = "They stay joined until something cuts them apart; what is cut on features of the first is cut on each."

    def with_count(_job: Job, count: object) -> Job:
        plan = plan_now()
        shift = copies[0].shift.as_tuple() if copies else beside_each_other(plan)
        return with_parts(plan, count, shift, new_id)

    def further(k: int) -> Callable[[Job, object], Job]:
        def change(_job: Job, mm: object) -> Job:
            shift = list(copies[0].shift.as_tuple())
            shift[k] = float(str(mm))
            return with_parts(plan_now(), len(copies) + 1, shift, new_id)

        return change

    fields = [
        FieldSpec(
            "Parts", ("part", "copies"), "count", many, change=with_count, show=lambda found: str(len(found) + 1)
        ),
    ]
    if copies:
        fields += [
            FieldSpec(
                f"Apart, {axis.upper()}",
                ("part", "copies", 0, "shift", axis),
                "length",
                "How much further each part lies than the one before.",
                change=further(k),
            )
            for k, axis in enumerate(AXES)
        ]
    return Section("Parts in the blank", tuple(fields))


_SIZES = {
    "diameter": "Of a round feature; at its mouth for an edge break.",
    "depth": "From its opening inward; for a boss from its top to its foot.",
    "length": "Along its longer direction.",
    "width": "Across its length.",
    "radius": "Of a pocket's upright corners.",
}


def feature_sections(index: int, feature: Feature, *, by_dimensions: bool) -> tuple[Section, ...]:
    """Name, place and tolerances of a feature; its sizes too where they make the part."""
    path = ("part", "features", index)
    place = tuple(
        length(f"Part {axis.upper()}", "Place of its reference point in part coordinates.", *path, "at", axis)
        for axis in AXES
    )
    name = FieldSpec(
        "Name", (*path, "name"), "text", "Used by datums, operations and sheets.",
        change=lambda job, value: rename_feature(job, index, str(value)),
    )  # fmt: skip
    sections = [
        Section("This feature", (name,)),
        Section("Where it is", place),
    ]
    if by_dimensions:
        tilt = FieldSpec(
            "Tilted towards", (*path, "skew"), "text",
            "X, Y and Z of the direction in which it opens where that is none of the six: 0 -1 1 is halfway "
            "between -Y and +Z. Blank where it is square.",
            optional=True, change=lambda job, value: with_tilt(job, index, str(value)), show=tilt_text,
        )  # fmt: skip
        sections[-1] = Section("Where it is", (*place, tilt))
        sizes = tuple(length(size.title(), why, *path, size, optional=True) for size, why in _SIZES.items())
        sections.append(Section("Sizes", sizes))
    even = feature.kind in ("edge break", "chamfer", "countersink")
    fields = [
        _asked(index, "Position ±", "How far it may lie from where it should.", "position"),
        _asked(index, "Distance ±", "How far its distance from another feature may be off.", "distance"),
        _asked(index, "Wall ±", "How far the wall between it and another feature may be off.", "wall"),
        _asked(index, "Size ±", "How far its size may be off.", "size"),
    ]
    if even:
        fields.append(_asked(index, "Even within", "By how much it may be wider on one side.", "even"))
    sections.append(Section("What the drawing asks", tuple(fields)))
    return tuple(sections)


def _asked(index: int, label: str, why: str, what: Asks) -> FieldSpec:
    return FieldSpec(
        label, ("part", "features", index, "tolerance", what), "length", why, optional=True,
        change=lambda job, value: with_asked(job, index, what, value),
    )  # fmt: skip
