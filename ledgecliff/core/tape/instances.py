"""The tape of one instance of a pattern: from the master by its step and shifts to its zero and its local shift."""

from __future__ import annotations

import numpy as np

from ..frames import AXES
from ..many_parts.listing import index_words
from ..model.pattern import Pattern
from ..patterns.instances import Instance
from ..patterns.places import recut_words, shift_of, station_at
from ..places import station_of
from ..setup_plan import SetupPlan
from ..tape_lines import Tape, TapeLine, heading, note


def instance_tape(setup: SetupPlan, pattern: Pattern, each: Instance, source: str) -> Tape:
    """Every number that leads to where an instance's zero lies, in its order."""
    master = station_of(setup.machine, setup.setup)
    plain = station_at(pattern, each.place, master, np.zeros(3))
    at, step = np.array(master.at.as_tuple()), np.array(plain.at.as_tuple()) - np.array(master.at.as_tuple())
    group, own = pattern.group(each.place.group), pattern.at(each.key)
    frame = "in machine coordinates" if each.carrier == "table" else "counted from what carries it"
    lines = [heading("Where its station is"), note(frame)]
    for k, axis in enumerate(AXES):
        letter = axis.upper()
        lines.append(TapeLine(f"master {letter}", float(at[k]), source=source))
        if step[k]:
            lines.append(TapeLine("its step in the pattern", float(step[k])))
        for words, shifted in (((f"shift of {each.group_name}"), group), ("its own shift", own)):
            mm = float(np.array(shifted.shift.as_tuple())[k]) if shifted is not None else 0.0
            if mm:
                lines.append(TapeLine(words, mm))
        total = float(at[k] + step[k] + shift_of(pattern, each.place)[k])
        lines.append(TapeLine(f"station {letter}", total, "total", source))
    for recut in group.recuts if group is not None else ():
        lines.append(note(f"{recut.on}: {recut_words(recut)}"))
    at_index = index_words(each)
    lines.append(heading(f"Its zero{f' at {at_index}' if at_index else ''}"))
    shift = setup.machine.length_shift()
    for k, axis in enumerate(AXES):
        mm = float(each.m_zero[k]) - (shift if axis == "z" else 0.0)
        lines.append(TapeLine(f"machine {axis.upper()}", mm, source="wcs"))
    if each.located.turn_deg:
        lines.append(note(f"turned {each.located.turn_deg:+.4f}° about Z"))
    lines.append(note(f"kept in {each.offset}" if each.offset else "no offset is kept for it yet"))
    if each.shares:
        lines.append(heading(f"Local shift in {each.offset or 'the shared offset'}"))
        for k, axis in enumerate(AXES):
            lines.append(TapeLine(f"shift {axis.upper()}", float(each.located.local_shift[k]), "total", "wcs"))
    if each.state != "on":
        lines.append(note(f"{each.state}{f': {each.reason}' if each.reason else ''}"))
    if each.note:
        lines.append(note(each.note))
    return Tape(f"{setup.setup.name}, instance {each.name}", each.group_name, tuple(lines))
