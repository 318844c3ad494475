"""Holes for screws with cylindrical heads."""

from __future__ import annotations

#: Nominal size, head (ISO 4762) and clearance hole of the medium series (ISO 273), in mm.
_SCREWS = (
    ("M3", 5.5, 3.4), ("M4", 7.0, 4.5), ("M5", 8.5, 5.5), ("M6", 10.0, 6.6), ("M8", 13.0, 9.0), ("M10", 16.0, 11.0),
    ("M12", 18.0, 13.5), ("M16", 24.0, 17.5),
)  # fmt: skip


def screw_hole(head_diameter: float) -> tuple[str, float] | None:
    """The largest screw whose head is no wider (mm), and its clearance hole (mm); None for smaller heads."""
    fitting = [(name, hole) for name, head, hole in _SCREWS if head <= head_diameter + 1e-6]
    return fitting[-1] if fitting else None
