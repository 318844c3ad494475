"""Every field of the stage as one table: where its value is in the job, what it is, and why it matters.

``{setup}`` and ``{vise}`` in a path stand for the setup on the stage and the vise that holds it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ledgecliff.core.edits import Path

FieldKind = Literal["length", "feed", "text", "tool", "assumed"]


@dataclass(frozen=True)
class FieldSpec:
    label: str
    path: Path
    kind: FieldKind
    why: str

    def at(self, setup: int, vise: int) -> Path:
        """The path with its placeholders filled."""
        places: dict[str | int, int] = {"{setup}": setup, "{vise}": vise}
        return tuple(places.get(step, step) for step in self.path)


@dataclass(frozen=True)
class Section:
    title: str
    fields: tuple[FieldSpec, ...]


def _length(label: str, why: str, *path: str) -> FieldSpec:
    return FieldSpec(label, path, "length", why)


STOCK = (
    Section(
        "Stock, measured",
        (
            _length("Part X", "Caliper reading along the part's X; the plan uses it.", "stock", "measured", "x"),
            _length("Part Y", "Caliper reading along the part's Y; the plan uses it.", "stock", "measured", "y"),
            _length("Part Z", "Caliper reading along the part's Z; the plan uses it.", "stock", "measured", "z"),
        ),
    ),
    Section(
        "Off the top",
        (
            _length(
                "Facing allowance",
                "What the first setup faces off its top; the rest of the extra height stays below as the hat.",
                "stock", "allowance", "plus_z",
            ),
        ),
    ),
    Section(
        "Blanks of the batch vary by ±",
        (
            _length("Part X", "Saw-cut lengths vary most. Search distances must cover it.", "stock", "varies", "x"),
            _length("Part Y", "How far other blanks may differ along Y.", "stock", "varies", "y"),
            _length("Part Z", "How far other blanks may differ along Z.", "stock", "varies", "z"),
        ),
    ),
    Section(
        "From the label",
        (
            FieldSpec("Material", ("stock", "material"), "text", "Printed on the sheet."),
            _length("Part X", "The label's size: kept for the record, never used to plan.", "stock", "nominal", "x"),
            _length("Part Y", "The label's size: kept for the record, never used to plan.", "stock", "nominal", "y"),
            _length("Part Z", "The label's size: kept for the record, never used to plan.", "stock", "nominal", "z"),
        ),
    ),
)  # fmt: skip
_HOLD = ("setups", "{setup}", "hold")
_VISE = ("machine", "vises", "{vise}")
HOLD = (
    Section(
        "Parallels",
        (
            _length("Height", "Sets how high the part sits in the jaws, and so the grip.", *_HOLD, "parallels_height"),
            _length("Thickness", "Two of them must fit between the jaws.", *_HOLD, "parallels_thickness"),
            _length("Length", "What stands out beside the part can be probed.", *_HOLD, "parallels_length"),
        ),
    ),
    Section(
        "Vise",
        (
            _length("Jaw height", "Above the bed. Grip = jaw height less parallels.", *_VISE, "jaw_height"),
            _length("Least grip", "Less than this and the part can be pulled out.", *_VISE, "grip_min"),
            _length("Beside the middle", "Moves the part along the jaws, machine +X.", *_HOLD, "beside"),
        ),
    ),
    Section(
        "Stock its programs were made for",
        (
            FieldSpec("Machine X", ("setups", "{setup}", "stock_assumed", "x"), "assumed",
                      "Compared with what the setup before leaves."),
            FieldSpec("Machine Y", ("setups", "{setup}", "stock_assumed", "y"), "assumed",
                      "Compared with what the setup before leaves."),
            FieldSpec("Machine Z", ("setups", "{setup}", "stock_assumed", "z"), "assumed",
                      "Compared with what the setup before leaves."),
        ),
    ),
)  # fmt: skip
_DATUM = ("setups", "{setup}", "datum")
DATUM_SHIFTS = (
    Section(
        "Zero lies from there by",
        (
            _length("X shift", "The zero lies this far in +X from its source.", *_DATUM, "x", "shift"),
            _length("Y shift", "The zero lies this far in +Y from its source.", *_DATUM, "y", "shift"),
            _length("Z shift", "The zero lies this far above its source.", *_DATUM, "z", "shift"),
        ),
    ),
)
_ROUTINE = ("setups", "{setup}", "probing")
_PROBE = ("machine", "probe")
PROBE = (
    Section(
        "Touches of this setup",
        (
            _length("Stand-off", "How far before the expected surface the search starts.", *_ROUTINE, "stand_off"),
            _length("Overtravel", "How far past the expected surface the search goes before it stops.",
                    *_ROUTINE, "overtravel"),
            _length("Depth", "From the top of the wall down to the ball's centre.", *_ROUTINE, "depth"),
            _length("Clearance", "Height of the ball's underside over everything between touches.",
                    *_ROUTINE, "clearance"),
            _length("Set by eye to ±", "How well the offset is known before anything is probed.", *_ROUTINE, "guess"),
        ),
    ),
    Section(
        "Probe",
        (
            _length("Ball diameter", "The real ball.", *_PROBE, "ball_diameter"),
            _length("Effective radius", "From calibration: ball radius less pretravel.", *_PROBE, "effective_radius"),
            _length("Stem diameter", "Must stay clear where stock hangs over a wall.", *_PROBE, "stem_diameter"),
            _length("Reach", "How deep the stylus goes before its body follows.", *_PROBE, "reach"),
            FieldSpec("Search feed", (*_PROBE, "search_feed"), "feed", "First, fast touch."),
            FieldSpec("Touch feed", (*_PROBE, "touch_feed"), "feed", "Second, slow touch: the one that counts."),
        ),
    ),
)  # fmt: skip
_HOVER = ("setups", "{setup}", "hover")
HOVER = (
    Section(
        "Hover check",
        (
            FieldSpec("Tool", (*_HOVER, "tool"), "tool", "The cutter that hovers; T and H agree."),
            _length("Gauge block", "Stands on the surface that gave Z.", *_HOVER, "block"),
            _length("Gap over it", "0 means the block should just slide under.", *_HOVER, "gap"),
        ),
    ),
)
ALL_SECTIONS = (*STOCK, *HOLD, *DATUM_SHIFTS, *PROBE, *HOVER)
