"""The tape of a station: where it stands, and what every zero on it comes to on the machine."""

from __future__ import annotations

from collections.abc import Sequence

from ..frames import AXES
from ..model.stations import Carrier, Rotary
from ..on_table import OnTable
from ..places import tf_m_s
from ..register.entries import Entry
from ..tape_lines import Tape, TapeLine, heading, note


def station_tape(each: OnTable, entries: Sequence[Entry] = ()) -> Tape:
    """``entries`` are what the register keeps for the machine, so that each code is told with its owner."""
    at = [float(value) for value in each.m_zero]
    lines = [heading("Where it stands")]
    lines += [TapeLine(f"machine {axis.upper()}", at[k], source=each.source) for k, axis in enumerate(AXES)]
    if each.station.on is not None:
        lines.append(note("carried, so its own numbers count from what carries it:"))
        own = each.station.at.as_tuple()
        lines += [TapeLine(f"{axis.upper()} on its carrier", own[k], "note") for k, axis in enumerate(AXES)]
    for under, distance in each.under:
        lines += _carrier(under, distance)
    if each.station.turn_deg:
        lines.append(note(f"turned {each.station.turn_deg:+.4f}° about Z"))
    for setup in each.setups:
        code = setup.setup.offset
        lines.append(heading(f"{setup.setup.name} in {code}"))
        stands = tf_m_s(setup.machine, setup.setup).shift
        for k, axis in enumerate(AXES):
            planned = float(setup.planned_offset[k])
            shift = setup.machine.length_shift() if axis == "z" else 0.0
            lines.append(TapeLine(f"station {axis.upper()}", float(stands[k]), source=each.source))
            lines.append(TapeLine("to its zero", planned + shift - float(stands[k]), source="wcs"))
            if shift:
                lines.append(TapeLine("less where the tools' plane stands", -shift))
            lines.append(TapeLine(f"{code} {axis.upper()} planned", planned, "total", "wcs"))
        owner = next((entry.use for entry in entries if entry.code == code and entry.use is not None), None)
        lines.append(
            note(f"the register keeps {code} for {owner.words()}" if owner else f"the register has {code} for nobody")
        )
    if not each.setups:
        lines.append(note("No setup of this job is clamped here."))
    on = next((under.name for under, _ in each.under), "the table")
    return Tape(each.station.name, f"on {on}", tuple(lines))


def _carrier(under: Carrier, distance: float | None) -> list[TapeLine]:
    """What carries it: an axis by its word, a pallet or a face as it measures."""
    if isinstance(under, Rotary):
        return [note(f"carried by {under.name}, rotary axis {under.word}")]
    day = f", measured on {under.measured_on}" if under.measured_on else ""
    lines = [note(f"carried by {under.name}{day}")]
    if distance is not None:
        lines.append(TapeLine("its face from the axis", distance, "note", f"carrier-{under.id}", signed=False))
    for axis, tilt in (("X", under.tilt_x_deg), ("Y", under.tilt_y_deg)):
        if tilt:
            lines.append(note(f"out of square by {tilt:+.4f}° about its {axis}"))
    return lines
