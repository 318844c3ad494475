"""Fields of the zero, of probing and of the hover check."""

from __future__ import annotations

from .field_table import FieldSpec, Section, length


def datum_sections(setup: int) -> tuple[Section, ...]:
    path = ("setups", setup, "datum")
    return (
        Section(
            "Zero lies from there by",
            (
                length("X shift", "The zero lies this far in +X from its source.", *path, "x", "shift"),
                length("Y shift", "The zero lies this far in +Y from its source.", *path, "y", "shift"),
                length("Z shift", "The zero lies this far above its source.", *path, "z", "shift"),
            ),
        ),
    )


_PROBE = ("machine", "probe")


def probe_sections(setup: int) -> tuple[Section, ...]:
    path = ("setups", setup, "probing")
    return (
        Section(
            "Touches of this setup",
            (
                length("Stand-off", "How far before the expected surface the search starts.", *path, "stand_off"),
                length("Overtravel", "How far past the expected surface the search goes before it stops.",
                        *path, "overtravel"),
                length("Depth", "From the top of the wall down to the ball's centre.", *path, "depth"),
                length("Clearance", "Height of the ball's underside over everything between touches.",
                        *path, "clearance"),
                length("Set by eye to ±", "How well the offset is known before anything is probed.", *path, "guess"),
            ),
        ),
        Section(
            "Probe",
            (
                length("Ball diameter", "The real ball.", *_PROBE, "ball_diameter"),
                length("Effective radius", "From calibration: ball radius less pretravel.",
                       *_PROBE, "effective_radius"),
                length("Stem diameter", "Must stay clear where stock hangs over a wall.", *_PROBE, "stem_diameter"),
                length("Reach", "How deep the stylus goes before its body follows.", *_PROBE, "reach"),
                FieldSpec("Search feed", (*_PROBE, "search_feed"), "feed", "First, fast touch."),
                FieldSpec("Touch feed", (*_PROBE, "touch_feed"), "feed", "Second, slow touch: the one that counts."),
            ),
        ),
    )  # fmt: skip


def hover_sections(setup: int) -> tuple[Section, ...]:
    path = ("setups", setup, "hover")
    return (
        Section(
            "Hover check",
            (
                FieldSpec("Tool", (*path, "tool"), "tool", "The cutter that hovers; T and H agree."),
                length("Gauge block", "Stands on the surface that gave Z.", *path, "block"),
                length("Gap over it", "0 means the block should just slide under.", *path, "gap"),
            ),
        ),
    )
