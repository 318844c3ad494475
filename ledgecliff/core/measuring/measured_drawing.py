"""A measurement as a table and as a dimensioned drawing: every feature from the reference."""

from __future__ import annotations

from ..layered_drawing import Circle, Entity, Measure, Sheet, Words
from .measured import Measurement

#: Dimension lines stand this far apart, the first this far off (mm).
_OFF, _APART = 14.0, 9.0
#: The table's columns.
COLUMNS = ("feature", "x", "y", "nominal x", "nominal y", "off", "size", "allowed", "within")


def table_rows(measured: Measurement) -> list[tuple[str | float | None, ...]]:
    """One row a feature, as in ``COLUMNS``, lengths in mm; ``within`` is empty where nothing is asked."""
    return [
        (row.name, row.x, row.y, *row.nominal, row.off, row.size, row.allowed,
         "" if row.allowed is None else "yes" if row.off <= row.allowed else "no")
        for row in measured.table
    ]  # fmt: skip


def measured_sheet(measured: Measurement) -> Sheet:
    """Circles where they were found, as large as they were found, with their distances from the reference."""
    entities: list[Entity] = [Words("NAMES", (0.0, 0.0), measured.reference)]
    reference = next(step for step in measured.steps if step.step.cycle.feature == measured.reference)
    sizes = [value for key, value in reference.found.items() if key.startswith("size")]
    if sizes:
        entities.append(Circle("REFERENCE", (0.0, 0.0), sum(sizes) / len(sizes)))
    low = min((row.y for row in measured.table), default=0.0)
    left = min((row.x for row in measured.table), default=0.0)
    for k, row in enumerate(sorted(measured.table, key=lambda row: abs(row.x))):
        if abs(row.x) > 1e-3:
            line = low - _OFF - k * _APART
            entities.append(Measure("DISTANCES X", (0.0, 0.0), (row.x, row.y), "x", line))
    for k, row in enumerate(sorted(measured.table, key=lambda row: abs(row.y))):
        if abs(row.y) > 1e-3:
            line = left - _OFF - k * _APART
            entities.append(Measure("DISTANCES Y", (0.0, 0.0), (row.x, row.y), "y", line))
    for row in measured.table:
        if row.size is not None:
            entities.append(Circle("MEASURED", (row.x, row.y), row.size))
        entities.append(Words("NAMES", (row.x + (row.size or 0.0) / 2.0 + 1.0, row.y), row.name, 3.0))
    title = f"{measured.setup.setup.name}: measured from {measured.reference}"
    return Sheet("measured", title, tuple(entities))
