"""Fields of what registers a turn: pins, frame or jig."""

from __future__ import annotations

from ledgecliff.core.model.holding import JigHold
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.operations import FrameSlot, PinBores

from .cut_fields import operation_section
from .field_table import Section, length
from .hold_fields import fixture_path, jig_section


def turn_sections(job: Job, index: int) -> tuple[Section, ...]:
    """What is typed of the registration of the turn to setup ``index``; nothing where the part is probed."""
    before = job.setups[index - 1]
    sections: list[Section] = []
    for k, operation in enumerate(before.operations):
        if isinstance(operation, (PinBores, FrameSlot)):
            section = operation_section(job, index - 1, k, operation)
            title = "Pins and their bores" if isinstance(operation, PinBores) else "The frame"
            sections.append(Section(title, section.fields[1:-1]))
    if isinstance(before.hold, JigHold) and isinstance(job.setups[index].hold, JigHold):
        fixture = fixture_path(job, index - 1)
        depths = (
            length("Depth, pocket 1", "Of the first pocket, below the jig's top.", *fixture, "first", "depth"),
            length("Depth, pocket 2", "Of the second pocket, below the jig's top.", *fixture, "second", "depth"),
        )
        sections += [Section("Pockets", depths), jig_section(fixture)]
    return tuple(sections)
