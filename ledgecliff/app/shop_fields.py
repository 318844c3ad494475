"""Fields of what lies on the shelves of the shop's library."""

from __future__ import annotations

from ledgecliff.core.changing import Path
from ledgecliff.core.edits.shop import heights_text, renamed, station_path, with_heights, with_station_at
from ledgecliff.core.frames import AXES, Axis
from ledgecliff.core.holding.holding import origin_words
from ledgecliff.core.model.base import Model
from ledgecliff.core.model.holding import (
    Chuck,
    ParallelsSet,
    Plate,
    SoftJaws,
    Spoilboard,
    StepJaws,
    VBlock,
    Vise,
    VJaws,
)
from ledgecliff.core.model.machine import Cutter
from ledgecliff.core.model.own_fixture import OwnFixture
from ledgecliff.core.model.shop import NamedJaws, Shop

from .field_table import FieldSpec, Section, length
from .hold_fields import groove_fields


def new_job_sections() -> tuple[Section, ...]:
    """What a new job's setups begin with."""
    probe: Path = ("machine", "probe")
    return (
        Section(
            "New setups are probed with",
            (
                length("Stand-off", "How far before the expected surface the search starts.", "touches", "stand_off"),
                length("Overtravel", "How far past the expected surface the search goes.", "touches", "overtravel"),
                length("Depth", "From the top of the wall down to the ball's centre.", "touches", "depth"),
                length("Clearance plane", "Over everything between touches.", "touches", "clearance"),
                FieldSpec("Search feed", (*probe, "search_feed"), "feed", "First, fast touch."),
                FieldSpec("Touch feed", (*probe, "touch_feed"), "feed", "Second, slow touch: the one that counts."),
                FieldSpec("Travel feed", (*probe, "travel_feed"), "feed", "Between touches, guarded."),
            ),
        ),
    )


def thing_sections(shop: Shop, thing: Model, path: Path) -> tuple[Section, ...]:
    """Name and sizes of one thing of the library."""
    name = FieldSpec(
        "Name", (*path, "name"), "text", "As it is offered in jobs; one of its own.",
        change=lambda shop, text: renamed(shop, path, str(text)),
    )  # fmt: skip
    sizes: tuple[FieldSpec, ...]
    match thing:
        case Vise():
            sizes = (
                length("Jaw width", "Along the jaws.", *path, "jaw_width"),
                length("Jaw height", "Above the bed.", *path, "jaw_height"),
                length("Jaw thickness", "Across the jaws.", *path, "jaw_thickness"),
                length("Opens from", "Smallest distance between the jaws.", *path, "opening_min"),
                length("Opens to", "Largest distance between the jaws.", *path, "opening_max"),
                length("Bed height", "Of the bed over the table; 0 where it is not known.", *path, "bed_height"),
                length("Least grip", "Less than this and a part can be pulled out.", *path, "grip_min"),
                length("Repeats within", "How unsure a part's place is after clamping.", *path, "clamping_scatter"),
                length("Rises when clamped", "How far the moving jaw may raise a part.", *path, "lift"),
            )
            return (Section("Vise", (name, *sizes)), *_place(shop, path, "{}, {} and {}".format(*origin_words(thing))))
        case ParallelsSet():
            index = int(path[-1])
            heights = FieldSpec(
                "Heights", (*path, "heights"), "text", "Of the pairs in the set, in mm, apart by commas.",
                change=lambda shop, text: with_heights(shop, index, str(text)), show=heights_text,
            )  # fmt: skip
            sizes = (
                length("Thickness", "Of every parallel.", *path, "thickness"),
                length("Length", "Of every parallel.", *path, "length"),
            )
            return (Section("Set of parallels", (name, heights, *sizes)),)
        case NamedJaws(jaws=StepJaws()):
            sizes = (
                length("Step height", "Above the vise's bed.", *path, "jaws", "height"),
                length("Step depth", "How far the step stands out under the stock.", *path, "jaws", "depth"),
            )
            return (Section("Stepped jaws", (name, *sizes)),)
        case NamedJaws(jaws=SoftJaws()):
            sizes = (
                length("Cut depth", "Below the jaw tops, unless a job says otherwise.", *path, "jaws", "depth"),
                length("Clearance", "How far the cut stands off the outline.", *path, "jaws", "clearance"),
            )
            return (Section("Soft jaws", (name, *sizes)),)
        case NamedJaws(jaws=VJaws()):
            return (Section("V-jaws", (name, *groove_fields((*path, "jaws")))),)
        case Plate() | Spoilboard():
            sizes = (
                length("Length", "Along machine X.", *path, "length"),
                length("Width", "Along machine Y.", *path, "width"),
                length("Thickness", "From its top to what it lies on.", *path, "thickness"),
            )
            if isinstance(thing, Spoilboard):
                sizes = (*sizes, length("May be cut", "How deep tools may go into it.", *path, "may_cut"))
            return (Section("Plate or board", (name, *sizes)), *_place(shop, path, "middle of its top"))
        case VBlock():
            sizes = (
                length("Length", "Along the groove.", *path, "length"),
                length("Width", "Across the groove.", *path, "width"),
                length("Height", "From its top to what it stands on.", *path, "height"),
                length("Groove", "Width of the groove at its top.", *path, "groove"),
            )
            angle = FieldSpec("Groove angle", (*path, "angle_deg"), "angle", "Between both flanks.")
            return (Section("V-block", (name, *sizes, angle)), *_place(shop, path, "middle of its top"))
        case Chuck():
            sizes = (
                length("Diameter", "Of its body.", *path, "diameter"),
                length("Length", "Of its body behind the face.", *path, "length"),
                length("Height", "From the table to the axis; of one that stands, to its face.", *path, "height"),
                length("Repeats within", "How far stock may lie off the axis.", *path, "seat_scatter"),
            )
            return (Section("Chuck", (name, *sizes)), *_place(shop, path, "face on the axis of rotation"))
        case OwnFixture():
            zero = tuple(length(f"Model {axis.upper()}", "Of its zero.", *path, "zero", axis) for axis in "xyz")
            repeats = length("Repeats within", "How far a part may lie off its faces.", *path, "seat_scatter")
            return (Section("Fixture from a model", (name, *zero, repeats)), *_place(shop, path, "zero"))
        case Cutter():
            sizes = (
                FieldSpec("Number", (*path, "tool"), "tool", "In the tool table."),
                length("Diameter", "Of the cutting part.", *path, "diameter"),
                length("Length", "From the gauge line to the tip.", *path, "length"),
                length("Flute length", "How far up it cuts. Blank: not checked.", *path, "flute", optional=True),
                length("Reach", "How far down before the holder follows.", *path, "reach", optional=True),
                length("Holder", "Diameter of what follows above.", *path, "holder_diameter"),
                length("Corner radius", "Of a rounded end.", *path, "corner_radius"),
            )
            return (Section("Cutter", (name, *sizes)),)
    return ()


def _place(shop: Shop, path: Path, what: str) -> tuple[Section, ...]:
    """Where a fixture stands; none where it has no station."""
    station = station_path(shop, path)
    if station is None:
        return ()
    return (Section("Nominal place on the machine", tuple(_machine_axis(station, axis, what) for axis in AXES)),)


def _machine_axis(station: Path, axis: Axis, what: str) -> FieldSpec:
    return FieldSpec(
        f"Machine {axis.upper()}", (*station, "at", axis), "length", f"Of its {what}.",
        change=lambda shop, mm: with_station_at(shop, station, axis, mm),
    )  # fmt: skip
